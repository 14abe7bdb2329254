//! Tests of `mending/correct_steps.rs`.

use glam::Vec3;
use tin_cloak_core::deform::Driver;
use tin_cloak_core::mend::BadTurn;
use tin_cloak_core::JointId;
use tin_cloak_stations::mending::correct::Sought;
use tin_cloak_stations::mending::correct_steps::*;

/// What met no fold is not sought again between two sides of one; what did is.
#[test]
fn what_met_no_fold_is_in_vain_in_folds_too() {
    let sought = |in_folds: bool, joint: u16| {
        let driver = Driver { joint: JointId(joint), axis: Vec3::X, from: 0.2, full: 1.0 };
        let turn = BadTurn { driver, blamed: Vec::new() };
        Sought::new(turn, vec![1], in_folds)
    };
    let mut sweeps = Sweeps::default();
    for (joint, meets_folds) in [(1, false), (2, true)] {
        sweeps.go_on_in_vain(AmountSweep::default(), InVain { sought: sought(false, joint), meets_folds });
    }
    let known = |in_folds, joint| sweeps.is_in_vain(&sought(in_folds, joint));
    assert!(known(false, 1) && known(true, 1) && known(false, 2));
    assert!(!known(true, 2) && !known(false, 3));
}
