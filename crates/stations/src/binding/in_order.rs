//! Binding pieces in an order in which each comes after those it takes its weights from.

use crate::binding::bind::{as_it_came, bind_piece_to};
use crate::binding::caged::bind_in_cage;
use crate::binding::kept::template_source;
use crate::binding::sources::SourceMesh;
use crate::binding::sources::SourcesOfRoom;
use crate::binding::stiff::{kept_stiff, stiff_as_one, stiffness};
use crate::making::doing::Doing;
use glam::Mat4;
use std::collections::HashMap;
use std::sync::Arc;
use tin_cloak_core::bind::Falloff;
use tin_cloak_core::mesh::Topology;
use tin_cloak_model::dress::body::Body;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::dress::stiff_parts::stiff_shells;
use tin_cloak_model::dress::trials::TrialSet;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::blobs::pack_bound;
use tin_cloak_model::state::bound::Bound;
use tin_cloak_model::state::made_of::{Facet, MadeOf};
use tin_cloak_model::state::names::PieceId;
use tin_cloak_model::state::recipe::{Method, Takes};

impl Doing<'_> {
    /// Binds pieces as the draft has them, each after those it takes its weights from; answers
    /// their names in that order.
    ///
    /// What hangs in a cage that is bound goes along; `done` has weights made earlier in the step.
    pub fn bind_in_order(
        &mut self,
        chosen: Vec<usize>,
        mut done: HashMap<usize, Bound>,
    ) -> Result<Vec<String>, WorkshopError> {
        let (body, trials) = self.drafted_body()?;
        let poses: Vec<Vec<Mat4>> =
            trials.trials.iter().map(|t| body.skeleton.skin_matrices(&t.pose)).collect();
        let mut names = Vec::new();
        let chosen = self.with_hanging(chosen)?;
        let chosen = self.sources_first(chosen)?;
        for (n, &index) in chosen.iter().enumerate() {
            if !self.job.tell(0.3 * n as f32 / chosen.len() as f32) {
                return Err(WorkshopError::Stopped);
            }
            let piece = &self.room.dress.pieces[index];
            let id = self.room.piece_state(index).id;
            let recipe = self.draft.piece(id)?.recipe.clone();
            if recipe.options.method == Method::Came {
                let own: Vec<Falloff> = self.falloffs_of(id, &body, |name| !piece.came_with(name));
                let mut bound = as_it_came(piece, &own, &body, &recipe)?;
                self.clean_again(id, piece, &mut bound, &done, &body, &trials)?;
                self.keep_bound(id, piece, &bound, &body, &trials)?;
                names.push(piece.name.clone());
                done.insert(index, bound);
                continue;
            }
            let source = match &recipe.takes {
                Takes::Template(file) => {
                    let blob = |id: &_| self.draft.blob(self.store, id);
                    let kept = template_source(self.decoder, &blob, file, &body)?;
                    let topology = Topology::of_welded(kept.positions.len(), &kept.triangles);
                    let part = kept.only_part(&body, &piece.name, &recipe.part, &topology)?;
                    part.following(&body, recipe.joints.as_ref())?
                }
                _ => self.room.source_of(&body, index, &recipe, &done)?,
            };
            let own: Vec<Falloff> = self.falloffs_of(id, &body, |_| true);
            let cage = match recipe.takes {
                Takes::Cage(id) => self.room.index_of(id),
                _ => None,
            };
            let mut bound = match cage.map(|i| (i, &self.room.dress.pieces[i])) {
                Some((at, cage)) => {
                    self.tell_outside(id, self.room.piece_state(at).id)?;
                    let known = done.get(&at).or(cage.bound.as_deref());
                    let missing = || WorkshopError::SourceNotBound {
                        piece: piece.name.clone(),
                        from: cage.name.clone(),
                    };
                    let known = known.ok_or_else(missing)?;
                    let part = self.room.part_of(&recipe)?;
                    let mesh = SourceMesh::of_cage(cage, &known.skin);
                    let mesh = mesh.only_part(&body, &piece.name, &part, &cage.topology)?;
                    let (most, joints) = (recipe.options.max_influences, body.skeleton.len());
                    let (bound, off) = bind_in_cage(piece, &mesh, &poses, most, joints)?;
                    self.draft.notes.push(off);
                    bound
                }
                None => {
                    let (bound, seconds) = bind_piece_to(&source, &body, piece, &own, &recipe)?;
                    self.job.was_bound(id, seconds);
                    bound
                }
            };
            if cage.is_some() {
                bound.skin = stiff_as_one(&source, &body, piece, &recipe, &bound.skin)?;
            }
            let (skin, note) = kept_stiff(&body, piece, &recipe, &bound.skin, &poses)?;
            bound.skin = skin;
            self.draft.notes.extend(note);
            self.clean_again(id, piece, &mut bound, &done, &body, &trials)?;
            self.keep_bound(id, piece, &bound, &body, &trials)?;
            names.push(piece.name.clone());
            done.insert(index, bound);
        }
        Ok(names)
    }

    /// What the joints of a piece's own take of its cloth, of those that `counts` takes by name.
    fn falloffs_of(&self, id: PieceId, body: &Body, counts: impl Fn(&str) -> bool) -> Vec<Falloff> {
        let own = self.draft.state.joints.iter().filter(|j| j.piece == id && counts(&j.name));
        own.filter_map(|j| j.falloff(&body.skeleton)).collect()
    }

    fn keep_bound(
        &mut self,
        id: PieceId,
        piece: &Piece,
        bound: &Bound,
        body: &Body,
        trials: &TrialSet,
    ) -> Result<(), WorkshopError> {
        self.draft.notes.extend(bind_note(piece, bound, body, trials));
        let blob = self.draft.keep(pack_bound(bound)?);
        let all = &self.draft.state;
        let on = all.body_skin.clone();
        let from = match all.pieces.iter().find(|p| p.id == id).map(|p| (&p.recipe.takes, p.layer)) {
            Some((Takes::Beneath, layer)) => all.beneath(layer).collect(),
            Some((takes, _)) => takes.pieces().to_vec(),
            None => Vec::new(),
        };
        let took = MadeOf::now(all, Facet::Weights, from);
        let state = self.draft.piece(id)?;
        (state.bound, state.bound_on, state.took) = (Some(blob), on, took);
        Ok(())
    }

    /// The chosen pieces, and those bound ones that hang in a cage among them.
    fn with_hanging(&mut self, mut chosen: Vec<usize>) -> Result<Vec<usize>, WorkshopError> {
        for index in 0..self.room.dress.pieces.len() {
            let piece = self.draft.piece(self.room.piece_state(index).id)?;
            let Takes::Cage(cage) = piece.recipe.takes else { continue };
            let of_chosen = self.room.index_of(cage).is_some_and(|c| chosen.contains(&c));
            if of_chosen && piece.bound.is_some() && !chosen.contains(&index) {
                chosen.push(index);
            }
        }
        Ok(chosen)
    }

    /// Binds again what hangs in a cage whose weights were changed to `bound`.
    pub fn bind_hanging(&mut self, cage: PieceId, bound: Bound) -> Result<(), WorkshopError> {
        let index = self.worn_piece(cage)?.0;
        let mut hanging = self.with_hanging(vec![index])?;
        hanging.retain(|i| *i != index);
        if !hanging.is_empty() {
            self.bind_in_order(hanging, HashMap::from([(index, bound)]))?;
        }
        Ok(())
    }

    /// The body and the poses of the draft.
    fn drafted_body(&self) -> Result<(Arc<Body>, Arc<TrialSet>), WorkshopError> {
        let state = &self.draft.state;
        let blob = |id: &_| self.draft.blob(self.store, id);
        let body = self.decoder.body_in_state(self.store, state, &blob)?;
        let trials = self.decoder.trials(self.store, state, &body, &[])?;
        Ok((body, trials))
    }

    /// Pieces in an order in which each comes after those it takes its weights from.
    pub fn sources_first(&mut self, chosen: Vec<usize>) -> Result<Vec<usize>, WorkshopError> {
        let sources: Vec<Vec<usize>> = (0..self.room.dress.pieces.len())
            .map(|i| {
                let takes = self.draft.piece(self.room.piece_state(i).id)?.recipe.takes.clone();
                Ok(self.room.sources_of(i, &takes))
            })
            .collect::<Result<_, WorkshopError>>()?;
        let mut depths: Vec<Option<usize>> = vec![None; sources.len()];
        for &index in &chosen {
            let looped =
                || WorkshopError::TakesFromItself { piece: self.room.dress.pieces[index].name.clone() };
            depth(index, &sources, &mut depths, 0).ok_or_else(looped)?;
        }
        let mut chosen = chosen;
        chosen.sort_by_key(|&i| depths[i]);
        Ok(chosen)
    }

    /// Binds a piece again when it was bound before the step.
    pub(super) fn bind_again(&mut self, piece: PieceId) -> Result<(), WorkshopError> {
        if self.draft.piece(piece)?.bound.is_none() {
            return Ok(());
        }
        let index = self.worn_piece(piece)?.0;
        self.bind_in_order(vec![index], HashMap::new())?;
        Ok(())
    }
}

