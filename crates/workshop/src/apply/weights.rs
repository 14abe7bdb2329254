//! Steps that bind pieces and push them out.

use super::{Doing, Phase};
use crate::binding::{bind_piece_to, weights_to_give, JointChoice};
use crate::cleaning::{cleaned, Clean};
use crate::rooms::{pack_bound, pack_positions};
use crate::steps::{Chosen, PieceId};
use crate::{mend, BindOptions, Bound, MendOptions, Piece, WorkshopError};
use std::collections::HashMap;

impl Doing<'_> {
    pub fn bind(&mut self, pieces: &[PieceId], options: BindOptions) -> Result<String, WorkshopError> {
        let chosen = self.chosen_pieces(pieces)?;
        if chosen.is_empty() {
            return Err(WorkshopError::NothingToBind);
        }
        let mut names = Vec::new();
        let mut done: HashMap<PieceId, Bound> = HashMap::new();
        for (n, &index) in self.sources_first(chosen).iter().enumerate() {
            if !self.job.tell(0.3 * n as f32 / self.room.dress.pieces.len() as f32) {
                return Err(WorkshopError::Stopped);
            }
            let (body, piece) = (&self.room.dress.body, &self.room.dress.pieces[index]);
            let state = self.room.piece_state(index);
            let source =
                state.from.and_then(|id| Some((id, &self.room.dress.pieces[self.room.index_of(id)?])));
            let (bound, _) = match source {
                Some((id, from)) => {
                    let known = done.get(&id).or(from.bound.as_ref());
                    let skin = &known
                        .ok_or_else(|| WorkshopError::SourceNotBound {
                            piece: piece.name.clone(),
                            from: from.name.clone(),
                        })?
                        .skin;
                    let side = &from.walls().outside().topology;
                    bind_piece_to((&from.rest, &side.triangles, skin), &body.skeleton, piece, options)?
                }
                None => {
                    let skin = weights_to_give(body, state.joints.as_ref())?;
                    let surface = (body.rest.as_slice(), body.topology.triangles.as_slice(), &skin);
                    bind_piece_to(surface, &body.skeleton, piece, options)?
                }
            };
            self.draft.notes.push(bind_note(piece, &bound));
            let blob = self.draft.keep(pack_bound(&bound)?);
            self.draft.piece(state.id)?.bound = Some(blob);
            names.push(piece.name.clone());
            done.insert(state.id, bound);
        }
        Ok(format!("Bind {}", names.join(", ")))
    }

    /// Pieces in an order in which each comes after the one it takes its weights from.
    fn sources_first(&self, mut chosen: Vec<usize>) -> Vec<usize> {
        let above = |index: &usize| {
            let up = |&i: &usize| self.room.index_of(self.room.piece_state(i).from?);
            std::iter::successors(Some(*index), up).take(self.room.dress.pieces.len()).count()
        };
        chosen.sort_by_key(above);
        chosen
    }

    pub fn take_from(&mut self, piece: PieceId, from: Option<PieceId>) -> Result<String, WorkshopError> {
        let name = self.worn_piece(piece)?.1.name.clone();
        let source = match from {
            Some(id) => self.worn_piece(id)?.1.name.clone(),
            None => self.room.dress.body.name.clone(),
        };
        let of = |id: &PieceId| self.room.state.pieces.iter().find(|p| p.id == *id)?.from;
        let all = self.room.state.pieces.len() + 1;
        if std::iter::successors(from, of).take(all).any(|id| id == piece) {
            return Err(WorkshopError::TakesFromItself { piece: name });
        }
        let p = self.draft.piece(piece)?;
        (p.from, p.bound) = (from, None);
        Ok(format!("Let {name} take its weights from {source}"))
    }

    pub fn choose_joints(
        &mut self,
        piece: PieceId,
        choice: Option<&JointChoice>,
    ) -> Result<String, WorkshopError> {
        let name = self.worn_piece(piece)?.1.name.clone();
        // Refused here rather than when it is bound.
        weights_to_give(&self.room.dress.body, choice)?;
        let p = self.draft.piece(piece)?;
        (p.joints, p.bound) = (choice.cloned(), None);
        Ok(match choice {
            Some(JointChoice { only: true, joints }) => {
                format!("Let {name} follow {} alone", joints.join(", "))
            }
            Some(JointChoice { joints, .. }) => {
                format!("Let {name} follow all joints but {}", joints.join(", "))
            }
            None => format!("Let {name} follow all joints that deform"),
        })
    }

    pub fn clean(
        &mut self,
        piece: PieceId,
        clean: &Clean,
        chosen: &Chosen,
        locked: &[String],
    ) -> Result<String, WorkshopError> {
        let (index, worn) = self.worn_piece(piece)?;
        let (name, old) = (worn.name.clone(), worn.bound.clone());
        let (skin, notes) = cleaned(self.room, index, clean, chosen, locked)?;
        let bound = Bound { skin, ..old.ok_or(WorkshopError::BindFirst)? };
        self.draft.notes.extend(notes);
        let blob = self.draft.keep(pack_bound(&bound)?);
        self.draft.piece(piece)?.bound = Some(blob);
        Ok(clean.sentence(&name))
    }

    pub fn push_out(&mut self, pieces: &[PieceId], options: MendOptions) -> Result<String, WorkshopError> {
        let dress = &self.room.dress;
        let mut bound = self.chosen_pieces(pieces)?;
        bound.retain(|&i| dress.pieces[i].bound.is_some());
        if bound.is_empty() {
            return Err(WorkshopError::BindFirst);
        }
        let phase = Phase { job: self.job, from: 0.0, to: 0.85 };
        let outcome = mend(dress, &bound, &self.room.trials, options, &|s| phase.tell(s))?;
        for (index, rest) in outcome.rest.iter().enumerate() {
            if let Some(rest) = rest {
                let blob = self.draft.keep(pack_positions(rest));
                self.draft.piece(self.room.piece_state(index).id)?.rest = Some(blob);
            }
        }
        self.draft.notes.extend(outcome.notes);
        let names: Vec<&str> = bound.iter().map(|&i| dress.pieces[i].name.as_str()).collect();
        Ok(format!("Push out {}", names.join(", ")))
    }
}

fn bind_note(piece: &Piece, bound: &Bound) -> String {
    match bound.method.as_str() {
        "stiff" => format!("{}: moves as one with a single joint", piece.name),
        "inpaint" => format!(
            "{}: {:.1} % of its vertices matched the skin, the rest filled in; at most {} joints a vertex",
            piece.name,
            bound.matched_share * 100.0,
            bound.skin.max_influences()
        ),
        method => format!("{}: by nearest {method}", piece.name),
    }
}
