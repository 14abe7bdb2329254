//! Steps about joints of the pieces’ own.

use crate::making::doing::Doing;
use tin_cloak_core::JointId;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::blobs::{pack_bound, unpack_bound};
use tin_cloak_model::state::bound::Bound;
use tin_cloak_model::state::names::PieceId;
use tin_cloak_model::state::own_joint::OwnJoint;
use tin_cloak_model::state::recipe::FollowWish;

impl Doing<'_> {
    pub fn add_joint(&mut self, joint: &OwnJoint) -> Result<String, WorkshopError> {
        let name = self.worn_piece(joint.piece)?.1.name.clone();
        let skeleton = &self.room.dress.body.skeleton;
        joint.checked(skeleton)?;
        if skeleton.find(&joint.name).is_some() {
            return Err(WorkshopError::JointThere { joint: joint.name.clone() });
        }
        self.draft.state.joints.push(joint.clone());
        self.bind_again(joint.piece)?;
        Ok(format!("Give {name} the joint {} under {}", joint.name, joint.parent))
    }

    /// The name stays: weights and poses go by it.
    pub fn change_joint(&mut self, joint: &OwnJoint) -> Result<String, WorkshopError> {
        joint.checked(&self.room.dress.body.skeleton)?;
        let at = self.own_joint(&joint.name)?;
        let list = &mut self.draft.state.joints;
        // A joint hangs from one of the body, or from one that was there before it.
        if list.iter().skip(at).any(|j| j.name == joint.parent) {
            return Err(WorkshopError::NoSuchJoint { joint: joint.parent.clone() });
        }
        let piece = list[at].piece;
        list[at] = OwnJoint { piece, ..joint.clone() };
        self.bind_again(piece)?;
        Ok(format!("Set the joint {} anew", joint.name))
    }

    pub fn remove_joint(&mut self, name: &str) -> Result<String, WorkshopError> {
        let at = self.own_joint(name)?;
        self.take_joint_out(at)?;
        Ok(format!("Take out the joint {name}"))
    }

    /// All joints of a piece that is taken off.
    pub fn remove_joints_of(&mut self, piece: PieceId) -> Result<(), WorkshopError> {
        while let Some(at) = self.draft.state.joints.iter().rposition(|j| j.piece == piece) {
            self.take_joint_out(at)?;
        }
        Ok(())
    }

    fn own_joint(&self, name: &str) -> Result<usize, WorkshopError> {
        let at = self.draft.state.joints.iter().position(|j| j.name == name);
        at.ok_or_else(|| WorkshopError::NoSuchJoint { joint: name.to_owned() })
    }

    /// Takes out the own joint at a position: what hangs from it hangs from its parent then, all
    /// weights and kept poses are numbered anew, recipes no longer name it.
    fn take_joint_out(&mut self, at: usize) -> Result<(), WorkshopError> {
        let gone = self.draft.state.joints.remove(at);
        for joint in self.draft.state.joints.iter_mut().filter(|j| j.parent == gone.name) {
            joint.parent.clone_from(&gone.parent);
        }
        let skeleton = &self.room.dress.body.skeleton;
        let of_file =
            self.decoder.body(self.store, &self.room.state.body, &self.room.state.body_parts)?.skeleton.len();
        // Joints taken out earlier in the same step stood further back.
        let number = skeleton.find(&gone.name).map_or(skeleton.len(), JointId::index);
        if number < of_file {
            // The body has it from its file: it stays, and is the body's now.
            return Ok(());
        }
        let parent = skeleton.find(&gone.parent).unwrap_or(JointId(0));
        let not_of_file = |j: &&OwnJoint| skeleton.find(&j.name).is_none_or(|j| j.index() >= of_file);
        let total = of_file + self.draft.state.joints.iter().filter(not_of_file).count();
        let renumbered = |j: JointId| match j.index() {
            j if j == number => parent,
            j if j > number => JointId(j as u16 - 1),
            _ => j,
        };
        for i in 0..self.draft.state.pieces.len() {
            let Some(id) = self.draft.state.pieces[i].bound.clone() else { continue };
            let bound: Bound = unpack_bound(&self.draft.blob(self.store, &id)?)?;
            if bound.skin.joints().iter().any(|&j| usize::from(j) >= number) {
                let fail = |e: tin_cloak_core::skin::SkinError| WorkshopError::Bind {
                    piece: self.draft.state.pieces[i].name().to_owned(),
                    source: e.into(),
                };
                let skin = bound.skin.renumbered(renumbered, total).map_err(fail)?;
                let blob = self.draft.keep(pack_bound(&Bound { skin, ..bound })?);
                self.draft.state.pieces[i].bound = Some(blob);
            }
        }
        for kept in &mut self.draft.state.poses {
            if number < kept.pose.rotations.len() {
                kept.pose.rotations.remove(number);
                kept.pose.translations.remove(number);
                if number < kept.pose.scales.len() {
                    kept.pose.scales.remove(number);
                }
            }
        }
        for piece in &mut self.draft.state.pieces {
            let named = |f: &FollowWish| matches!(f, FollowWish::Joint(n) if *n == gone.name);
            piece.recipe.follows.retain(|f| !named(&f.1));
            if let Some(choice) = &mut piece.recipe.joints {
                choice.joints.retain(|n| *n != gone.name);
            }
            piece.recipe.joints = piece.recipe.joints.take().filter(|c| !c.joints.is_empty());
            for end in &mut piece.recipe.options.ends {
                *end = end.take().filter(|n| *n != gone.name);
            }
            piece.limits.retain(|l| l.joint != gone.name);
        }
        self.draft.state.ranges.retain(|r| r.joint != gone.name);
        self.draft.state.roles.retain(|r| r.0 != gone.name);
        Ok(())
    }
}
