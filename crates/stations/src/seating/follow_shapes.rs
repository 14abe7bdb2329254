//! Pieces that follow the shapes of the body.

use crate::making::doing::{Doing, Phase};
use crate::seating::ground::Ground;
use glam::Vec3;
use std::collections::HashMap;
use std::sync::Arc;
use tin_cloak_core::bind::BindTarget;
use tin_cloak_core::seat::{carry_shapes, OnTop};
use tin_cloak_core::units::{from_mm, to_mm};
use tin_cloak_model::dress::figure_shapes::Carried;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::dress::stiff_parts::rigid_parts;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::blobs::pack_positions;
use tin_cloak_model::state::fitting::PieceState;
use tin_cloak_model::state::made_of::{Facet, MadeOf};
use tin_cloak_model::state::names::{PieceId, BODY};

impl Doing<'_> {
    pub fn follow_shapes(
        &mut self,
        pieces: &[PieceId],
        follow: bool,
        shapes: &[String],
    ) -> Result<String, WorkshopError> {
        let mut chosen = self.chosen_pieces(pieces)?;
        chosen.retain(|&i| !self.room.dress.pieces[i].cage);
        chosen.sort_unstable();
        let names: Vec<&str> = chosen.iter().map(|&i| self.room.dress.pieces[i].name.as_str()).collect();
        let names = names.join(", ");
        if !follow {
            for &index in &chosen {
                self.draft.stay_without_carried(self.room, index)?;
                let state = self.draft.piece(self.room.piece_state(index).id)?;
                (state.carried, state.follows) = (None, Vec::new());
            }
            return Ok(format!("Follow the body’s shapes no longer: {names}"));
        }
        let body = &self.room.dress.body;
        if body.own_shapes().is_empty() {
            return Err(WorkshopError::NoBodyShapes { body: body.name.clone() });
        }
        let known = |name: &&String| body.own_shapes().iter().any(|m| m.name == **name);
        if let Some(shape) = shapes.iter().find(|name| !known(name)) {
            return Err(WorkshopError::NoShapeToFollow { body: body.name.clone(), shape: shape.clone() });
        }
        // From the inside out: what lies beneath has its shapes when the next is to follow it.
        let mut fresh: HashMap<usize, Arc<Carried>> = HashMap::new();
        for (n, &index) in chosen.iter().enumerate() {
            let all = chosen.len() as f32;
            let phase = Phase { job: self.job, from: n as f32 / all, to: (n + 1) as f32 / all };
            if !phase.tell(0.0) {
                return Err(WorkshopError::Stopped);
            }
            let mut carried = self.carried_shapes(index, &fresh)?;
            for (offsets, of_body) in carried.iter_mut().zip(&body.morphs) {
                if !shapes.is_empty() && !shapes.contains(&of_body.name) {
                    offsets.fill(Vec3::ZERO);
                }
            }
            let piece = &self.room.dress.pieces[index];
            self.draft.notes.push(carried_note(piece, &carried));
            let offsets = carried.concat();
            let made = Arc::new(piece.shapes_of_offsets(&offsets));
            // It stays where it is: what the body wears of them is part of its rest.
            let follows = piece.clone().carrying(Some(Arc::clone(&made)), body);
            let bare = follows.moves_along().then(|| follows.without_shapes(&piece.rest));
            let rest = bare.map(|bare| self.draft.keep(pack_positions(&bare)));
            fresh.insert(index, made);
            let blob = self.draft.keep(pack_positions(&offsets));
            let state = self.draft.piece(self.room.piece_state(index).id)?;
            state.carried = Some(blob);
            state.follows = shapes.to_vec();
            state.rest = rest.or(state.rest.take());
        }
        for &index in &chosen {
            let PieceState { id, layer, .. } = *self.room.piece_state(index);
            let parts = self.draft.state.beneath(layer).chain([id, BODY]);
            let carried_on = MadeOf::now(&self.draft.state, Facet::Shape, parts);
            self.draft.piece(id)?.carried_on = carried_on;
        }
        Ok(match shapes {
            [] => format!("Follow the body’s shapes: {names}"),
            some => format!("Follow {} of the body: {names}", some.join(", ")),
        })
    }

    /// What piece `index` does in each of the body's shapes: an offset a vertex.
    fn carried_shapes(
        &self,
        index: usize,
        fresh: &HashMap<usize, Arc<Carried>>,
    ) -> Result<Vec<Vec<Vec3>>, WorkshopError> {
        let dress = &self.room.dress;
        let (piece, body) = (&dress.pieces[index], &dress.body);
        let ground = Ground::beneath(dress, index);
        let followed = |i: usize| {
            let mut piece = dress.pieces[i].clone();
            piece.carried = fresh.get(&i).cloned().or(piece.carried);
            piece.followed(body)
        };
        let shapes = Ground::offsets(dress, index, &followed);
        let target = BindTarget::new(&piece.rest, &piece.topology);
        let rigid = rigid_parts(piece);
        let tolerance = from_mm(self.room.state.tolerance_mm);
        let on_top = OnTop { target: &target, side: &piece.walls().towards_body, rigid: &rigid, tolerance };
        let fail = |source| WorkshopError::Bind { piece: piece.name.clone(), source };
        carry_shapes(on_top, ground.covering(), &shapes).map_err(fail)
    }
}

/// How many of the shapes move it, and how far at most.
fn carried_note(piece: &Piece, carried: &[Vec<Vec3>]) -> String {
    let furthest = |offsets: &Vec<Vec3>| to_mm(offsets.iter().map(|o| o.length()).fold(0.0, f32::max));
    let moves: Vec<f32> = carried.iter().map(furthest).filter(|mm| *mm > 0.01).collect();
    let most = moves.iter().copied().fold(0.0, f32::max);
    if moves.is_empty() {
        return format!("{}: none of the {} shapes moves what it lies on", piece.name, carried.len());
    }
    format!("{}: moved by {} of {} shapes, at most {most:.1} mm", piece.name, moves.len(), carried.len())
}
