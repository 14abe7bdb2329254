//! Steps that add rows of vertices to a piece, where it is too coarse for a bend.

use crate::making::doing::Doing;
use glam::Vec3;
use std::collections::HashSet;
use tin_cloak_core::bind::clean::{mirror_image, NO_IMAGE};
use tin_cloak_core::choose::listed;
use tin_cloak_core::deform::Morph;
use tin_cloak_core::mesh::{crossed_near, vertex_normals, with_rows, Between};
use tin_cloak_core::query::Bvh;
use tin_cloak_model::dress::chosen::Choosing;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::blobs::{pack_bound, pack_edges, pack_positions};
use tin_cloak_model::state::bound::Bound;
use tin_cloak_model::state::choice::{Pick, What};
use tin_cloak_model::state::fitting::AddedRows;
use tin_cloak_model::state::names::PieceId;
use tin_cloak_model::state::placing::RowsAlong;
use tin_cloak_model::state::stroke::Chosen;
use tin_cloak_store::BlobId;

/// So many rows at once.
pub const MOST_ROWS: usize = 4;

impl Doing<'_> {
    pub fn add_rows(
        &mut self,
        piece: PieceId,
        at: &Chosen,
        rows: usize,
        along: RowsAlong,
    ) -> Result<String, WorkshopError> {
        if !(1..=MOST_ROWS).contains(&rows) {
            return Err(WorkshopError::BadRows { most: MOST_ROWS });
        }
        if along.at_percent.is_some_and(|at| !(1..=99).contains(&at) || rows > 1) {
            return Err(WorkshopError::BadRowPlace);
        }
        let (index, worn) = self.worn_piece(piece)?;
        let before = worn.clone();
        let name = before.name.clone();
        let chosen = listed(&Choosing::on(&before, &self.room.dress.body).chosen(at)?);
        let edge = match chosen.as_slice() {
            [a, b] if before.topology.neighbours.row(*a as usize).contains(b) => [*a, *b],
            _ => return Err(WorkshopError::NoEdgeChosen { piece: name }),
        };
        let reach = along.reach.unwrap_or(usize::MAX);
        let mut crossed = crossed_near(&before.mesh, &before.topology.weld, edge, reach);
        if crossed.is_empty() {
            return Err(WorkshopError::NoEdgeChosen { piece: name });
        }
        if along.both_sides {
            let other =
                mirrored_edge(&before, edge).ok_or(WorkshopError::NoEdgeThere { piece: name.clone() })?;
            let known: HashSet<[u32; 2]> = crossed.iter().map(sorted).collect();
            // A row that goes all about has both sides already.
            if !known.contains(&sorted(&other)) {
                let more = crossed_near(&before.mesh, &before.topology.weld, other, reach);
                crossed.extend(more.into_iter().filter(|e| !known.contains(&sorted(e))));
            }
        }
        let added =
            AddedRows { crossed: self.draft.keep(pack_edges(&crossed)), rows, at_percent: along.at_percent };
        let new = with_rows(&before.mesh, &before.topology.weld, &crossed, &added.shares()).welded;
        let mut state = self.room.piece_state(index).clone();
        state.cut.rows.push(added);
        let blob = |id: &BlobId| self.draft.blob(self.store, id);
        let after = self.decoder.piece(&blob, &state)?;
        if after.rest.len() != before.rest.len() + new.len() {
            return Err(WorkshopError::NoRowThere { piece: name });
        }
        let more = More { before: &before, new: &new };
        state.rest = Some(self.draft.keep(pack_positions(&more.places())));
        if state.shapes.is_some() {
            state.shapes = Some(self.draft.keep(pack_positions(&more.offsets_of(&before.shapes))));
        }
        if let Some(carried) = &before.carried {
            state.carried = Some(self.draft.keep(pack_positions(&more.offsets_of(&carried.0))));
        }
        for (corrective, shape) in state.correctives.iter_mut().zip(&before.correctives) {
            let offsets = more.offsets_of(std::slice::from_ref(&**shape));
            corrective.offsets = self.draft.keep(pack_positions(&offsets));
            corrective.amount = 1.0;
        }
        if let Some(bound) = &before.bound {
            state.bound = Some(self.draft.keep(pack_bound(&more.bound(bound))?));
        }
        state.patches.iter_mut().for_each(|patch| more.picks(&mut patch.picks));
        // Its faces have other numbers now: what nobody saw of it is to be found again.
        let masks = self.draft.state.masks.len();
        self.draft.state.masks.retain(|m| m.of != piece);
        if self.draft.state.masks.len() < masks {
            self.draft.notes.push(format!("what was hidden of {name} is back: hide it again (Mending)"));
        }
        *self.draft.piece(piece)? = state;
        self.draft.state.keep_made_of(piece, &self.room.state);
        let faces = after.topology.triangles.len() - before.topology.triangles.len();
        self.draft.notes.push(format!(
            "{name}: {} vertices and {faces} triangles more, across {} edges",
            new.len(),
            crossed.len()
        ));
        let both = if along.both_sides { ", both sides" } else { "" };
        Ok(format!("Add {} to {name}{both}", in_words(rows)))
    }
}

