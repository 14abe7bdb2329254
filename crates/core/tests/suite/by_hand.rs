//! Weights changed by hand: sums kept, locked joints kept, and known answers.

use crate::common::*;
use proptest::prelude::*;
use tin_cloak_core::bind::by_hand::{
    crease, exchange, fade, give, gradient, harden, refill, smooth_joints, tabled, towards, Along, Amount,
    Crease, Fade, FoldsOver, Given, Gradient, Profile, Rest,
};
use tin_cloak_core::bind::clean::{BoundMesh, Row};
use tin_cloak_core::bind::BindError;
use tin_cloak_core::deform::linear_blend;
use tin_cloak_core::glam::{Mat4, Vec3};
use tin_cloak_core::mesh::Topology;
use tin_cloak_core::skin::Skin;
use tin_cloak_core::JointId;

const J: fn(u16) -> JointId = JointId;
const JOINTS: usize = 4;

/// A tube along Y whose four joints have weights that change along it.
fn sleeve() -> (Shape, Skin) {
    let shape = tube(0.05, 0.0, 0.4, 12, 20, 1.0);
    let row = |y: f32| -> Row {
        (0..4u16).map(|j| (J(j), (1.0 - (y * 10.0 - f32::from(j) * 1.3).abs() * 0.6).max(0.0))).collect()
    };
    let rows: Vec<Row> = shape.0.iter().map(|p| row(p.y)).collect();
    (shape, Skin::from_rows(&rows, JOINTS).unwrap())
}

fn with<T>(locked: [bool; JOINTS], chosen: &[bool], change: impl FnOnce(BoundMesh) -> T) -> T {
    let ((positions, triangles), skin) = sleeve();
    let topology = Topology::of_welded(positions.len(), &triangles);
    let (positions, topology) = (&positions, &topology);
    change(BoundMesh { positions, topology, skin: &skin, chosen, locked: &locked, most: 4 })
}

fn weight(skin: &Skin, v: usize, j: u16) -> f32 {
    skin.row(v).find(|e| e.0 == J(j)).map_or(0.0, |e| e.1)
}

#[test]
fn what_a_joint_gains_comes_from_where_it_is_said() {
    let (_, before) = sleeve();
    let all = vec![true; before.vertices()];
    let shares = vec![1.0; before.vertices()];
    let given = |rest| Given { joint: J(1), amount: Amount::Add(0.2), rest };
    let told = with([false; 4], &all, |b| give(b, given(Rest::Joint(J(2))), &shares)).unwrap();
    for v in 0..before.vertices() {
        let moved = 0.2f32.min(weight(&before, v, 2)).min(1.0 - weight(&before, v, 1));
        assert!((weight(&told.skin, v, 1) - weight(&before, v, 1) - moved).abs() < 1e-5, "{v}");
        assert!((weight(&told.skin, v, 2) - weight(&before, v, 2) + moved).abs() < 1e-5, "{v}");
        assert!((weight(&told.skin, v, 0) - weight(&before, v, 0)).abs() < 1e-6, "the others stay");
    }
    // Where joint 2 has nothing there is nowhere to take it from, and that is said.
    let without = (0..before.vertices()).filter(|v| weight(&before, *v, 2) < 1e-6).count();
    assert!(without > 0 && told.nowhere + told.full == without, "{} + {}", told.nowhere, told.full);
}

#[test]
fn half_the_share_is_half_the_change() {
    let (_, before) = sleeve();
    let all = vec![true; before.vertices()];
    let set = Given { joint: J(0), amount: Amount::Set(1.0), rest: Rest::Others };
    let half = with([false; 4], &all, |b| give(b, set, &vec![0.5; before.vertices()])).unwrap().skin;
    for v in 0..before.vertices() {
        let wished = 0.5 + 0.5 * weight(&before, v, 0);
        // Where joint 0 has all or the others none, nothing moves.
        assert!((weight(&half, v, 0) - wished).abs() < 1e-4, "{v}");
    }
}

#[test]
fn exchanged_twice_it_is_what_it_was_and_a_fade_runs_from_one_to_none() {
    let (_, before) = sleeve();
    let (all, shares) = (vec![true; before.vertices()], vec![1.0; before.vertices()]);
    let once = with([false; 4], &all, |b| exchange(b, J(0), J(3), true, &shares)).unwrap().skin;
    let twice = with([false; 4], &all, |b| {
        let b = BoundMesh { skin: &once, ..b };
        exchange(b, J(0), J(3), true, &shares)
    })
    .unwrap()
    .skin;
    (0..before.vertices()).for_each(|v| assert!((weight(&twice, v, 0) - weight(&before, v, 0)).abs() < 1e-6));
    let last = before.vertices() as u32 - 12;
    let (profile, ends) = (Profile::Smooth, [0, last]);
    let wished = Fade { from: J(0), to: J(3), ends, along: Along::Surface, profile };
    let faded = with([false; 4], &all, |b| {
        let flat = Skin::uniform(b.positions.len(), &[(J(0), 1.0)], JOINTS).unwrap();
        fade(BoundMesh { skin: &flat, ..b }, wished, &shares).unwrap().skin
    });
    assert_eq!((weight(&faded, 0, 0), weight(&faded, last as usize, 3)), (1.0, 1.0));
    let middle = 10 * 12;
    assert!((weight(&faded, middle, 3) - 0.5).abs() < 0.02, "{}", weight(&faded, middle, 3));
}

