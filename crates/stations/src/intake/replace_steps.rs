//! A file that comes back: its mesh takes the place of the one that a piece has, and what was done stays.

use crate::making::doing::Doing;
use crate::making::renumbered::{OtherMesh, Renumbered};
use glam::{Mat3, Vec3};
use rayon::prelude::*;
use tin_cloak_core::intake::{came_back, CameBack, Shape};
use tin_cloak_core::mesh::{Alignment, Topology};
use tin_cloak_core::units::to_mm;
use tin_cloak_formats::MeshPart;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::blobs::{pack_indices, pack_positions, unpack_indices};
use tin_cloak_model::state::fitting::{Cut, PieceState};
use tin_cloak_model::state::names::{FileRef, PieceId};
use tin_cloak_store::BlobId;

/// What lies further off the old surface than this is told, metres.
const FAR: f32 = 0.005;

impl Doing<'_> {
    /// Gives a piece the mesh of another file. Of the same vertices and faces all stays as it is; else by the nearest
    /// point of the old surface, as the file had it, part by part.
    pub fn replace_file(&mut self, piece: PieceId, source: FileRef) -> Result<String, WorkshopError> {
        let (index, worn) = self.worn_piece(piece)?;
        let (before, old) = (worn.clone(), self.room.piece_state(index).clone());
        let blob = |id: &BlobId| self.draft.blob(self.store, id);
        let (was, is) =
            (self.decoder.rigged_part(&blob, &old.source)?.0, self.decoder.rigged_part(&blob, &source)?.0);
        let (from, to) = (old.source.file_name.clone(), source.file_name.clone());
        let name = before.name.clone();
        // It is called as it was, whatever its mesh is called now.
        let own_name = (source.mesh != name).then(|| name.clone());
        let state = PieceState { source, own_name, ..old.clone() };
        let blob = |id: &BlobId| self.draft.blob(self.store, id);
        let after = self.decoder.piece(&blob, &state)?;
        // Places that were one may have come apart: then vertices have other numbers.
        let same_welds = after.topology.weld.of_vertex == before.topology.weld.of_vertex;
        if is_alike(&was, &is) && same_welds {
            self.replace_alike(&before, &after, state)?;
        } else {
            self.replace_otherwise(&before, state, (&was, &is))?;
        }
        Ok(match from == to {
            true => format!("Replace the file of {name}"),
            false => format!("Replace the file of {name}: {from} by {to}"),
        })
    }

    /// Vertices have the numbers that they had: what was moved is moved by as much.
    fn replace_alike(
        &mut self,
        before: &Piece,
        after: &Piece,
        state: PieceState,
    ) -> Result<(), WorkshopError> {
        let (was, is) = (as_filed(before), as_filed(after));
        let moved = was.iter().zip(&is).filter(|(a, b)| a.distance(**b) > 1e-6).count();
        let (id, name) = (state.id, before.name.clone());
        let rest: Vec<Vec3> =
            before.unshaped.iter().zip(was.iter().zip(&is)).map(|(now, (a, b))| *now + (*b - *a)).collect();
        let rest = state.rest.is_some().then(|| self.draft.keep(pack_positions(&rest)));
        *self.draft.piece(id)? = PieceState { rest, ..state };
        self.draft.state.keep_made_of(id, &self.room.state);
        self.draft.notes.push(match moved {
            0 => format!("{name}: the same vertices in the same places: all of it stays"),
            n => format!("{name}: the same vertices, {n} of them elsewhere: all that was done stays"),
        });
        Ok(())
    }

    fn replace_otherwise(
        &mut self,
        before: &Piece,
        mut state: PieceState,
        (was, is): (&MeshPart, &MeshPart),
    ) -> Result<(), WorkshopError> {
        let name = before.name.clone();
        if !state.cut.rows.is_empty() {
            self.draft
                .notes
                .push(format!("{name}: rows that were added are of the old mesh: add them again"));
        }
        let left_out = state.cut.left_out.take();
        state.cut = Cut { mirrored: state.cut.mirrored, ..Cut::default() };
        if let Some(id) = left_out {
            let old = unpack_indices(&self.draft.blob(self.store, &id)?);
            let faces = faces_there(was, is, &old);
            self.draft.notes.push(format!(
                "{name}: {} faces are left out, where {} were",
                faces.len(),
                old.len()
            ));
            state.cut.left_out = (!faces.is_empty()).then(|| self.draft.keep(pack_indices(&faces)));
        }
        let blob = |id: &BlobId| self.draft.blob(self.store, id);
        let after = self.decoder.piece(&blob, &state)?;
        let (old, new) = (as_filed(before), as_filed(&after));
        if new.is_empty() {
            return Err(WorkshopError::NothingNewLeft { piece: name });
        }
        let found = came_back(
            Shape { positions: &old, topology: &before.topology },
            Shape { positions: &new, topology: &after.topology },
        );
        let rest = seated(before, &old, &new, &found);
        let left: Vec<u32> = found.places.iter().map(|p| p.vertex()).collect();
        // Its own shapes are its file's.
        if before.shapes.iter().map(|s| &s.name).ne(after.shapes.iter().map(|s| &s.name)) {
            (state.shapes, state.amounts) = (None, Vec::new());
            self.draft
                .notes
                .push(format!("{name}: its own shapes are those of the new file, none of them worn"));
        }
        let masks = self.draft.state.masks.len();
        let other = Some(OtherMesh { places: &found.places, rest: &rest });
        self.renumber(state, &Renumbered { before, after: &after, left: &left, other })?;
        if self.draft.state.masks.len() < masks {
            self.draft.notes.push(format!("what was hidden of {name} is back: hide it again (Mending)"));
        }
        self.draft.notes.extend(told(&name, before, &found));
        Ok(())
    }
}

