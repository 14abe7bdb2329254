//! Tests of `clearance/never_seen.rs`.

use std::collections::BTreeSet;
use tin_cloak_core::clearance::*;
use tin_cloak_core::mend::TrialPose;
use tin_cloak_core::shapes::{outfit, tube, Arm};

/// What is known from the pose before, or moves as one with the place, spares rays and changes nothing.
#[test]
fn what_is_hidden_in_all_poses_is_what_is_hidden_in_each() {
    let arm = Arm::new();
    let mut outfit =
        outfit(&arm.surface, &[tube(0.055, 0.0, 0.6, 16, 23, 1.0), tube(0.06, 0.1, 0.6, 16, 23, 1.0)]);
    outfit.layers[..2].iter_mut().for_each(|layer| layer.skin = arm.skin.clone().into());
    let pose = |degrees| TrialPose { matrices: arm.bent(degrees), amounts: Vec::new() };
    let poses = [0.0, 20.0, 70.0, -30.0].map(pose);
    let places = &outfit.layers[0].topology.triangles;
    let at = [LookingAt { of: 0, places, by: &[1, 2], through: &[] }];
    let unseen = |poses: &[TrialPose]| -> BTreeSet<LookedAt> {
        let lists = never_seen(&outfit, &at, poses, &|_| true);
        lists.into_iter().flatten().flatten().map(|(place, _)| place).collect()
    };
    let in_each = poses.iter().map(|pose| unseen(std::slice::from_ref(pose)));
    let in_each = in_each.reduce(|a, b| &a & &b).unwrap_or_default();
    assert_eq!(unseen(&poses), in_each);
    assert!(in_each.len() > places.len() / 3 && in_each.len() < unseen(&poses[..1]).len());
}
