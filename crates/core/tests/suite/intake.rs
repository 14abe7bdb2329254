//! Looking over: for everything that can be found, a mesh that has it and one that does not.

use crate::common::*;
use tin_cloak_core::glam::Vec3;
use tin_cloak_core::intake::{
    coarse_bends, guess_body_size, guess_place, joint_roles, look_over, look_over_uvs, move_weight_off,
    shells, symmetry, unseen_faces, JointRole, Place, ShellGuess, SurfaceFacts, Up,
};
use tin_cloak_core::mesh::Topology;
use tin_cloak_core::skeleton::{LocalTransform, Skeleton};
use tin_cloak_core::skin::Skin;
use tin_cloak_core::trial::Humanoid;
use tin_cloak_core::JointId;

fn looked_over(shape: &Shape) -> SurfaceFacts {
    look_over(&Topology::of_welded(shape.0.len(), &shape.1), &shape.0)
}

#[test]
fn a_closed_ball_has_nothing_wrong_with_it() {
    assert_eq!(looked_over(&sphere(0.3, 24)), SurfaceFacts::default());
}

#[test]
fn openings_are_named_with_their_width() {
    let open = looked_over(&tube(0.1, 0.0, 1.0, 64, 10, 1.0)).openings;
    assert_eq!(open.len(), 2);
    for o in &open {
        assert!((o.width() - 0.2).abs() < 0.001, "{}", o.width());
        assert!(o.middle.x.abs() < 1e-4 && o.vertices.len() == 64);
    }
}

#[test]
fn faces_that_are_empty_or_doubled_and_crowded_edges() {
    let (positions, mut triangles) = sphere(0.3, 12);
    triangles.push(triangles[5]);
    triangles.push([3, 3, 4]);
    let facts = looked_over(&(positions, triangles));
    let faces = sphere(0.3, 12).1.len() as u32;
    assert_eq!((facts.doubled_faces, facts.empty_faces), (vec![faces], vec![faces + 1]));
    assert_eq!(facts.crowded_edges.len(), 3, "the doubled face crowds its three edges");
}

#[test]
fn what_is_wound_inside_out_is_told_by_its_volume() {
    let two = joined(sphere(0.1, 16), moved(turned_inside_out(sphere(0.1, 16)), Vec3::X));
    assert_eq!(looked_over(&two).inside_out, [1]);
    // A body with a hole at the neck is still the right way round, an open sheet is neither.
    let (positions, mut triangles) = sphere(0.1, 24);
    triangles.drain(..40);
    assert!(looked_over(&(positions, triangles)).inside_out.is_empty());
    assert!(looked_over(&tube(0.1, 0.0, 0.3, 24, 6, 0.2)).inside_out.is_empty());
}

#[test]
fn left_and_right_pair_up_or_do_not() {
    let ball = sphere(0.3, 32).0;
    let s = symmetry(&ball);
    assert_eq!((s.paired, s.alone), (ball.len(), 0));
    assert!(s.worst < 1e-6);
    // Set aside, the plane is found in the middle; with one side dented, vertices stay alone.
    let aside: Vec<Vec3> = ball.iter().map(|p| *p + Vec3::X * 0.2).collect();
    let s = symmetry(&aside);
    assert!((s.plane - 0.2).abs() < 1e-4 && s.alone == 0);
    let dented: Vec<Vec3> = ball.iter().map(|p| if p.x > 0.25 { *p * 0.9 } else { *p }).collect();
    assert!(symmetry(&dented).alone > 10);
}

#[test]
fn parts_are_told_apart_by_their_openness_and_size() {
    let coat = tube(0.2, 0.0, 1.0, 24, 10, 1.0);
    let all = joined(joined(coat, moved(sphere(0.01, 8), Vec3::Z * 0.21)), moved(sphere(0.1, 12), Vec3::X));
    let topology = Topology::of_welded(all.0.len(), &all.1);
    let list = shells(&topology, &all.0);
    let guesses: Vec<ShellGuess> = list.iter().map(|s| s.guess).collect();
    assert_eq!(guesses, [ShellGuess::Cloth, ShellGuess::Button, ShellGuess::Stiff]);
    assert!(!list[0].closed && list[1].closed);
    assert!((list[0].area - 1.25).abs() < 0.02, "{}", list[0].area);
}

