//! Where the joints are in a pose that is looked at.

use crate::looking::view::{ViewOfRoom, ViewRequest};
use glam::Vec3;
use tin_cloak_core::skeleton::Pose;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::error::WorkshopError;

/// Asked of a room: its skeleton as it is drawn.
pub trait JointPlacesOfRoom {
    /// The place of every joint, pieces' own behind the body's, metres.
    ///
    /// # Errors
    /// When the pose or a joint that is turned is not there.
    fn joint_places(&self, request: &ViewRequest) -> Result<Vec<Vec3>, WorkshopError>;
}

impl JointPlacesOfRoom for Room {
    fn joint_places(&self, request: &ViewRequest) -> Result<Vec<Vec3>, WorkshopError> {
        let skeleton = &self.dress.body.skeleton;
        let rest = skeleton.world(&Pose::rest(skeleton.len()));
        let posed = self.posed_by_hand(request)?;
        let place =
            |(rest, moved): (&glam::Mat4, &glam::Mat4)| moved.transform_point3(rest.w_axis.truncate());
        Ok(rest.iter().zip(&posed.pose.matrices).map(place).collect())
    }
}
