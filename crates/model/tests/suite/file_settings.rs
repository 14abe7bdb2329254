//! Tests of `dress/said.rs`.

use glam::Quat;
use tin_cloak_core::skeleton::LocalTransform;
use tin_cloak_core::skeleton::Skeleton;
use tin_cloak_core::JointId;
use tin_cloak_formats::{Mark, MarkedPose};
use tin_cloak_model::dress::file_settings::*;
use tin_cloak_model::state::names::LONGEST_NAME;

fn posed(name: &str, joint: &str) -> MarkedPose {
    let joints = vec![(joint.to_owned(), [0.0, 0.0, 1.0, 0.0], [0.0; 3])];
    MarkedPose { name: name.to_owned(), joints, sizes: Vec::new() }
}

#[test]
fn a_files_poses_are_bounded_and_told_apart_even_where_joints_share_a_name() {
    let names = ["hip", "knee", "knee"].map(str::to_owned).to_vec();
    let parents = vec![None, Some(JointId(0)), Some(JointId(1))];
    let rest = vec![LocalTransform::IDENTITY; 3];
    let skeleton = Skeleton::at_rest(names, parents, rest).unwrap();
    let mut poses: Vec<_> = (0..2000).map(|n| posed(&format!("pose {n}"), "knee")).collect();
    poses.extend([posed("", "knee"), posed(&"x".repeat(LONGEST_NAME + 1), "knee")]);
    poses.rotate_right(2);
    poses.insert(0, posed("pose 7", "no such joint"));
    let said = FileSettings::of_mark(Some(&Mark { poses, ..Mark::default() }), &skeleton);
    assert_eq!(said.poses.len(), MOST_POSES);
    assert_eq!((said.poses[0].name.as_str(), said.poses[1].name.as_str()), ("pose 7", "pose 0"));
    assert_eq!(said.poses.iter().filter(|p| p.name == "pose 7").count(), 1);
    assert!(said.poses.iter().all(|p| p.pose.rotations.len() == 3));
    let turned = Quat::from_xyzw(0.0, 0.0, 1.0, 0.0);
    assert_eq!(said.poses[1].pose.rotations, [Quat::IDENTITY, turned, Quat::IDENTITY]);
}
