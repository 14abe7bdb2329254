//! Handing over: one GLB with the body, the skeleton and all pieces.

use crate::handover::names::outgoing_names;
use tin_cloak_core::deform::Morph;
use tin_cloak_core::mesh::{Kept, Mesh};
use tin_cloak_core::skin::{Skin, SkinError};
use tin_cloak_core::trial::{Clip, Interpolation, ShapeTrack};
use tin_cloak_formats::{write_glb, write_gltf, Document, GlbPart, GlbScene, Mark, MarkedPatch, MeshPart};
use tin_cloak_model::dress::body::Body;
use tin_cloak_model::dress::chosen::Choosing;
use tin_cloak_model::dress::dressed::Dress;
use tin_cloak_model::dress::file_settings::marked_ranges;
use tin_cloak_model::dress::members::Member;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::dress::tucked::amounts_at_rest;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::choice::Patch;
use tin_cloak_model::state::names::BODY;
use tin_cloak_model::state::own_joint::OwnJoint;

/// Colours of the pieces in the file, linear; taken in turn.
const COLOURS: [[f32; 3]; 5] =
    [[0.52, 0.44, 0.30], [0.14, 0.11, 0.09], [0.42, 0.45, 0.48], [0.20, 0.28, 0.30], [0.35, 0.16, 0.10]];

/// A mesh that goes out.
pub struct Outgoing {
    /// The mesh, named as it goes out.
    pub part: MeshPart,
    /// What it is called here.
    pub called: String,
    /// The piece's place in the dress; the body has none.
    pub piece: Option<usize>,
    /// Vertices of the body or piece, and which of the mesh each is.
    pub from: Vec<u32>,
    pub to: Vec<u32>,
    /// Which of all its triangles each is that goes out.
    faces: Vec<u32>,
}

/// What becomes of what nobody sees.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum OfHidden {
    /// It is left out.
    #[default]
    LeftOut,
    /// It is there, under materials of its own, its vertices told by an attribute.
    Marked,
}

/// The dress as a document: every mesh at rest with its weights and marks. Pieces that are not
/// bound yet go out unskinned. A body of several meshes goes out as it came.
///
/// # Errors
/// Never in practice: the weights of the body are sound.
pub fn dressed_document(dress: &Dress, hidden: OfHidden) -> Result<Document, WorkshopError> {
    let list = outgoing(dress, hidden)?;
    let body = &dress.body;
    let mut clips = body.clips.clone();
    for track in clips.iter_mut().flat_map(|c| &mut c.shapes) {
        if let Some(renamed) = list.iter().find(|o| o.called == track.mesh) {
            track.mesh.clone_from(&renamed.part.name);
        }
    }
    let meshes: Vec<MeshPart> = list.into_iter().map(|o| o.part).collect();
    clips.iter_mut().for_each(|clip| key_followers(clip, &meshes));
    Ok(Document { meshes, skeleton: Some(body.skeleton.clone()), clips, ..Document::default() })
}

/// Keys the shapes of meshes that have none in a clip as those of the same name on the body are keyed: what follows
/// goes along there, too.
fn key_followers(clip: &mut Clip, meshes: &[MeshPart]) {
    let body: Vec<&MeshPart> =
        meshes.iter().filter(|m| m.mark.as_ref().is_some_and(|k| k.role == "body")).collect();
    let keyed = |name: &str| {
        let track = clip.shapes.iter().find(|t| t.mesh == name)?;
        Some((body.iter().find(|m| m.name == name)?, track))
    };
    let leaders: Vec<(&&MeshPart, &ShapeTrack)> = body.iter().filter_map(|m| keyed(&m.name)).collect();
    let has_none = |m: &&MeshPart| clip.shapes.iter().all(|t| t.mesh != m.name);
    let follow = |m: &MeshPart| leaders.iter().find_map(|(leader, track)| followed_track(m, leader, track));
    let more: Vec<ShapeTrack> = meshes.iter().filter(has_none).filter_map(follow).collect();
    clip.shapes.extend(more);
}