fn is_alike(was: &MeshPart, is: &MeshPart) -> bool {
    was.mesh.positions.len() == is.mesh.positions.len() && was.mesh.triangles == is.mesh.triangles
}

/// Where its file has its welded vertices.
fn as_filed(piece: &Piece) -> Vec<Vec3> {
    piece.topology.weld.gather(&piece.mesh.positions)
}

/// The faces of a mesh that lie where some of another did.
fn faces_there(was: &MeshPart, is: &MeshPart, faces: &[u32]) -> Vec<u32> {
    use tin_cloak_core::query::Bvh;
    let tree = Bvh::build(&was.mesh.positions, &was.mesh.triangles);
    let there = |f: &u32| {
        let middle: Vec3 =
            is.mesh.triangles[*f as usize].iter().map(|v| is.mesh.positions[*v as usize]).sum::<Vec3>() / 3.0;
        let hit = tree.closest(middle, f32::INFINITY);
        hit.is_some_and(|h| faces.binary_search(&h.triangle).is_ok())
    };
    (0..is.mesh.triangles.len() as u32).into_par_iter().filter(there).collect()
}

/// Where the new vertices are at rest: moved, turned and sized as the old surface was there.
fn seated(before: &Piece, old: &[Vec3], new: &[Vec3], found: &CameBack) -> Vec<Vec3> {
    let (now, topology) = (&before.unshaped, &before.topology);
    let ring = |v: u32| around(topology, v, old, now);
    let place = |(p, place): (&Vec3, &tin_cloak_core::intake::OldPlace)| {
        let off = found.frame.transform_point3(*p) - place.mixed(old);
        place.mixed(now) + ring(place.vertex()) * off
    };
    new.par_iter().zip(&found.places).with_min_len(64).map(place).collect()
}

/// The turn and size of a vertex's surroundings.
fn around(topology: &Topology, v: u32, from: &[Vec3], to: &[Vec3]) -> Mat3 {
    let near = || topology.neighbours.row(v as usize).iter().chain([&v]).map(|n| *n as usize);
    let pick = |list: &[Vec3]| near().map(|n| list[n]).collect::<Vec<_>>();
    let (from, to) = (pick(from), pick(to));
    if from == to {
        return Mat3::IDENTITY;
    }
    let fit = Alignment::between(&from, &to);
    Mat3::from_quat(fit.rotation) * fit.scale
}

/// What came over, and within how many millimetres.
fn told(name: &str, before: &Piece, found: &CameBack) -> Vec<String> {
    let mut off: Vec<f32> = found.places.iter().map(|p| p.off).collect();
    off.sort_by(f32::total_cmp);
    let at = |percent: usize| to_mm(off[(off.len() * percent / 100).min(off.len() - 1)]);
    let mut notes = vec![format!(
        "{name}: {} vertices instead of {}, {:.1} mm off the old surface at 95 %, {:.1} mm at most",
        off.len(),
        before.rest.len(),
        at(95),
        at(100)
    )];
    let scale = found.frame.to_scale_rotation_translation().0.x;
    if (scale - 1.0).abs() > 1e-4 {
        notes.push(format!("{name}: the new file is of another size: taken times {scale}"));
    }
    let far = off.iter().filter(|d| **d > FAR).count();
    if far > 0 {
        notes.push(format!(
            "{name}: {far} vertices lie over {:.0} mm off the old surface: look there",
            to_mm(FAR)
        ));
    }
    notes
}
