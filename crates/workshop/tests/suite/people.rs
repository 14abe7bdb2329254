//! Whose joints are whose, and which poses a skeleton can do: on our own body, on a real one,
//! and on both with every joint's name taken away, so that only places tell.

use std::fmt::Write;
use tin_cloak_workshop::core::skeleton::Skeleton;
use tin_cloak_workshop::core::trial::{range_poses, Humanoid, Limbs};
use tin_cloak_workshop::{read, Companions};

fn skeletons() -> Vec<(&'static str, Skeleton)> {
    let path = format!("{}/../../testdata/open-human/body.glb", env!("CARGO_MANIFEST_DIR"));
    let of = |bytes: &[u8]| read("body.glb", bytes, &Companions::new()).unwrap().skeleton.unwrap();
    let wick = &tin_cloak_testkit::wardrobe()[0];
    vec![("Wick", of(&wick.bytes)), ("open human", of(&std::fs::read(path).unwrap()))]
}

fn nameless(skeleton: &Skeleton) -> Skeleton {
    let names = (0..skeleton.len()).map(|j| format!("j{j}")).collect();
    Skeleton { names, ..skeleton.clone() }
}

fn limbs(l: &Limbs) -> [Option<u16>; 7] {
    [l.upper_arm, l.lower_arm, l.hand, l.upper_leg, l.lower_leg, l.foot, l.toe].map(|j| j.map(|j| j.0))
}

#[test]
fn joints_and_poses_are_found() {
    let mut text = String::new();
    for (who, skeleton) in skeletons() {
        let p = Humanoid::find(&skeleton);
        let name = |j: u16| skeleton.names[usize::from(j)].as_str();
        let line = |l: &Limbs| limbs(l).map(|j| j.map_or("–", name)).join(", ");
        let spine: Vec<&str> = p.spine.iter().map(|j| name(j.0)).collect();
        writeln!(text, "{who}: {} joints\n  spine: {}", skeleton.len(), spine.join(", ")).unwrap();
        writeln!(text, "  left: {}\n  right: {}", line(&p.left), line(&p.right)).unwrap();
        let found = range_poses(&skeleton);
        let names: Vec<&str> = found.poses.iter().map(|p| p.name.as_str()).collect();
        writeln!(text, "  poses: {}\n  skipped: {:?}", names.join("; "), found.skipped).unwrap();
    }
    insta::assert_snapshot!(text);
}

#[test]
fn limbs_are_found_by_their_places_alone() {
    for (who, skeleton) in skeletons() {
        let (named, blind) = (Humanoid::find(&skeleton), Humanoid::find(&nameless(&skeleton)));
        // Chains with twist joints may begin a joint further along; ends and knees must agree.
        let key = |l: &Limbs| (l.hand, l.lower_arm, l.upper_leg, l.lower_leg, l.foot);
        assert_eq!(key(&named.left), key(&blind.left), "{who}");
        assert_eq!(key(&named.right), key(&blind.right), "{who}");
        assert!(
            named.forward.dot(blind.forward) > 0.99,
            "{who} faces {} or {}",
            named.forward,
            blind.forward
        );
        assert!(range_poses(&nameless(&skeleton)).poses.len() >= 20, "{who}");
    }
}

#[test]
fn a_skeleton_without_arms_skips_the_arms_and_says_so() {
    let (_, skeleton) = skeletons().swap_remove(0);
    let kept: Vec<usize> = (0..skeleton.len())
        .filter(|&j| {
            let mut at = Some(j);
            std::iter::from_fn(|| {
                let here = at?;
                at = skeleton.parents[here].map(|p| p.index());
                Some(here)
            })
            .all(|j| !skeleton.names[j].starts_with("upper_arm"))
        })
        .collect();
    let index =
        |j: usize| kept.iter().position(|&k| k == j).map(|k| tin_cloak_workshop::core::JointId(k as u16));
    let armless = Skeleton::at_rest(
        kept.iter().map(|&j| skeleton.names[j].clone()).collect(),
        kept.iter().map(|&j| skeleton.parents[j].and_then(|p| index(p.index()))).collect(),
        kept.iter().map(|&j| skeleton.rest[j]).collect(),
    )
    .unwrap();
    let found = range_poses(&armless);
    assert!(found.poses.iter().any(|p| p.name == "squat"));
    let reason = found.skipped.iter().find(|s| s.0 == "arms up").unwrap();
    assert!(reason.1.contains("arm"), "{}", reason.1);
}