#[test]
fn a_fade_between_two_parts_goes_straight_and_one_to_itself_changes_nothing() {
    let (positions, triangles) = joined(tube(0.05, 0.0, 0.1, 8, 4, 1.0), tube(0.05, 0.3, 0.4, 8, 4, 1.0));
    let topology = Topology::of_welded(positions.len(), &triangles);
    let skin = Skin::uniform(positions.len(), &[(J(0), 0.6), (J(1), 0.4)], JOINTS).unwrap();
    let (chosen, shares) = (vec![true; positions.len()], vec![1.0; positions.len()]);
    let last = positions.len() as u32 - 1;
    let of = |to| Fade { from: J(0), to, ends: [0, last], along: Along::Surface, profile: Profile::Linear };
    let (positions, topology, locked) = (&positions, &topology, &[false; JOINTS]);
    let bound = BoundMesh { positions, topology, skin: &skin, chosen: &chosen, locked, most: 4 };
    assert_eq!(fade(bound, of(J(0)), &shares).unwrap().skin, skin);
    let faded = fade(bound, of(J(1)), &shares).unwrap().skin;
    assert!(weight(&faded, 0, 0) > 0.99 && weight(&faded, last as usize, 1) > 0.99);
    let joins = (weight(&faded, 40, 1), positions[40].y / 0.4);
    assert!((joins.0 - joins.1).abs() < 0.1, "{joins:?}");
}

/// A crease of 20 mm across the middle of the sleeve.
fn across(near: JointId, far: JointId, over: FoldsOver) -> Crease {
    Crease { near, far, point: Vec3::Y * 0.2, towards_far: Vec3::Y, width: 0.02, over }
}

#[test]
fn rows_before_a_crease_follow_one_joint_and_rows_beyond_it_the_other_whichever_folds_over() {
    let ((positions, _), _) = sleeve();
    let (all, shares) = (vec![true; positions.len()], vec![1.0; positions.len()]);
    for (over, begins) in [(FoldsOver::Near, 0.2), (FoldsOver::Neither, 0.19), (FoldsOver::Far, 0.18)] {
        let told = with([false; 4], &all, |b| {
            let flat = Skin::uniform(b.positions.len(), &[(J(0), 0.6), (J(1), 0.4)], JOINTS).unwrap();
            crease(BoundMesh { skin: &flat, ..b }, across(J(0), J(1), over), &shares).unwrap().skin
        });
        for (v, p) in positions.iter().enumerate().filter(|(_, p)| (p.y - 0.2).abs() < 0.041) {
            let wished = ((p.y - begins) / 0.02).clamp(0.0, 1.0);
            assert!((weight(&told, v, 1) - wished).abs() < 1e-4, "{over:?} at {}", p.y);
        }
        // Far from the line it is what it was.
        let far = positions.iter().position(|p| p.y < 0.1).unwrap();
        assert!((weight(&told, far, 1) - 0.4).abs() < 1e-6);
        // Bent either way by a right angle, what folds over stays straight up to the line.
        for sign in [1.0, -1.0] {
            let bend = Mat4::from_translation(Vec3::Y * 0.2)
                * Mat4::from_rotation_x(sign * std::f32::consts::FRAC_PI_2)
                * Mat4::from_translation(Vec3::Y * -0.2);
            let mut posed = positions.clone();
            linear_blend(
                &positions,
                &told,
                &[Mat4::IDENTITY, bend, Mat4::IDENTITY, Mat4::IDENTITY],
                &mut posed,
            );
            let near = |p: &Vec3| p.y < begins + 1e-6 && p.y > 0.16;
            let moved = (0..positions.len()).filter(|v| near(&positions[*v]));
            assert!(moved.clone().count() >= 12);
            moved.for_each(|v| assert!(posed[v].distance(positions[v]) < 1e-5));
        }
    }
}

/// From the lowest ring to the highest.
fn upward(joint: JointId, amounts: [f32; 2]) -> Gradient {
    let last = (sleeve().1.vertices() - 12) as u32;
    let (along, profile, rest) = (Along::Surface, Profile::Linear, Rest::Others);
    Gradient { joint, amounts, ends: [0, last], along, profile, rest }
}

