//! Tests of `trial/names.rs`.

use tin_cloak_core::trial::*;

#[test]
fn common_spellings() {
    use Role::*;
    use SideOfBody::*;
    let cases = [
        ("leftUpperArm", Some(UpperArm), Some(Left), None),
        ("upper_arm.R", Some(UpperArm), Some(Right), None),
        ("rig:RightForeArm", Some(LowerArm), Some(Right), None),
        ("L_Thigh_01", Some(UpperLeg), Some(Left), None),
        ("LeftUpLeg", Some(UpperLeg), Some(Left), None),
        ("LeftLeg", Some(LowerLeg), Some(Left), None),
        ("Spine2", Some(Spine), None, None),
        ("upper_arm_twist_l", Some(UpperArm), Some(Left), Some(Helper::Twist)),
        ("upperChest2", Some(Spine), None, None),
        ("hips", Some(Hips), None, None),
        ("leftToe1_1", Some(Toe), Some(Left), None),
        ("tongue03", None, None, None),
        ("knee_pole_r", Some(LowerLeg), Some(Right), Some(Helper::Control)),
    ];
    for (name, role, side, helper) in cases {
        assert_eq!(read_name(name), NameParts { role, side, helper }, "{name}");
    }
}
