//! The proof of a handover: its bytes are read again as a stranger's file, posed, and compared with what is on the
//! screen, vertex by vertex and cell by cell.

use crate::batch::dressed_file::{DressedFile, TrialSays, TrialWish};
use crate::batch::named_file::NamedFile;
use crate::proving::obj_proof::prove_obj;
use crate::proving::on_screen::posed_here;
use glam::{Mat4, Vec3};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::sync::atomic::{AtomicUsize, Ordering};
use tin_cloak_core::clearance::Layer;
use tin_cloak_core::deform::{add_morphs, linear_blend};
use tin_cloak_core::skeleton::{Pose, Skeleton};
use tin_cloak_core::skin::Skin;
use tin_cloak_core::units::to_mm;
use tin_cloak_formats::{Companions, Document, MeshPart};
use tin_cloak_measure::measuring::board::Board;
use tin_cloak_model::dress::body::Body;
use tin_cloak_model::dress::derived::Weighed;
use tin_cloak_model::dress::dressed::Dress;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::dress::trials::{is_of_clip, Trial};
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::names::BODY;
use tin_cloak_stations::handover::export::{export_glb, outgoing, OfHidden, Outgoing};

/// What reading a handed-over file again has shown.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Proof {
    /// In how many poses.
    pub poses: usize,
    /// For each mesh the furthest that any vertex is in the file from where it is on the screen, millimetres.
    pub parts: Vec<(String, f32)>,
    /// As OBJ: in how many poses, and the furthest that any corner of a face is from where it is on the screen,
    /// millimetres.
    #[serde(default)]
    pub obj: (usize, f32),
    /// Cells of the board that were measured of the file.
    pub cells: usize,
    /// How many of them are not as on the screen.
    pub differing: usize,
    /// The first of those, in words.
    pub unlike: Vec<String>,
    /// Names that could not go out as they are, and what they are in the file.
    pub renamed: Vec<(String, String)>,
    /// Size of the file.
    pub bytes: usize,
}

impl Weighed for Proof {
    fn bytes(&self) -> usize {
        (self.parts.len() + self.unlike.len() + self.renamed.len()) * 96
    }
}

/// A vertex may be so far from where it is on the screen, millimetres.
pub const EQUAL_MM: f32 = 0.01;
/// And a cell of the board so much deeper: what is rounded to hundredths, on both sides.
const CELL_MM: f32 = 0.021;
/// So many cells that are not alike are told.
const TOLD: usize = 8;

impl Proof {
    /// The largest difference of any vertex, millimetres.
    pub fn largest_mm(&self) -> f32 {
        self.parts.iter().map(|p| p.1).fold(0.0, f32::max)
    }

    /// True when the file is what was on the screen.
    pub fn is_equal(&self) -> bool {
        self.largest_mm() < EQUAL_MM && self.obj.1 < EQUAL_MM && self.differing == 0
    }

    /// Size of the file.
    pub fn megabytes(&self) -> f64 {
        self.bytes as f64 * 1e-6
    }

    /// All of it in a sentence.
    pub fn line(&self) -> String {
        let (mm, poses, cells) = (self.largest_mm(), self.poses, self.cells);
        if self.is_equal() {
            let as_obj = match self.obj {
                (0, _) => String::new(),
                (obj, mm) => format!("; as OBJ within {mm:.4} mm in {obj}"),
            };
            return format!(
                "read again: equal within {mm:.4} mm in {poses} poses, {cells} cells alike{as_obj}"
            );
        }
        if self.largest_mm() < EQUAL_MM && self.differing == 0 {
            return format!("read again: equal, but not as OBJ: {:.3} mm at most", self.obj.1);
        }
        let worst = self.parts.iter().max_by(|a, b| a.1.total_cmp(&b.1)).filter(|w| w.1 >= EQUAL_MM);
        let apart =
            worst.map_or("vertices are equal".to_owned(), |w| format!("{mm:.3} mm at most, on {}", w.0));
        format!("read again: not what is on the screen, {apart}; {} cells of {cells} differ", self.differing)
    }
}

/// Makes the file of a room, reads it again, and compares it with the room and its board. `tell` is told the share
/// done, and says whether to go on.
///
/// # Errors
/// [`WorkshopError::Stopped`] when `tell` says no; when our own file cannot be read.
pub fn prove(
    room: &Room,
    board: Option<&Board>,
    tell: &(dyn Fn(f32) -> bool + Sync),
) -> Result<(Vec<u8>, Proof), WorkshopError> {
    let bytes = export_glb(&room.dress)?;
    let proof = Proof::of_bytes(room, &bytes, board, tell)?;
    Ok((bytes, proof))
}