#[test]
fn a_gradient_goes_evenly_from_one_amount_to_the_other_and_the_others_keep_their_proportion() {
    let (shape, before) = sleeve();
    let (all, shares) = (vec![true; before.vertices()], vec![1.0; before.vertices()]);
    let told = with([false; 4], &all, |b| gradient(b, upward(J(1), [0.1, 0.6]), &shares)).unwrap();
    for (v, p) in shape.0.iter().enumerate() {
        let others = |skin: &Skin| [0, 2, 3].map(|j| weight(skin, v, j));
        let (was, is) = (others(&before), others(&told.skin));
        // Where there is nothing else it cannot be less.
        if was.iter().sum::<f32>() < 1e-3 {
            continue;
        }
        // On the line itself: beside it the way from either end is longer. It is the first of each ring of twelve.
        let wished = 0.1 + 0.5 * p.y / 0.4;
        assert!(v % 12 != 0 || (weight(&told.skin, v, 1) - wished).abs() < 0.01, "{v}: {wished}");
        let scale = is.iter().sum::<f32>() / was.iter().sum::<f32>();
        assert!(was.iter().zip(is).all(|(w, i)| (w * scale - i).abs() < 1e-4), "{v}");
    }
    // With the joint locked there is nowhere for it to go.
    let told = with([false, true, false, false], &all, |b| gradient(b, upward(J(1), [0.1, 0.6]), &shares));
    let told = told.unwrap();
    assert_eq!(told.nowhere, before.vertices());
    assert!(told.skin == before);
}

#[test]
fn what_is_refilled_goes_over_smoothly_and_a_part_chosen_whole_keeps_its_own() {
    let (shape, before) = sleeve();
    let shares = vec![1.0; before.vertices()];
    let band: Vec<bool> = shape.0.iter().map(|p| (0.13..0.27).contains(&p.y)).collect();
    let torn: Vec<Row> = (0..before.vertices())
        .map(|v| if band[v] { vec![(J(3), 1.0)] } else { before.row(v).collect() })
        .collect();
    let torn = Skin::from_rows(&torn, JOINTS).unwrap();
    let (positions, triangles) = &shape;
    let topology = &Topology::of_welded(positions.len(), triangles);
    let bound = |chosen| BoundMesh { positions, topology, skin: &torn, chosen, locked: &[false; 4], most: 4 };
    let filled = refill(bound(&band), &shares).unwrap().skin;
    let rough = |skin: &Skin| -> f32 {
        let step = |e: &[u32; 2]| {
            let differs = |j: u16| weight(skin, e[0] as usize, j) - weight(skin, e[1] as usize, j);
            (0..4).map(|j| differs(j).abs()).fold(0.0, f32::max)
        };
        topology.edges.iter().map(step).fold(0.0, f32::max)
    };
    assert!(rough(&torn) > 0.9 && rough(&filled) < 0.25, "{} → {}", rough(&torn), rough(&filled));
    let all = vec![true; before.vertices()];
    assert!(refill(bound(&all), &shares).unwrap().skin == torn);
}

proptest! {
    #[test]
    fn weights_sum_to_one_and_locked_and_unchosen_ones_stay(
        (kind, joint, lock) in (0u8..10, 0u16..4, 0usize..4),
        (amount, share, part) in (0.0f32..1.0, 0.0f32..1.0, 1usize..5),
    ) {
        let (_, before) = sleeve();
        let chosen: Vec<bool> = (0..before.vertices()).map(|v| v % part == 0).collect();
        let shares = vec![share; before.vertices()];
        let mut locked = [false; JOINTS];
        locked[lock] = true;
        let given = |amount| Given { joint: J(joint), amount, rest: Rest::Others };
        let after = with(locked, &chosen, |b| match kind {
            0 => give(b, given(Amount::Set(amount)), &shares),
            1 => give(b, given(Amount::Add(-amount)), &shares),
            2 => exchange(b, J(joint), J((joint + 1) % 4), false, &shares),
            3 => harden(b, amount * 3.0, &shares),
            4 => smooth_joints(b, &[J(joint)], amount, 2, &shares),
            5 => tabled(b, &[J(joint), J((joint + 2) % 4)], &[(8, vec![amount, share]), (9, vec![0.0; 2])], &shares),
            6 => crease(b, across(J(joint), J((joint + 1) % 4), FoldsOver::Far), &shares),
            7 => gradient(b, upward(J(joint), [amount, share]), &shares),
            8 => refill(b, &shares).map_err(|e| match e {
                BindError::Skin(e) => e,
                other => panic!("{other}"),
            }),
            _ => towards(b, |v| Some(before.row((v * 7) % before.vertices()).collect()), &shares),
        }).unwrap().skin;
        for v in 0..before.vertices() {
            prop_assert!((after.row(v).map(|e| e.1).sum::<f32>() - 1.0).abs() < 1e-5);
            if !chosen[v] {
                prop_assert!(after.row(v).eq(before.row(v)));
            }
            prop_assert!((weight(&after, v, lock as u16) - weight(&before, v, lock as u16)).abs() < 1e-6);
        }
    }
}