/// Hips, spine, head, arms and legs, with a pole handle of the root beside the left knee.
fn person() -> Skeleton {
    let joints: &[(&str, Option<u16>, [f32; 3])] = &[
        ("root", None, [0.0, 0.0, 0.0]),
        ("hips", Some(0), [0.0, 0.95, 0.0]),
        ("spine", Some(1), [0.0, 1.15, 0.0]),
        ("head", Some(2), [0.0, 1.55, 0.0]),
        ("upper_arm_left", Some(2), [0.2, 1.4, 0.0]),
        ("lower_arm_left", Some(4), [0.45, 1.4, 0.0]),
        ("hand_left", Some(5), [0.7, 1.4, 0.0]),
        ("upper_leg_left", Some(1), [0.1, 0.9, 0.0]),
        ("lower_leg_left", Some(7), [0.1, 0.5, 0.0]),
        ("foot_left", Some(8), [0.1, 0.08, 0.0]),
        ("upper_leg_right", Some(1), [-0.1, 0.9, 0.0]),
        ("lower_leg_right", Some(10), [-0.1, 0.5, 0.0]),
        ("foot_right", Some(11), [-0.1, 0.08, 0.0]),
        ("swing_handle", Some(0), [0.1, 0.5, 0.4]),
        ("lower_arm_twist_left", Some(5), [0.57, 1.4, 0.0]),
        ("belt_socket", Some(1), [0.15, 0.95, 0.05]),
    ];
    let at = |i: usize| Vec3::from(joints[i].2);
    let rest = (0..joints.len()).map(|i| {
        let above = joints[i].1.map_or(Vec3::ZERO, |p| at(usize::from(p)));
        LocalTransform { translation: at(i) - above, ..LocalTransform::IDENTITY }
    });
    Skeleton::at_rest(
        joints.iter().map(|j| j.0.to_owned()).collect(),
        joints.iter().map(|j| j.1.map(JointId)).collect(),
        rest.collect(),
    )
    .unwrap()
}

#[test]
fn joints_that_should_not_carry_weight_are_found_and_freed() {
    let skeleton = person();
    let of = |name: &str| skeleton.find(name).unwrap();
    // A thousand vertices on the spine, three of them pulled by the handle, one by it alone.
    let mut rows = vec![vec![(of("spine"), 1.0)]; 1000];
    for row in rows.iter_mut().take(2) {
        row.push((of("swing_handle"), 0.25));
    }
    rows[2] = vec![(of("swing_handle"), 1.0)];
    rows[3] = vec![(of("lower_arm_twist_left"), 1.0)];
    let skin = Skin::from_rows(&rows, skeleton.len()).unwrap();
    let facts = joint_roles(&skeleton, &skin);
    let role = |name: &str| facts[of(name).index()].role;
    assert_eq!(role("swing_handle"), JointRole::Control);
    assert_eq!(role("spine"), JointRole::Deforms);
    assert_eq!(role("lower_arm_twist_left"), JointRole::Twist);
    assert_eq!(role("belt_socket"), JointRole::Attachment);
    assert_eq!(role("lower_leg_right"), JointRole::Carries);
    assert_eq!(facts[of("swing_handle").index()].vertices, 3);
    assert_eq!(facts[of("lower_leg_left").index()].partner, Some(of("lower_leg_right")));
    assert_eq!(facts[of("head").index()].partner, None);

    let positions = vec![Vec3::new(0.1, 0.48, 0.05); 1000];
    let to = [of("spine"), of("lower_leg_left")];
    let moved = move_weight_off(&skin, &[of("swing_handle")], &to, &positions, &skeleton).unwrap();
    assert_eq!(moved.vertices, [0, 1, 2]);
    assert_eq!(moved.skin.row(0).collect::<Vec<_>>(), [(of("spine"), 1.0)]);
    assert_eq!(moved.skin.row(2).collect::<Vec<_>>(), [(of("lower_leg_left"), 1.0)], "the nearest");
    assert!(move_weight_off(&skin, &[of("swing_handle")], &[], &positions, &skeleton).is_err());
}