impl Proof {
    /// Of the bytes of a GLB that is said to be the room's.
    ///
    /// # Errors
    /// [`WorkshopError::Stopped`] when `tell` says no; when the file cannot be read.
    pub fn of_bytes(
        room: &Room,
        bytes: &[u8],
        board: Option<&Board>,
        tell: &(dyn Fn(f32) -> bool + Sync),
    ) -> Result<Self, WorkshopError> {
        let name = "the handed-over file";
        let document = tin_cloak_formats::read("handover.glb", bytes, &Companions::new())
            .map_err(|source| WorkshopError::Read { file: name.to_owned(), source })?;
        let ours = outgoing(&room.dress, OfHidden::LeftOut)?;
        let parts = compared(room, &ours, &document, &|s: f32| tell(s * 0.3))?;
        let renamed = ours.iter().filter(|o| o.called != o.part.name);
        let renamed = renamed.map(|o| (o.called.clone(), o.part.name.clone())).collect();
        let obj = prove_obj(room, &ours, board)?;
        let poses = room.trials.trials.len();
        let mut proof = Self { poses, parts, obj, renamed, bytes: bytes.len(), ..Self::default() };
        if let Some(board) = board {
            // Which wall of a piece faces the body is told by all of the body: where faces are left out, the file with
            // all of it is measured, with the same faces left out of what is measured.
            let masked = &room.dress.masked;
            let whole = if masked.count() > 0 { export_glb(&room.dress.whole())? } else { bytes.to_vec() };
            let file = NamedFile { name: name.to_owned(), bytes: whole };
            let wish = TrialWish::Set(room.state.plan.clone());
            let of_piece = |name: &str| {
                let piece = ours.iter().filter(|o| o.part.name == name).find_map(|o| o.piece);
                piece.map_or_else(Vec::new, |p| masked.faces_of(room.dress.pieces[p].id).to_vec())
            };
            let tolerance_mm = Some(room.state.tolerance_mm);
            let says = TrialSays { tolerance_mm, every_pair: true, ..TrialSays::default() };
            let again = DressedFile::open(&file, None, &wish, &says)?;
            let again = again.leaving_out(masked.faces_of(BODY), of_piece)?;
            let theirs = again.board(&|s| tell(0.3 + 0.7 * s))?;
            (proof.cells, proof.differing, proof.unlike) = unlike(board, &theirs, &proof.renamed);
        }
        Ok(proof)
    }
}

/// For each mesh of the file how far any vertex is from where it is in the room, in all trial poses, millimetres.
fn compared(
    room: &Room,
    ours: &[Outgoing],
    file: &Document,
    tell: &(dyn Fn(f32) -> bool + Sync),
) -> Result<Vec<(String, f32)>, WorkshopError> {
    let dress = room.dress.whole();
    let (layers, piece_of) = dress.layers();
    let skeleton = file.skeleton.as_ref().ok_or(WorkshopError::BindFirst)?;
    let here = room.trials.poses(&dress.body);
    let done = AtomicUsize::new(0);
    let in_pose = |pose: usize| -> Result<Vec<f32>, WorkshopError> {
        let trial = &room.trials.trials[pose];
        let there = in_its_clip(&dress.body, file, trial)
            .unwrap_or_else(|| of_file(&dress.body.skeleton, skeleton, &trial.pose));
        let matrices = skeleton.skin_matrices(&there);
        let one = |own: &Outgoing| {
            let Some(layer) = piece_of.iter().position(|p| *p == own.piece) else { return 0.0 };
            let Some(part) = file.meshes.iter().find(|m| m.name == own.part.name) else {
                return f32::INFINITY;
            };
            let own_posed = posed_here(&layers[layer], &here[pose].matrices, &here[pose].amounts);
            let amounts = amounts_of(part, &dress, own, trial, &there, file);
            let Some(theirs) = posed_of(part, &matrices, &amounts) else { return f32::INFINITY };
            furthest_mm(&layers[layer], own, &own_posed, &theirs)
        };
        let far = ours.iter().map(one).collect();
        let share = done.fetch_add(1, Ordering::Relaxed) as f32 / here.len() as f32;
        if tell(share) {
            Ok(far)
        } else {
            Err(WorkshopError::Stopped)
        }
    };
    let all: Vec<Vec<f32>> = (0..here.len()).into_par_iter().map(in_pose).collect::<Result<_, _>>()?;
    let worst = |n: usize| all.iter().map(|far| far[n]).fold(0.0, f32::max);
    let bound = |(_, own): &(usize, &Outgoing)| piece_of.contains(&own.piece);
    Ok(ours.iter().enumerate().filter(bound).map(|(n, o)| (o.part.name.clone(), worst(n))).collect())
}

/// A frame of a clip as the file's own tracks have it; nothing where the trial is no frame of the body's clips as they
/// are.
fn in_its_clip(body: &Body, file: &Document, trial: &Trial) -> Option<Pose> {
    let own = body.clips.iter().find(|c| !trial.is_still && is_of_clip(trial, &c.name))?;
    let as_it_is = own.sample(&body.skeleton, trial.time) == trial.pose;
    let theirs = file.clips.iter().find(|c| c.name == own.name).filter(|_| as_it_is)?;
    Some(theirs.sample(file.skeleton.as_ref()?, trial.time))
}