/// How many pieces stand between one and the body; nothing when it takes from itself in the end.
pub fn depth(
    index: usize,
    sources: &[Vec<usize>],
    known: &mut [Option<usize>],
    above: usize,
) -> Option<usize> {
    if above > sources.len() {
        return None;
    }
    if let Some(depth) = known[index] {
        return Some(depth);
    }
    let mut deepest = 0;
    for &from in &sources[index] {
        deepest = deepest.max(depth(from, sources, known, above + 1)? + 1);
    }
    known[index] = Some(deepest);
    Some(deepest)
}

fn bind_note(piece: &Piece, bound: &Bound, body: &Body, trials: &TrialSet) -> Option<String> {
    let method = Method::of_word(&bound.method);
    let mut said = Vec::new();
    match method {
        _ if bound.method == "stiff" => said.push("moves as one".to_owned()),
        Some(m) if m.fills() => said.push(format!(
            "{:.1} % of its vertices matched, the rest filled in; at most {} joints a vertex",
            bound.matched_share * 100.0,
            bound.skin.max_influences()
        )),
        Some(Method::Came) => {
            let most = bound.skin.max_influences();
            said.push(match most {
                1 => "as it came, one joint a vertex".to_owned(),
                _ => format!("as it came, at most {most} joints a vertex"),
            });
        }
        Some(m) => said.push(format!("by {}", m.sentence())),
        // A cage has told of itself.
        None => {}
    }
    let stiff = stiff_shells(piece);
    if let Some((mm, pose)) = stiffness(piece, &bound.skin, &stiff, body, trials) {
        let count = stiff.iter().filter(|s| **s).count();
        let parts = if count == 1 { "one stiff part".to_owned() } else { format!("{count} stiff parts") };
        let at = if mm >= 0.05 { format!(" at most, in {pose}") } else { String::new() };
        said.push(format!("{parts} out of shape by {mm:.1} mm{at}"));
    }
    (!said.is_empty()).then(|| format!("{}: {}", piece.name, said.join("; ")))
}
