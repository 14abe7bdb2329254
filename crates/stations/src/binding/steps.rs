//! Steps that say how pieces are bound.

use crate::binding::sources::allowed_joints;
use crate::binding::sources::SourcesOfRoom;
use crate::making::doing::Doing;
use std::collections::HashMap;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::names::PieceId;
use tin_cloak_model::state::recipe::{
    BindOptions, CamePair, FollowWish, JointChoice, Method, Recipe, SideWish, SourcePart, Takes,
};

impl Doing<'_> {
    pub fn bind(&mut self, pieces: &[PieceId]) -> Result<String, WorkshopError> {
        let chosen = self.chosen_pieces(pieces)?;
        if chosen.is_empty() {
            return Err(WorkshopError::NothingToBind);
        }
        let names = self.bind_in_order(chosen, HashMap::new())?;
        Ok(format!("Bind {}", names.join(", ")))
    }

    /// Changes a piece's recipe and binds it again; answers its name.
    fn with_recipe(
        &mut self,
        piece: PieceId,
        change: impl FnOnce(&mut Recipe),
    ) -> Result<String, WorkshopError> {
        let name = self.worn_piece(piece)?.1.name.clone();
        change(&mut self.draft.piece(piece)?.recipe);
        self.bind_again(piece)?;
        Ok(name)
    }

    pub fn choose_method(&mut self, piece: PieceId, options: &BindOptions) -> Result<String, WorkshopError> {
        options.checked()?;
        let name = self.with_recipe(piece, |r| r.options = options.clone())?;
        let apart = options.apart_mm.map_or(String::new(), |mm| format!(", sides apart over {mm} mm"));
        Ok(format!("Bind {name} by {}{apart}", options.method.sentence()))
    }

    pub fn match_came(&mut self, piece: PieceId, pairs: &[CamePair]) -> Result<String, WorkshopError> {
        let worn = self.worn_piece(piece)?.1;
        let without = || WorkshopError::CameWithout { piece: worn.name.clone() };
        let came = worn.came.clone().ok_or_else(without)?;
        // Refused before anything is changed when a joint is not there.
        came.on(&self.room.dress.body.skeleton, pairs, &worn.name)?;
        let known = |own: &String| came.skeleton.find(own).is_some();
        if let Some((own, _)) = pairs.iter().find(|p| !known(&p.0)) {
            return Err(WorkshopError::NoSuchJoint { joint: own.clone() });
        }
        self.draft.piece(piece)?.recipe.came = pairs.to_vec();
        self.draft.piece(piece)?.recipe.options.method = Method::Came;
        let index = self.worn_piece(piece)?.0;
        self.bind_in_order(vec![index], HashMap::new())?;
        Ok(format!("Match the joints that {} came with", self.draft.piece(piece)?.name()))
    }

    pub fn follow(
        &mut self,
        piece: PieceId,
        shell: Option<u32>,
        follow: &FollowWish,
    ) -> Result<String, WorkshopError> {
        let parts = self.worn_piece(piece)?.1.topology.shells;
        if let Some(shell) = shell.filter(|s| *s as usize >= parts) {
            return Err(WorkshopError::Missing { what: "part", id: i64::from(shell) });
        }
        if let FollowWish::Joint(joint) = follow {
            let missing = || WorkshopError::NoSuchJoint { joint: joint.clone() };
            self.room.dress.body.skeleton.find(joint).ok_or_else(missing)?;
        }
        let name = self.with_recipe(piece, |r| {
            r.leave_came();
            // Said of all of it, it holds for every part.
            r.follows.retain(|f| shell.is_some() && f.0 != shell);
            r.follows.push((shell, follow.clone()));
            r.follows.sort_by_key(|f| f.0);
        })?;
        let part = shell.map_or(String::new(), |s| format!("part {} of ", s + 1));
        Ok(match follow {
            FollowWish::Main => format!("Let {part}{name} follow the joint beneath"),
            FollowWish::Joint(joint) => format!("Let {part}{name} follow {joint}"),
            FollowWish::Blend => format!("Let {part}{name} follow the blend beneath"),
            FollowWish::Patch => format!("Let {part}{name} follow the cloth beneath"),
        })
    }

    pub fn mark_side(&mut self, piece: PieceId, mark: SideWish) -> Result<String, WorkshopError> {
        let vertices = self.worn_piece(piece)?.1.rest.len();
        if mark.vertex as usize >= vertices {
            return Err(WorkshopError::Missing { what: "vertex", id: i64::from(mark.vertex) });
        }
        if !(1.0..=1000.0).contains(&mark.reach_mm) {
            return Err(WorkshopError::BadBrush);
        }
        let name = self.with_recipe(piece, |r| {
            r.leave_came();
            r.sides.push(mark);
            // Said of a piece whose sides are not kept apart, it means that they shall be.
            r.options.apart_mm.get_or_insert(10.0);
        })?;
        let side = format!("{:?}", mark.side).to_lowercase();
        Ok(format!("{} mm of {name} are of the {side}", mark.reach_mm))
    }

    pub fn clear_sides(&mut self, piece: PieceId) -> Result<String, WorkshopError> {
        let name = self.with_recipe(piece, |r| r.sides.clear())?;
        Ok(format!("Find the sides of {name} anew"))
    }

    pub fn take_from(
        &mut self,
        piece: PieceId,
        takes: &Takes,
        part: &SourcePart,
    ) -> Result<String, WorkshopError> {
        let (index, worn) = self.worn_piece(piece)?;
        let name = worn.name.clone();
        let mut sources = Vec::new();
        for &id in takes.pieces() {
            sources.push(self.worn_piece(id)?.1.name.clone());
        }
        let asked = Recipe { takes: takes.clone(), part: part.clone(), ..Recipe::default() };
        // Refused before anything is changed when there is no such patch.
        self.room.part_of(&asked)?;
        let p = self.draft.piece(piece)?;
        p.recipe.leave_came();
        (p.recipe.takes, p.recipe.part) = (asked.takes, asked.part);
        self.sources_first(vec![index])?;
        if let Takes::Cage(cage) = takes {
            self.tell_outside(piece, *cage)?;
        }
        let weights = self.bound_again(piece)?;
        let source = match takes {
            Takes::Cage(_) => format!("the cage {}", sources.join(", ")),
            Takes::Body => self.room.dress.body.name.clone(),
            Takes::Beneath => "all that lies beneath".to_owned(),
            Takes::Template(file) => format!("the kept binding {}", file.mesh),
            Takes::Pieces(_) => sources.join(", "),
        };
        let only = match part {
            SourcePart::Whole => String::new(),
            SourcePart::Joints(names) => format!(", what {} move", names.join(", ")),
            SourcePart::Shells(list) => format!(", {} of its parts", list.len()),
            SourcePart::Side(side) => format!(", its {} side", format!("{side:?}").to_lowercase()),
            SourcePart::Patch(_) | SourcePart::Vertices(_) => ", a patch of it".to_owned(),
            SourcePart::Kept(name) => format!(", its patch “{name}”"),
        };
        Ok(format!("Let {name} take its weights from {source}{only}{weights}"))
    }

    pub fn choose_joints(
        &mut self,
        piece: PieceId,
        choice: Option<&JointChoice>,
    ) -> Result<String, WorkshopError> {
        let name = self.worn_piece(piece)?.1.name.clone();
        // Refused here rather than when it is bound.
        allowed_joints(&self.room.dress.body, choice)?;
        let p = self.draft.piece(piece)?;
        p.recipe.leave_came();
        p.recipe.joints = choice.cloned();
        let weights = self.bound_again(piece)?;
        let which = match choice {
            Some(JointChoice { only: true, joints }) => format!("{} alone", joints.join(", ")),
            Some(JointChoice { joints, .. }) => format!("all joints but {}", joints.join(", ")),
            None => "all joints that deform".to_owned(),
        };
        Ok(format!("Let {name} follow {which}{weights}"))
    }
}