#[test]
fn a_sleeve_with_too_few_rows_at_the_elbow_is_found() {
    let skeleton = person();
    let (upper, elbow, hand) = (JointId(4), JointId(5), JointId(6));
    // A tube along Y turned on to the arm.
    let sleeve = |rings: u32| {
        let (positions, triangles) = tube(0.05, 0.2, 0.68, 16, rings, 1.0);
        let along_x = |p: Vec3| Vec3::new(p.y, 1.4 + p.x, p.z);
        (positions.into_iter().map(along_x).collect::<Vec<_>>(), triangles)
    };
    let weights = |positions: &[Vec3]| {
        let row = |p: &Vec3| {
            let t = ((p.x - 0.39) / 0.12).clamp(0.0, 1.0);
            vec![(upper, 1.0 - t), (elbow, t)]
        };
        Skin::from_rows(&positions.iter().map(row).collect::<Vec<_>>(), skeleton.len()).unwrap()
    };
    let found = |rings: u32| {
        let (positions, triangles) = sleeve(rings);
        let topology = Topology::of_welded(positions.len(), &triangles);
        coarse_bends(&topology, &positions, &weights(&positions), &skeleton, &[(elbow, hand)])
    };
    assert!(found(40).is_empty(), "a row every 12 mm bends well");
    let coarse = found(6);
    assert_eq!(coarse.len(), 1);
    assert!(coarse[0].rows < 3.0 && coarse[0].joint == elbow, "{}", coarse[0].rows);
    assert!(found(1).len() == 1, "from end to end in one edge");
}

#[test]
fn a_piece_belongs_where_the_skin_beneath_it_is_moved_from() {
    let skeleton = person();
    let person = Humanoid::find(&skeleton);
    // A column of skin: hips below, spine above; an arm of skin beside it.
    let trunk = tube(0.15, 0.8, 1.5, 24, 20, 1.0);
    let arm = moved(tube(0.05, 0.0, 0.4, 16, 10, 1.0), Vec3::new(0.6, 1.2, 0.0));
    let body = joined(trunk.clone(), arm);
    let row = |p: &Vec3| {
        let joint = if p.x > 0.4 {
            5
        } else if p.y < 1.0 {
            1
        } else {
            2
        };
        vec![(JointId(joint), 1.0)]
    };
    let skin = Skin::from_rows(&body.0.iter().map(row).collect::<Vec<_>>(), skeleton.len()).unwrap();
    let place = |piece: &Shape| guess_place(&piece.0, &body.0, &body.1, &skin, &skeleton.parents, &person).0;
    assert_eq!(place(&tube(0.16, 1.05, 1.45, 16, 8, 1.0)), Place::Torso);
    assert_eq!(place(&tube(0.16, 0.82, 0.95, 16, 4, 1.0)), Place::Hips);
    assert_eq!(place(&moved(tube(0.06, 0.0, 0.4, 16, 10, 1.0), Vec3::new(0.6, 1.2, 0.0))), Place::Arms);
    assert_eq!(place(&moved(sphere(0.05, 12), Vec3::new(0.0, 0.9, 0.5))), Place::Hung);
}