fn sorted([a, b]: &[u32; 2]) -> [u32; 2] {
    [*a.min(b), *a.max(b)]
}

/// The edge whose ends lie nearest to the mirror images of another's, its ends in the same order.
fn mirrored_edge(piece: &Piece, edge: [u32; 2]) -> Option<[u32; 2]> {
    let tree = Bvh::over_points(&piece.rest);
    let image = |v: u32| {
        let there = mirror_image(piece.rest[v as usize], piece.plane);
        tree.closest(there, NO_IMAGE).map(|c| c.triangle)
    };
    let (a, b) = (image(edge[0])?, image(edge[1])?);
    piece.topology.neighbours.row(a as usize).contains(&b).then_some([a, b])
}

/// So many rows.
pub fn in_words(rows: usize) -> String {
    match rows {
        1 => "a row".to_owned(),
        _ => format!("{rows} rows"),
    }
}

/// A piece that gets more vertices: those there are keep their numbers and what they have to the bit.
struct More<'a> {
    before: &'a Piece,
    /// By welded vertices.
    new: &'a [Between],
}

impl More<'_> {
    /// On its surface as it is now, without the shapes that it wears.
    fn places(&self) -> Vec<Vec3> {
        let (now, topology) = (&self.before.unshaped, &self.before.topology);
        let normals = vertex_normals(now, &topology.triangles);
        now.iter().copied().chain(self.new.iter().map(|b| b.on_surface(now, &normals))).collect()
    }

    fn offsets_of(&self, shapes: &[Morph]) -> Vec<Vec3> {
        let with_more = |shape: &Morph| {
            let dense = shape.to_dense(self.before.rest.len());
            let more: Vec<Vec3> = self.new.iter().map(|b| b.mixed(&dense)).collect();
            dense.into_iter().chain(more)
        };
        shapes.iter().flat_map(with_more).collect()
    }

    fn bound(&self, bound: &Bound) -> Bound {
        let is_filled = |v: u32| bound.filled.binary_search(&v).is_ok();
        let first = self.before.rest.len() as u32;
        let between = (first..).zip(self.new).filter(|(_, b)| b.ends.iter().all(|v| is_filled(*v)));
        let filled = bound.filled.iter().copied().chain(between.map(|(v, _)| v)).collect();
        Bound { skin: bound.skin.with_rows_between(self.new), filled, ..bound.clone() }
    }

    /// What lies between two vertices that are chosen by number is chosen, too.
    fn picks(&self, picks: &mut [Pick]) {
        let first = self.before.rest.len() as u32;
        for pick in picks {
            match &mut pick.what {
                What::Vertices(list) => {
                    let within = |b: &Between| b.ends.iter().all(|v| list.contains(v));
                    let more: Vec<u32> =
                        (first..).zip(self.new).filter(|(_, b)| within(b)).map(|(v, _)| v).collect();
                    list.extend(more);
                }
                What::Group(picks) => self.picks(picks),
                _ => {}
            }
        }
    }
}