/// A pose by the joints of another skeleton of the same names.
fn of_file(from: &Skeleton, to: &Skeleton, pose: &Pose) -> Pose {
    let mut there = Pose::rest(to.len());
    for (j, name) in from.names.iter().enumerate() {
        let Some(at) = to.find(name).map(|k| k.index()) else { continue };
        if let (Some(r), Some(t)) = (pose.rotations.get(j), pose.translations.get(j)) {
            (there.rotations[at], there.translations[at]) = (*r, *t);
        }
        if pose.scale(j) != Vec3::ONE {
            there.set_scale(at, to.len(), pose.scale(j));
        }
    }
    there
}

fn posed_of(part: &MeshPart, matrices: &[Mat4], amounts: &[f32]) -> Option<Vec<Vec3>> {
    let mut shaped = part.mesh.positions.clone();
    add_morphs(&mut shaped, &part.morphs, amounts);
    let skin: &Skin = part.skin.as_ref()?;
    let mut posed = vec![Vec3::ZERO; shaped.len()];
    linear_blend(&shaped, skin, matrices, &mut posed);
    Some(posed)
}

/// How much of each of its shapes a mesh of the file has in a pose: as its clip is keyed, else as drivers say; and what
/// the trial calls up besides.
fn amounts_of(
    part: &MeshPart,
    dress: &Dress,
    own: &Outgoing,
    trial: &Trial,
    pose: &Pose,
    file: &Document,
) -> Vec<f32> {
    let worn = |m: usize| part.amounts.get(m).copied().unwrap_or(0.0);
    let clip = (!trial.is_still).then(|| file.clips.iter().find(|c| is_of_clip(trial, &c.name))).flatten();
    let keyed = clip.and_then(|c| c.shapes.iter().find(|s| s.mesh == part.name)).map(|s| s.at(trial.time));
    // Held within its range, a joint calls up less than its clip keys.
    let as_keyed = trial.held.is_empty() && !trial.driven_off;
    let keyed = |m: usize| keyed.as_ref().and_then(|k| k.get(m)).copied();
    let called_up = |m: usize| -> f32 {
        let name = &part.morphs[m].name;
        let here = |(shape, _): &&(usize, f32)| dress.shape_name(*shape, own.piece).as_ref() == Some(name);
        trial.shapes.iter().filter(here).map(|s| s.1).sum()
    };
    let one = |m: usize| match part.morphs[m].driver {
        Some(driver) if as_keyed => keyed(m).unwrap_or_else(|| driver.amount(pose)),
        Some(driver) if trial.driven_off && !driver.is_always() => 0.0,
        Some(driver) => driver.amount(pose),
        None => keyed(m).unwrap_or_else(|| worn(m) + called_up(m)),
    };
    (0..part.morphs.len()).map(one).collect()
}

/// The furthest of the vertices that went out, millimetres.
fn furthest_mm(layer: &Layer, own: &Outgoing, here: &[Vec3], there: &[Vec3]) -> f32 {
    let split = layer.topology.weld.scatter(here);
    let far = |(at, v): (&u32, &u32)| match (split.get(*at as usize), there.get(*v as usize)) {
        // A place that is no number is nowhere near.
        (Some(a), Some(b)) if b.is_finite() => to_mm(a.distance(*b)),
        _ => f32::INFINITY,
    };
    own.from.iter().zip(&own.to).map(far).fold(0.0, f32::max)
}

/// How many cells both boards have, how many are not alike, and the first of those in words.
fn unlike(ours: &Board, theirs: &Board, renamed: &[(String, String)]) -> (usize, usize, Vec<String>) {
    let new: HashMap<&str, &str> = renamed.iter().map(|(a, b)| (a.as_str(), b.as_str())).collect();
    let there = |name: &str| -> String { (*new.get(name).unwrap_or(&name)).to_owned() };
    let rows: HashMap<(String, String), usize> =
        theirs.pairs.iter().enumerate().map(|(r, p)| ((p.outer.clone(), p.inner.clone()), r)).collect();
    let columns: Vec<Option<usize>> =
        ours.poses.iter().map(|p| theirs.poses.iter().position(|q| q.is_that(p))).collect();
    let (mut cells, mut words) = (0, Vec::new());
    for (pose, row, cell) in ours.measured() {
        let pair = &ours.pairs[row];
        let at = rows.get(&(there(&pair.outer), there(&pair.inner)));
        let Some(other) = columns[pose].zip(at).and_then(|(p, r)| theirs.cells[p][*r].as_ref()) else {
            continue;
        };
        cells += 1;
        let apart = (cell.depth_mm() - other.depth_mm()).abs();
        if apart > CELL_MM {
            let (a, b) = (cell.depth_mm(), other.depth_mm());
            words.push(format!(
                "{}, {}: {a:.2} mm here, {b:.2} mm in the file",
                pair.label(),
                ours.poses[pose].name
            ));
        }
    }
    let differing = words.len();
    words.truncate(TOLD);
    (cells, differing, words)
}