/// A grid of quads over the rectangle from `low` to `high` of the texture, two triangles each.
fn sheet(uvs: &mut Vec<[f32; 2]>, triangles: &mut Vec<[u32; 3]>, low: [f32; 2], high: [f32; 2]) {
    let first = uvs.len() as u32;
    let at = |i: u32| i as f32 / 8.0;
    for v in 0..=8 {
        for u in 0..=8 {
            uvs.push([low[0] + (high[0] - low[0]) * at(u), low[1] + (high[1] - low[1]) * at(v)]);
        }
    }
    for (v, u) in (0..8).flat_map(|v| (0..8).map(move |u| (v, u))) {
        let a = first + v * 9 + u;
        triangles.extend([[a, a + 1, a + 10], [a, a + 10, a + 9]]);
    }
}

#[test]
fn texture_coordinates_outside_or_on_one_another_are_found() {
    let (mut uvs, mut triangles) = (Vec::new(), Vec::new());
    sheet(&mut uvs, &mut triangles, [0.02, 0.02], [0.48, 0.98]);
    sheet(&mut uvs, &mut triangles, [0.5, 0.02], [1.0, 0.98]);
    let clean = look_over_uvs(&uvs, &triangles);
    assert!(clean.outside.is_empty() && clean.overlapping.is_empty(), "side by side, sharing edges");
    // A mirrored half stacked on the first, and a patch that leaves the square.
    sheet(&mut uvs, &mut triangles, [0.48, 0.02], [0.02, 0.98]);
    sheet(&mut uvs, &mut triangles, [1.2, 0.1], [1.6, 0.4]);
    let facts = look_over_uvs(&uvs, &triangles);
    assert_eq!(facts.overlapping, (256..384).collect::<Vec<u32>>());
    assert_eq!(facts.outside, (384..512).collect::<Vec<u32>>());
    // All in one place, and no numbers at all, are no texture.
    let nowhere = vec![[f32::NAN, 0.5]; uvs.len()];
    assert!(look_over_uvs(&nowhere, &triangles).overlapping.is_empty());
    assert!(look_over_uvs(&vec![[0.5; 2]; uvs.len()], &triangles).overlapping.is_empty());
}

#[test]
fn the_inside_wall_of_a_sleeve_is_unseen_and_a_single_sleeve_is_not() {
    let body = tube(0.05, -0.6, 0.6, 48, 60, 1.0);
    let cover = |shape: &Shape| {
        let topology = Topology::of_welded(shape.0.len(), &shape.1);
        unseen_faces(&topology, &shape.0, &body.0, &body.1)
    };
    let sleeve = tube(0.062, -0.3, 0.3, 48, 40, 1.0);
    assert!(cover(&sleeve).is_empty());
    let lined = joined(turned_inside_out(tube(0.056, -0.3, 0.3, 48, 40, 1.0)), sleeve);
    let (unseen, lining) = (cover(&lined), lined.1.len() as u32 / 2);
    assert!(unseen.iter().all(|&f| f < lining), "the outside is seen");
    // All of the lining but a rim of a few rows at both ends.
    let share = unseen.len() as f32 / lining as f32;
    assert!((0.7..0.95).contains(&share), "{share}");
}

#[test]
fn a_body_in_other_units_or_on_its_back_is_told_and_one_in_metres_let_be() {
    let figure: Vec<Vec3> =
        sphere(0.5, 16).0.iter().map(|p| *p * Vec3::new(0.8, 1.72, 0.4) + Vec3::Y * 0.86).collect();
    assert_eq!(guess_body_size(&figure), None);
    let child: Vec<Vec3> = figure.iter().map(|p| *p * 0.45).collect();
    assert_eq!(guess_body_size(&child), None, "small people are people");
    for scale in [1.0f32, 0.01, 0.001, 0.0254] {
        for up in [Up::Y, Up::Z] {
            let file: Vec<Vec3> = figure.iter().map(|p| up.turn().transpose() * *p / scale).collect();
            let expected = if (scale, up) == (1.0, Up::Y) { None } else { Some((scale, up)) };
            assert_eq!(guess_body_size(&file), expected, "{scale} {up:?}");
        }
    }
}