/// The keys of a mesh that follows another's; none where it has no shape that the other's clip keys.
fn followed_track(follower: &MeshPart, leader: &MeshPart, track: &ShapeTrack) -> Option<ShapeTrack> {
    let leads = |m: &Morph| {
        let at = leader.morphs.iter().position(|l| l.name == m.name && l.driver.is_none())?;
        (at < track.shapes()).then_some(at)
    };
    let led: Vec<Option<usize>> = follower.morphs.iter().map(leads).collect();
    led.iter().any(Option::is_some).then_some(())?;
    let tangents = track.interpolation == Interpolation::Cubic;
    let row = |(n, row): (usize, &[f32])| {
        let still = |m: usize| match tangents && n % 3 != 1 {
            true => 0.0,
            false => follower.amounts.get(m).copied().unwrap_or(0.0),
        };
        led.iter().enumerate().map(|(m, led)| led.map_or_else(|| still(m), |at| row[at])).collect::<Vec<_>>()
    };
    let amounts = track.amounts.chunks(track.shapes().max(1)).enumerate().flat_map(row).collect();
    Some(ShapeTrack { mesh: follower.name.clone(), times: track.times.clone(), amounts, ..*track })
}

/// The meshes that go out: the body's, then the pieces'.
///
/// # Errors
/// Never in practice: the weights of the body are sound.
pub fn outgoing(dress: &Dress, hidden: OfHidden) -> Result<Vec<Outgoing>, WorkshopError> {
    let mut list = of_body(dress, hidden)?;
    if let Some(mark) = list.first_mut().and_then(|o| o.part.mark.as_mut()) {
        dress.said.mark(mark, &dress.body.skeleton);
    }
    let worn = dress.pieces.iter().enumerate().filter(|(_, p)| !p.cage);
    let worn = worn.map(|(index, piece)| of_piece(dress, hidden, index, piece));
    // A piece of which nothing is seen stays away whole.
    list.extend(worn.filter(|o| !o.part.mesh.triangles.is_empty()));
    let names: Vec<&str> = list.iter().map(|o| o.called.as_str()).collect();
    let names = outgoing_names(&names);
    list.iter_mut().zip(names).for_each(|(o, name)| o.part.name = name);
    Ok(list)
}

fn mark(role: &str) -> Mark {
    Mark { role: role.to_owned(), ..Mark::default() }
}

fn of_body(dress: &Dress, hidden: OfHidden) -> Result<Vec<Outgoing>, WorkshopError> {
    let (body, joints) = (&dress.body, dress.body.skeleton.len());
    let fail = |e: SkinError| WorkshopError::Bind { piece: body.name.clone(), source: e.into() };
    let member = |m: &Member| -> Result<Outgoing, WorkshopError> {
        let whole = m.as_it_came(body, joints).map_err(fail)?;
        let mut out = shown(whole, None, &m.own_faces(dress.masked.faces_of(BODY)), hidden);
        let shells = m.shells_of(&out.part, &out.faces);
        out.part.mark.iter_mut().for_each(|mark| mark.shells.clone_from(&shells));
        (out.from, out.to) = m.vertices(&out.from);
        Ok(out)
    };
    if !body.members.is_empty() {
        let all: Vec<Outgoing> = body.members.iter().map(member).collect::<Result<_, WorkshopError>>()?;
        // A mesh of which nothing is seen stays away whole.
        return Ok(all.into_iter().filter(|o| !o.part.mesh.triangles.is_empty()).collect());
    }
    let whole = MeshPart {
        name: body.name.clone(),
        mesh: body.mesh.clone(),
        skin: Some(body.skin.clone()),
        morphs: body.outgoing_shapes().to_vec(),
        amounts: body.outgoing_amounts(),
        mark: Some(mark("body")),
        look: body.look.clone(),
        ..MeshPart::default()
    };
    Ok(vec![shown(whole, None, dress.masked.faces_of(BODY), hidden)])
}

fn of_piece(dress: &Dress, hidden: OfHidden, index: usize, piece: &Piece) -> Outgoing {
    let body = &dress.body;
    let skin: Option<Skin> = piece.bound.as_ref().map(|b| b.skin.scatter(&piece.topology.weld));
    let own_joints = body.own_joints.iter().filter(|j| j.piece == piece.id);
    let shapes = piece.outgoing_shapes(body);
    let whole = MeshPart {
        name: piece.name.clone(),
        mesh: moved_mesh(piece),
        skin,
        morphs: shapes.iter().map(|m| m.scatter(&piece.topology.weld)).collect(),
        amounts: amounts_at_rest(&shapes, &worn_of(body, piece, &shapes)),
        mark: Some(Mark {
            layer: Some(piece.layer),
            kind: Some(piece.kind),
            ranges: marked_ranges(&piece.limits),
            place: piece.place.map(|p| p.word().to_owned()),
            method: piece.bound.as_ref().map(|b| b.method.clone()),
            joints: own_joints.map(OwnJoint::marked).collect(),
            patches: marked_patches(dress, piece),
            ..mark("piece")
        }),
        look: (*piece.look).clone(),
        ..MeshPart::default()
    };
    shown(whole, Some(index), dress.masked.faces_of(piece.id), hidden)
}

