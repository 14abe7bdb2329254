//! A BVH posed, against three.js' own loader: every joint of a figure whose joints turn in six orders, in each of
//! four frames. `reference/bvh.json` was made by `reference/bvh.mjs`.

use std::collections::BTreeMap;
use tin_cloak_core::glam::Vec3;
use tin_cloak_formats::{read, Companions};

#[test]
fn joints_are_where_another_loader_puts_them() {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/suite/reference/");
    let bytes = std::fs::read(format!("{folder}lamplighter.bvh")).unwrap();
    let theirs: Vec<BTreeMap<String, [f32; 3]>> =
        serde_json::from_slice(&std::fs::read(format!("{folder}bvh.json")).unwrap()).unwrap();
    let read = read("lamplighter.bvh", &bytes, &Companions::new()).unwrap();
    let skeleton = read.skeleton.unwrap();
    let frames = read.clips[0].frames(&skeleton, theirs.len());
    for (frame, (pose, wanted)) in frames.iter().zip(&theirs).enumerate() {
        assert!((pose.time - frame as f32 * 0.04).abs() < 1e-5);
        let world = skeleton.world(&pose.pose);
        for (name, at) in wanted {
            let joint = skeleton.find(name).unwrap();
            // The file is in centimetres.
            let off = world[joint.index()].w_axis.truncate().distance(Vec3::from_array(*at) * 0.01);
            assert!(off < 1e-4, "{name} in frame {frame}: {off} m");
        }
    }
    assert_eq!(theirs[0].len(), 12);
}
