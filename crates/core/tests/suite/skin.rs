//! Tests of `skin.rs`.

use proptest::prelude::*;
use tin_cloak_core::skin::*;
use tin_cloak_core::JointId;

#[test]
fn a_row_without_weight_is_named() {
    let rows = vec![vec![(JointId(0), 1.0)], vec![(JointId(1), 0.0)]];
    assert_eq!(Skin::from_rows(&rows, 2), Err(SkinError::NoWeight { vertex: 1, count: 1 }));
}

#[test]
fn a_missing_joint_is_named() {
    let rows = vec![vec![(JointId(7), 1.0)]];
    let error = Skin::from_rows(&rows, 2).unwrap_err();
    assert_eq!(error, SkinError::JointOutOfRange { vertex: 0, joint: 7, joints: 2 });
}

proptest! {
    #[test]
    fn weights_sum_to_one_and_fall(
        rows in prop::collection::vec(prop::collection::vec((0u16..9, 0.01f32..5.0), 1..9), 1..20),
        most in 1usize..5,
    ) {
        let rows: Vec<Vec<_>> =
            rows.iter().map(|r| r.iter().map(|&(j, w)| (JointId(j), w)).collect()).collect();
        let skin = Skin::from_rows(&rows, 9).unwrap().limit(most);
        for v in 0..skin.vertices() {
            let row: Vec<_> = skin.row(v).collect();
            prop_assert!(row.len() <= most);
            prop_assert!((row.iter().map(|e| e.1).sum::<f32>() - 1.0).abs() < 1e-5);
            prop_assert!(row.windows(2).all(|w| w[0].1 >= w[1].1 && w[0].0 != w[1].0));
        }
    }
}