/// What is kept of a piece under names, by its file's own vertices.
fn marked_patches(dress: &Dress, piece: &Piece) -> Vec<MarkedPatch> {
    let kept = dress.said.patches.iter().find(|(id, _)| *id == piece.id);
    let of_vertex = &piece.topology.weld.of_vertex;
    let marked = |patch: &Patch| {
        // One that names what is gone stays away.
        let chosen = Choosing::on(piece, &dress.body).picked(&patch.picks).ok()?;
        let vertices: Vec<u32> =
            (0..of_vertex.len() as u32).filter(|v| chosen[of_vertex[*v as usize] as usize]).collect();
        (!vertices.is_empty()).then(|| MarkedPatch::new(&patch.name, &vertices))
    };
    kept.iter().flat_map(|(_, patches)| patches).filter_map(marked).collect()
}

/// How much a piece wears of its own shapes, and of the body's that it goes along with.
fn worn_of(body: &Body, piece: &Piece, shapes: &[Morph]) -> Vec<f32> {
    let along = |shape: &Morph| {
        let number = body.own_shapes().iter().position(|m| m.name == shape.name);
        number.map_or(0.0, |n| piece.goes_along(n))
    };
    let own = (0..piece.shapes.len()).map(|n| piece.amounts.get(n).copied().unwrap_or(0.0));
    own.chain(shapes[piece.shapes.len()..].iter().map(along)).collect()
}

/// What is there of a part.
fn shown(whole: MeshPart, piece: Option<usize>, masked: &[u32], hidden: OfHidden) -> Outgoing {
    let called = whole.name.clone();
    let all = Kept::all_of(&whole.mesh);
    let (part, kept) = match (masked, hidden) {
        ([], _) => (whole, all),
        (masked, OfHidden::Marked) => {
            let (part, faces) = whole.with_hidden(masked);
            (part, Kept { faces, ..all })
        }
        (masked, OfHidden::LeftOut) => {
            let (mut part, kept) = whole.without(masked);
            let patches = part.mark.iter_mut().flat_map(|mark| &mut mark.patches);
            patches.for_each(|patch| *patch = patch.among(&kept.vertices));
            (part, kept)
        }
    };
    let to = (0..kept.vertices.len() as u32).collect();
    Outgoing { part, called, piece, from: kept.vertices, to, faces: kept.faces }
}

/// The piece's mesh with its vertices where they are now; normals follow, hard edges stay hard.
fn moved_mesh(piece: &Piece) -> Mesh {
    let positions = piece.topology.weld.scatter(&piece.unshaped);
    if positions == piece.mesh.positions {
        return (*piece.mesh).clone();
    }
    Mesh {
        normals: piece.shading.normals(&positions),
        positions,
        triangles: piece.mesh.triangles.clone(),
        polygons: piece.mesh.polygons.clone(),
    }
}

/// The dress as the bytes of one GLB.
///
/// # Errors
/// When it does not fit the format.
pub fn export_glb(dress: &Dress) -> Result<Vec<u8>, WorkshopError> {
    document_glb(&dressed_document(dress, OfHidden::LeftOut)?)
}

/// A document as the bytes of one GLB.
pub fn document_glb(document: &Document) -> Result<Vec<u8>, WorkshopError> {
    Ok(write_glb(&scene_of(document))?)
}

/// A document as a glTF with its buffer and its pictures beside it: names and bytes.
pub fn document_gltf(document: &Document, name: &str) -> Result<Vec<(String, Vec<u8>)>, WorkshopError> {
    Ok(write_gltf(&scene_of(document), name)?)
}

fn scene_of(document: &Document) -> GlbScene<'_> {
    let parts = document
        .meshes
        .iter()
        .enumerate()
        .map(|(i, m)| GlbPart {
            name: &m.name,
            mesh: &m.mesh,
            skin: m.skin.as_ref(),
            morphs: &m.morphs,
            amounts: &m.amounts,
            mark: m.mark.clone(),
            look: &m.look,
            colour: if i == 0 { [0.82, 0.62, 0.45] } else { COLOURS[(i - 1) % COLOURS.len()] },
        })
        .collect();
    GlbScene { parts, skeleton: document.skeleton.as_ref(), clips: &document.clips }
}
