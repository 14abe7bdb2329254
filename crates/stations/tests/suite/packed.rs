//! Tests of `looking/packed.rs`.

use glam::Mat4;
use glam::Vec3;
use tin_cloak_core::mend::TrialPose;
use tin_cloak_stations::looking::packed::*;

fn word(bytes: &[u8], at: usize) -> u32 {
    u32::from_le_bytes(bytes[at..at + 4].try_into().unwrap())
}

#[test]
fn maps_are_packed_to_a_thousandth_and_say_where_nothing_is() {
    let bytes = pack_maps(&[(3, Some(vec![-8.0, f32::NAN, 0.25])), (4, None)]);
    assert_eq!((word(&bytes, 0), word(&bytes, 4), word(&bytes, 8)), (2, 3, 3));
    let step = f32::from_bits(word(&bytes, 12));
    let value = |i: usize| i16::from_le_bytes(bytes[16 + 2 * i..18 + 2 * i].try_into().unwrap());
    assert!((f32::from(value(0)) * step + 8.0).abs() < 1e-3);
    assert_eq!(value(1), i16::MIN);
    assert!((f32::from(value(2)) * step - 0.25).abs() < 1e-3);
    assert_eq!((word(&bytes, 24), word(&bytes, 28), bytes.len()), (4, 0, 36));
}

#[test]
fn a_pose_is_the_upper_rows_of_its_matrices() {
    let pose =
        TrialPose { matrices: vec![Mat4::from_translation(Vec3::new(1.0, 2.0, 3.0))], amounts: vec![0.5] };
    let bytes = pack_poses(&vec![(0.25, pose)]);
    let floats: Vec<f32> = (3..bytes.len() / 4).map(|i| f32::from_bits(word(&bytes, i * 4))).collect();
    let wanted = [0.25, 1.0, 0.0, 0.0, 1.0, 0.0, 1.0, 0.0, 2.0, 0.0, 0.0, 1.0, 3.0, 0.5];
    assert_eq!(floats, wanted);
}
