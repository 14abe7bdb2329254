//! Steps on the poses and motions that are tried, and on how far joints turn in them.

use crate::making::doing::Doing;
use tin_cloak_core::trial::JointRange;
use tin_cloak_model::dress::motions::{checked_pairs, checked_range, guessed_pairs};
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::fitting::KeptPose;
use tin_cloak_model::state::motion::{set_range, MotionState};
use tin_cloak_model::state::names::{checked_name, FileRef, PieceId};
use tin_cloak_model::state::turn::Turn;
use tin_cloak_store::BlobId;

impl Doing<'_> {
    pub fn keep_pose(&mut self, name: &str, pose: usize, turns: &[Turn]) -> Result<String, WorkshopError> {
        let name = &*checked_name(name)?;
        let pose = self.room.pose_of(pose, turns)?;
        // A pose of that name is kept anew, in its place.
        let kept = KeptPose { name: name.to_owned(), pose };
        match self.draft.state.poses.iter_mut().find(|p| p.name == name) {
            Some(known) => *known = kept,
            None => self.draft.state.poses.push(kept),
        }
        Ok(format!("Keep the pose “{name}”"))
    }

    pub fn drop_pose(&mut self, name: &str) -> Result<String, WorkshopError> {
        let before = self.draft.state.poses.len();
        self.draft.state.poses.retain(|p| p.name != name);
        if self.draft.state.poses.len() == before {
            return Err(WorkshopError::NoSuchPose { pose: name.to_owned() });
        }
        Ok(format!("Drop the pose “{name}”"))
    }

    pub fn add_motion(
        &mut self,
        file: &BlobId,
        file_name: &str,
        name: &str,
    ) -> Result<String, WorkshopError> {
        let source = FileRef { file: file.clone(), file_name: file_name.to_owned(), mesh: name.to_owned() };
        let document = self.decoder.stored(self.store, &source)?;
        let body = &self.room.dress.body;
        let pairs = guessed_pairs(body, file_name, &document)?;
        let all = body.skeleton.len();
        self.draft.notes.push(format!("{} of the body’s {all} joints follow it", pairs.len()));
        self.draft.state.motions.push(MotionState { source, pairs });
        Ok(format!("Try {name}"))
    }

    pub fn match_joints(
        &mut self,
        motion: usize,
        pairs: &[(String, String)],
    ) -> Result<String, WorkshopError> {
        let source = self.draft.motion(motion)?.source.clone();
        let document = self.decoder.stored(self.store, &source)?;
        checked_pairs(&self.room.dress.body, &source.file_name, &document, pairs)?;
        self.draft.motion(motion)?.pairs = pairs.to_vec();
        Ok(format!("Match joints of {}", source.mesh))
    }

    pub fn remove_motion(&mut self, motion: usize) -> Result<String, WorkshopError> {
        let name = self.draft.motion(motion)?.source.mesh.clone();
        self.draft.state.motions.remove(motion);
        Ok(format!("Try {name} no more"))
    }

    pub fn set_range(
        &mut self,
        joint: &str,
        range: Option<JointRange>,
        piece: Option<PieceId>,
    ) -> Result<String, WorkshopError> {
        self.is_joint(joint)?;
        let range = range.map(checked_range).transpose()?;
        let Some(piece) = piece else {
            set_range(&mut self.draft.state.ranges, joint, range);
            return Ok(format!("Set the range of {joint}"));
        };
        let p = self.draft.piece(piece)?;
        set_range(&mut p.limits, joint, range);
        let end = if range.is_some() { "limits" } else { "no longer limits" };
        Ok(format!("{} {end} {joint}", p.name()))
    }
}
