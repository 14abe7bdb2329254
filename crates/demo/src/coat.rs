//! The oilskin coat as its maker handed it over: arms 40° below the horizontal, in centimetres.

use crate::body;
use crate::figure;
use crate::remesh::Shape3;
use crate::skeleton::{BodyJoints, BodySide};
use crate::{to_mesh, DemoError};
use glam::{Quat, Vec3};
use tin_cloak_core::bind::{nearest_surface, BindTarget, Source};
use tin_cloak_core::deform::linear_blend;
use tin_cloak_core::mesh::Topology;
use tin_cloak_core::skeleton::Pose;

/// How far below the horizontal the arms were when the coat was made.
const ARMS_BELOW: f32 = 40.0;

/// Made at rest, then posed with the body: what a modeller who works in another pose would have.
pub(crate) fn coat_as_modelled(shape: &Shape3, mut coat: Shape3) -> Result<Shape3, DemoError> {
    let mesh = to_mesh("Wick", shape)?;
    let topology = Topology::new(&mesh);
    let joints = BodyJoints::new();
    let skin = body::weights(&mesh, &topology, &joints);
    let source = Source::new(&mesh.positions, &topology.triangles, &skin, joints.skeleton.len());
    let sewn = to_mesh("coat", &coat)?;
    let cloth = Topology::new(&sewn);
    let weights = nearest_surface(&source, &BindTarget::new(&coat.positions, &cloth))?;
    let matrices = joints.skeleton.skin_matrices(&arms_raised(&joints));
    let rest = coat.positions.clone();
    linear_blend(&rest, &weights, &matrices, &mut coat.positions);
    coat.positions.iter_mut().for_each(|p| *p *= 100.0);
    Ok(coat)
}

fn arms_raised(joints: &BodyJoints) -> Pose {
    let along = (figure::LOWER_ARM - figure::UPPER_ARM).normalize();
    let below = (-along.y).atan2(along.x).to_degrees();
    let raise = (below - ARMS_BELOW).to_radians();
    let mut pose = Pose::rest(joints.skeleton.len());
    for (side, sign) in [(BodySide::Left, 1.0), (BodySide::Right, -1.0)] {
        let turn = Quat::from_axis_angle(Vec3::Z, raise * sign);
        pose.rotations[joints.on(side, "upper_arm").index()] = turn;
    }
    pose
}
