//! Steps that clean weights.

use crate::binding::cleaning::cleaned;
use crate::making::doing::Doing;
use std::cell::OnceCell;
use std::collections::HashMap;
use std::sync::Arc;
use tin_cloak_core::skin::Skin;
use tin_cloak_model::dress::beneath::Beneath;
use tin_cloak_model::dress::body::Body;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::dress::trials::TrialSet;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::blobs::{pack_bound, pack_skin};
use tin_cloak_model::state::bound::Bound;
use tin_cloak_model::state::clean::Clean;
use tin_cloak_model::state::clean::Cleaned;
use tin_cloak_model::state::names::{PieceId, BODY};
use tin_cloak_model::state::stroke::Chosen;

impl Doing<'_> {
    pub fn clean(
        &mut self,
        piece: PieceId,
        clean: &Clean,
        chosen: &Chosen,
        locked: &[String],
    ) -> Result<String, WorkshopError> {
        let worn = self.room.weighted(piece)?;
        let (name, index) = (worn.name.clone(), worn.index());
        let old = worn.bound.clone().ok_or(WorkshopError::BindFirst)?;
        let what = Cleaned { clean: clean.clone(), chosen: chosen.clone(), locked: locked.to_vec() };
        let (body, trials) = (&*self.room.dress.body, &*self.room.trials);
        let beneath = |part| self.room.taken_from(index, part);
        let (skin, notes) = cleaned(&worn, &old.skin, &beneath, body, trials, &what)?;
        self.draft.notes.extend(notes);
        if piece == BODY {
            self.only_its_own_joints(&skin)?;
            self.draft.state.body_by_hand = true;
            self.set_body_skin(&skin)?;
            return Ok(clean.sentence(&name));
        }
        let bound = Bound { skin, ..(*old).clone() };
        let blob = self.draft.keep(pack_bound(&bound)?);
        let p = self.draft.piece(piece)?;
        p.bound = Some(blob);
        p.cleaned.push(what);
        self.bind_hanging(piece, bound)?;
        Ok(clean.sentence(&name))
    }

    /// The body follows no joint that a piece brought.
    fn only_its_own_joints(&self, skin: &Skin) -> Result<(), WorkshopError> {
        let skeleton = &self.room.dress.body.skeleton;
        let found = self.draft.state.joints.iter().find_map(|own| {
            let joint = skeleton.find(&own.name)?;
            skin.column(joint).iter().any(|w| *w > 0.0).then(|| own.name.clone())
        });
        found.map_or(Ok(()), |joint| Err(WorkshopError::JointOfPiece { joint }))
    }

    /// Other weights for the body.
    pub fn set_body_skin(&mut self, skin: &Skin) -> Result<(), WorkshopError> {
        self.draft.state.body_skin = Some(self.draft.keep(pack_skin(skin)?));
        Ok(())
    }

    pub fn forget_cleaning(&mut self, piece: PieceId) -> Result<String, WorkshopError> {
        let p = self.draft.piece(piece)?;
        let name = p.name().to_owned();
        if p.cleaned.is_empty() {
            return Err(WorkshopError::NothingToClean { piece: name });
        }
        p.cleaned.clear();
        let weights = self.bound_again(piece)?;
        Ok(format!("Forget what was cleaned on {name}{weights}"))
    }

    /// Does again on fresh weights what was cleaned on a piece. What cannot be done is said.
    pub(super) fn clean_again(
        &mut self,
        id: PieceId,
        piece: &Piece,
        bound: &mut Bound,
        done: &HashMap<usize, Bound>,
        body: &Body,
        trials: &TrialSet,
    ) -> Result<(), WorkshopError> {
        let made = OnceCell::new();
        let dress = &self.room.dress;
        let of = |index| Beneath::of_part(dress, body, index, done).map(Arc::new);
        let beneath = |part| match part {
            None => {
                let make = |index| Arc::new(Beneath::new(dress, body, index, done));
                Some(Arc::clone(made.get_or_init(|| make(self.room.index_of(id).unwrap_or(0)))))
            }
            Some(BODY) => of(None),
            Some(part) => of(Some(self.room.index_of(part)?)),
        };
        let mut notes = Vec::new();
        for what in self.draft.piece(id)?.cleaned.clone() {
            match cleaned(piece, &bound.skin, &beneath, body, trials, &what) {
                Ok((skin, _)) => {
                    bound.skin = skin;
                    notes.push(format!("again: {}", what.clean.sentence(&piece.name)));
                }
                Err(WorkshopError::NothingToClean { .. }) => {}
                Err(why) => {
                    let note = format!("not done again: {}: {why}", what.clean.sentence(&piece.name));
                    notes.push(note);
                }
            }
        }
        self.draft.notes.extend(notes);
        Ok(())
    }
}
