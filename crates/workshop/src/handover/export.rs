//! Handing over: one GLB with the body, the skeleton and all pieces.

use crate::dress::dressed::Dress;
use crate::dress::piece::Piece;
use crate::dress::said::marked_ranges;
use crate::error::WorkshopError;
use crate::state::names::BODY;
use crate::state::own_joint::OwnJoint;
use tin_cloak_core::mesh::Mesh;
use tin_cloak_core::skin::{Skin, SkinError};
use tin_cloak_formats::{write_glb, Document, GlbPart, GlbScene, Mark, MeshPart};

/// Colours of the pieces in the file, linear; taken in turn.
const COLOURS: [[f32; 3]; 5] =
    [[0.52, 0.44, 0.30], [0.14, 0.11, 0.09], [0.42, 0.45, 0.48], [0.20, 0.28, 0.30], [0.35, 0.16, 0.10]];

/// The dress as a document: every mesh at rest with its weights and marks. Pieces that are not
/// bound yet go out unskinned. What nobody sees is left out; a body of several meshes goes out as it came.
///
/// # Errors
/// Never in practice: the weights of the body are sound.
pub fn dressed_document(dress: &Dress) -> Result<Document, WorkshopError> {
    let body = &dress.body;
    let mark = |role: &str| Mark { role: role.to_owned(), ..Mark::default() };
    let joints = body.skeleton.len();
    let fail = |e: SkinError| WorkshopError::Bind { piece: body.name.clone(), source: e.into() };
    let came = body.members.iter().map(|m| m.as_it_came(&body.skin, joints).map_err(fail));
    let mut meshes: Vec<MeshPart> = came.collect::<Result<_, _>>()?;
    if body.members.is_empty() {
        let whole = MeshPart {
            name: body.name.clone(),
            mesh: body.mesh.clone(),
            skin: Some(body.skin.clone()),
            morphs: body.own_shapes().to_vec(),
            amounts: body.amounts.clone(),
            mark: Some(mark("body")),
            look: body.look.clone(),
            ..MeshPart::default()
        };
        meshes.push(shown(whole, dress.masked.of(BODY)));
    }
    if let Some(mark) = meshes.first_mut().and_then(|m| m.mark.as_mut()) {
        dress.said.mark(mark, &body.skeleton);
    }
    for piece in dress.pieces.iter().filter(|p| !p.cage) {
        let skin: Option<Skin> = piece.bound.as_ref().map(|b| b.skin.scatter(&piece.topology.weld));
        let method = piece.bound.as_ref().map(|b| b.method.clone());
        let whole = MeshPart {
            name: piece.name.clone(),
            mesh: moved_mesh(piece),
            skin,
            morphs: piece.outgoing_shapes(body).iter().map(|m| m.scatter(&piece.topology.weld)).collect(),
            amounts: piece.amounts.clone(),
            mark: Some(Mark {
                layer: Some(piece.layer),
                kind: Some(piece.kind),
                ranges: marked_ranges(&piece.limits),
                place: piece.place.map(|p| p.word().to_owned()),
                method,
                joints: body
                    .own_joints
                    .iter()
                    .filter(|j| j.piece == piece.id)
                    .map(OwnJoint::marked)
                    .collect(),
                ..mark("piece")
            }),
            look: (*piece.look).clone(),
            ..MeshPart::default()
        };
        meshes.push(shown(whole, dress.masked.of(piece.id)));
    }
    let (skeleton, clips) = (Some(body.skeleton.clone()), body.clips.clone());
    Ok(Document { meshes, skeleton, clips, ..Document::default() })
}

/// What is there of a part.
fn shown(whole: MeshPart, masked: &[u32]) -> MeshPart {
    if masked.is_empty() {
        return whole;
    }
    whole.without(masked).0
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
    document_glb(&dressed_document(dress)?)
}

/// A document as the bytes of one GLB.
pub(crate) fn document_glb(document: &Document) -> Result<Vec<u8>, WorkshopError> {
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
    let scene = GlbScene { parts, skeleton: document.skeleton.as_ref(), clips: &document.clips };
    Ok(write_glb(&scene)?)
}
