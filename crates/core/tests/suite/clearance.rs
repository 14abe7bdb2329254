//! Clearance on shapes whose answers are known by arithmetic.

use crate::common::*;
use tin_cloak_core::clearance::{
    measure_pose, snags, AtRest, InPose, Outfit, PairMeasure, PoseMeasure, Settings,
};
use tin_cloak_core::glam::{Mat4, Quat, Vec3};
use tin_cloak_core::skin::Skin;
use tin_cloak_core::JointId;

fn measure(outfit: &Outfit, matrices: &[Mat4]) -> PoseMeasure {
    let mut buffers = outfit.buffers();
    buffers.pose(outfit, matrices, &[]);
    measure_pose(outfit, &buffers, Settings::default())
}

fn only(outfit: &Outfit) -> PairMeasure {
    let mut pairs = measure(outfit, &still()).pairs;
    assert_eq!(pairs.len(), 1);
    pairs.remove(0)
}

#[test]
fn concentric_spheres_clear_by_the_difference_of_their_radii() {
    let body = sphere(0.10, 48);
    let m = only(&outfit(&body, &[sphere(0.11, 48)]));
    assert_eq!(m.covered, body.0.len());
    assert_eq!((m.poking, m.sunk, m.buried), (0, 0, 0));
    // A flat face lies a little inside its sphere: r (1 − cos(π/48)) is 0.24 mm.
    let gap = m.least_clearance.unwrap();
    assert!(gap > 0.0095 && gap <= 0.0100, "{gap}");
}

/// Buffers share what was never posed; posing some of a copy leaves all else at rest.
#[test]
fn layers_that_are_not_posed_stay_at_rest() {
    let o = outfit(&sphere(0.10, 16), &[sphere(0.11, 16), sphere(0.12, 16)]);
    let (mut buffers, mut other) = (o.buffers(), o.buffers());
    let far = vec![Mat4::from_translation(Vec3::X); 3];
    buffers.pose_some(&o, |layer| layer == 1, &far, &[]);
    other.pose_some(&o, |layer| layer == 2, &far, &[]);
    let at = |layer: usize, positions: &[Vec3]| {
        let moved = positions.iter().zip(&o.layers[layer].rest).map(|(p, r)| p.distance(*r));
        moved.fold(0.0, f32::max)
    };
    assert!([0, 2].iter().all(|&layer| at(layer, buffers.positions(layer)) == 0.0));
    assert!((at(1, buffers.positions(1)) - 1.0).abs() < 1e-6);
    assert!(
        (0..3).all(|layer| at(layer, o.buffers().positions(layer)) == 0.0),
        "the outfit's own are no one's"
    );
    // They stay where they were posed last.
    let kept = [0, 1, 2].map(|layer| at(layer, other.positions(layer)));
    assert!(kept[0] == 0.0 && kept[1] == 0.0 && (kept[2] - 1.0).abs() < 1e-6, "{kept:?}");
}

#[test]
fn a_sphere_five_millimetres_too_small_is_poked_through_by_five() {
    let body = sphere(0.10, 48);
    let m = only(&outfit(&body, &[sphere(0.095, 48)]));
    assert_eq!(m.poking, body.0.len());
    assert!((m.deepest - 0.005).abs() < 3e-4, "{}", m.deepest);
    assert!((m.sunk_deepest - 0.005).abs() < 3e-4, "{}", m.sunk_deepest);
    // All of the sphere pokes: 4 π r² is 0.1257 m².
    assert!((m.poking_area - 0.1257).abs() < 0.002, "{}", m.poking_area);
    // So does all of the smaller one lie inside: 0.1134 m².
    assert!((m.sunk_area - 0.1134).abs() < 0.002, "{}", m.sunk_area);
}

#[test]
fn deeper_than_twenty_millimetres_at_rest_is_not_covered() {
    let o = outfit(&sphere(0.10, 32), &[sphere(0.075, 32)]);
    assert!(o.pairs.is_empty());
}

#[test]
fn a_tube_in_a_tube_moved_aside_pokes_on_one_side_only() {
    let body = tube(0.05, 0.0, 0.4, 48, 20, 1.0);
    let mut o = outfit(&body, &[tube(0.058, 0.0, 0.4, 48, 20, 1.0)]);
    o.layers[1].skin = Skin::uniform(48 * 21, &[(JointId(1), 1.0)], 2).unwrap().into();
    let aside = [Mat4::IDENTITY, Mat4::from_translation(Vec3::X * 0.012)];
    let m = measure(&o, &aside).pairs.remove(0);
    assert!((m.deepest - 0.004).abs() < 4e-4, "{}", m.deepest);
    assert!(m.worst.unwrap().position.x < -0.03);
    let share = m.poking as f32 / m.covered as f32;
    assert!(share > 0.1 && share < 0.5, "{share}");
}

#[test]
fn beyond_a_hem_nothing_counts() {
    // The piece ends half-way up: the body above has it nearest at its open edge.
    let body = tube(0.05, 0.0, 0.4, 48, 40, 1.0);
    let piece = tube(0.055, 0.0, 0.2, 48, 20, 1.0);
    let o = outfit(&body, &[piece]);
    let m = measure(&o, &still());
    assert!(o.pairs[0].coverage.covered.iter().all(|&v| body.0[v as usize].y <= 0.2001));
    assert_eq!(m.pairs[0].poking + m.pairs[0].sunk, 0);
    // Slid down by 3 cm, what is now above the hem is bare, not poking.
    let mut slid = o.clone();
    slid.layers[1].skin = Skin::uniform(48 * 21, &[(JointId(1), 1.0)], 2).unwrap().into();
    let down = [Mat4::IDENTITY, Mat4::from_translation(Vec3::Y * -0.03)];
    let m = measure(&slid, &down);
    assert_eq!(m.pairs[0].poking, 0);
    let bare = o.pairs[0]
        .coverage
        .covered
        .iter()
        .zip(&m.points[0].inner)
        .filter(|(v, _)| body.0[**v as usize].y > 0.175);
    assert!(bare.clone().count() > 0);
    assert!(bare.into_iter().all(|(_, asked)| asked.is_none()));
}

#[test]
fn a_sleeve_against_the_ribs_is_not_the_shirts_own_side() {
    // A trunk, an arm beside it, a sleeve on the arm that touches the trunk's side.
    let trunk = tube(0.10, 0.0, 0.4, 64, 30, 1.0);
    let arm = moved(tube(0.04, 0.0, 0.4, 48, 30, 1.0), Vec3::X * 0.152);
    let sleeve = moved(tube(0.05, 0.0, 0.4, 48, 30, 1.0), Vec3::X * 0.152);
    let body = joined(trunk, arm);
    let o = outfit(&body, &[sleeve]);
    // Only the arm is covered, although the ribs' outward rays meet the sleeve within 2 mm.
    let on_arm = |v: u32| (body.0[v as usize] - Vec3::new(0.152, body.0[v as usize].y, 0.0)).length() < 0.041;
    assert!(o.pairs[0].coverage.covered.iter().all(|&v| on_arm(v)));
    // Pressed 8 mm into the ribs, the sleeve is measured against the arm it is on: clear.
    let mut pressed = o.clone();
    pressed.layers[1].skin = Skin::uniform(48 * 31, &[(JointId(1), 1.0)], 2).unwrap().into();
    let m = measure(&pressed, &[Mat4::IDENTITY, Mat4::from_translation(Vec3::X * -0.008)]);
    assert_eq!((m.pairs[0].poking, m.pairs[0].sunk), (0, 0));
}

#[test]
fn a_plate_with_two_walls_is_measured_by_the_inner_one() {
    // A plate 4 mm thick, 6 mm off a tube: 3 mm of poke-through is 3 mm, though the outer wall
    // is still clear.
    let body = tube(0.10, 0.0, 0.4, 96, 30, 1.0);
    let wall = |r: f32| tube(r, 0.1, 0.3, 60, 20, 0.45);
    let plate = joined(turned_inside_out(wall(0.106)), wall(0.110));
    let o = outfit(&body, &[plate]);
    assert!(o.layers[1].walls.double_walled > 0.95);
    let rest = only(&o);
    assert!((rest.least_clearance.unwrap() - 0.006).abs() < 4e-4, "{:?}", rest.least_clearance);
    let mut near = o.clone();
    near.layers[1].skin = Skin::uniform(o.layers[1].rest.len(), &[(JointId(1), 1.0)], 2).unwrap().into();
    // The open side of the part tube looks along −Z.
    let towards = near.layers[1].rest.iter().map(|p| Vec3::new(p.x, 0.0, p.z)).sum::<Vec3>().normalize();
    let m = measure(&near, &[Mat4::IDENTITY, Mat4::from_translation(towards * -0.009)]).pairs.remove(0);
    assert!((m.deepest.max(m.sunk_deepest) - 0.003).abs() < 5e-4, "{m:?}");
}

#[test]
fn a_piece_wound_inside_out_measures_the_same() {
    let body = sphere(0.10, 32);
    let right = only(&outfit(&body, &[sphere(0.097, 32)]));
    let wrong = only(&outfit(&body, &[turned_inside_out(sphere(0.097, 32))]));
    assert_eq!((right.poking, right.deepest), (wrong.poking, wrong.deepest));
}

#[test]
fn a_coat_open_at_the_front_leaves_the_front_bare() {
    let body = tube(0.10, 0.0, 0.4, 96, 30, 1.0);
    let coat = tube(0.112, 0.0, 0.4, 80, 30, 0.8);
    let towards = coat.0.iter().map(|p| Vec3::new(p.x, 0.0, p.z)).sum::<Vec3>().normalize();
    let o = outfit(&body, &[coat]);
    let front =
        |v: u32| Vec3::new(body.0[v as usize].x, 0.0, body.0[v as usize].z).normalize().dot(towards) < -0.85;
    assert!(o.pairs[0].coverage.covered.iter().all(|&v| !front(v)));
    assert_eq!(only(&o).poking, 0);
}

#[test]
fn what_another_layer_hides_is_buried() {
    let body = sphere(0.10, 32);
    let tight = sphere(0.096, 32);
    let seen = only(&outfit(&body, std::slice::from_ref(&tight)));
    assert_eq!(seen.buried, 0);
    let hidden = measure(&outfit(&body, &[tight, sphere(0.13, 32)]), &still());
    let pair = &hidden.pairs[0];
    assert_eq!(pair.poking, 0);
    assert!(pair.buried >= seen.poking, "{} of {}", pair.buried, seen.poking);
}

#[test]
fn what_no_straight_look_reaches_is_buried() {
    // A room whose walls face inward: their winding number is −1, and still nothing is seen.
    let room = turned_inside_out(sphere(0.5, 32));
    let body = joined(sphere(0.105, 32), room);
    let ball = sphere(0.1, 32);
    let seen = only(&outfit(&sphere(0.105, 32), std::slice::from_ref(&ball)));
    let hidden = only(&outfit(&body, &[ball]));
    assert!(seen.poking > 0 && seen.buried == 0);
    assert_eq!((hidden.poking, hidden.buried), (0, seen.poking));
}

#[test]
fn moving_everything_rigidly_changes_nothing() {
    let o = outfit(&sphere(0.10, 32), &[sphere(0.099, 32)]);
    let here = measure(&o, &still()).pairs.remove(0);
    let m = Mat4::from_rotation_translation(
        Quat::from_rotation_x(0.8) * Quat::from_rotation_z(1.9),
        Vec3::new(0.3, -0.2, 0.5),
    );
    let there = measure(&o, &[m, m]).pairs.remove(0);
    assert_eq!(here.poking, there.poking);
    assert!((here.deepest - there.deepest).abs() < 1e-5);
}

#[test]
fn snags_are_connected_spots() {
    // Two bumps on a tube poke through a sleeve at two places.
    let mut body = tube(0.05, 0.0, 0.6, 64, 60, 1.0);
    for p in &mut body.0 {
        for y in [0.15, 0.45] {
            let near = (*p - Vec3::new(0.05, y, 0.0)).length();
            let bump = 0.012 * (1.0 - (near / 0.03).min(1.0));
            *p += Vec3::new(p.x, 0.0, p.z).normalize() * bump;
        }
    }
    let o = outfit(&body, &[tube(0.056, 0.0, 0.6, 64, 60, 1.0)]);
    let m = measure(&o, &still());
    let found = snags(&o, 0, &m.points[0], Settings::default());
    assert_eq!(found.iter().filter(|s| !s.on_outer).count(), 2);
    assert!((found[0].deepest - 0.006).abs() < 1e-3);
}

/// A joint that goes nowhere takes its vertices along: that is no clear pose.
#[test]
fn a_pose_that_is_no_place_cannot_be_measured() {
    let outfit = outfit(&sphere(0.10, 24), &[sphere(0.11, 24)]);
    assert!(!only(&outfit).unmeasurable);
    for bad in [f32::NAN, f32::INFINITY] {
        let nowhere = vec![Mat4::from_translation(Vec3::new(bad, 0.0, 0.0)); still().len()];
        let told = measure(&outfit, &nowhere).pairs;
        assert!(told[0].unmeasurable && told[0].poking + told[0].sunk == 0, "{:?}", told[0]);
    }
}

#[test]
fn what_a_layer_hides_is_seen_when_it_is_taken_off() {
    // The body pokes through a shirt that has slid, under a closed cover.
    let shirt = moved(sphere(0.105, 32), Vec3::Z * -0.008);
    let mut outfit = tin_cloak_core::shapes::outfit(&sphere(0.1, 32), &[shirt, sphere(0.13, 32)]);
    let pair = outfit.pairs.iter().position(|p| (p.outer, p.inner) == (1, 0)).unwrap();
    let hidden = |outfit: &Outfit| {
        let buffers = outfit.buffers();
        let rest = AtRest::new(outfit, &buffers, 1, 0);
        let pose = InPose::new(outfit, &buffers);
        let through = pose.through(pair, Settings::default(), &pose.meeting(1, 0, &rest), None);
        let sight = pose.see(pair, &through);
        (sight.buried.len(), sight.buried.iter().filter(|b| **b).count())
    };
    let (spots, under) = hidden(&outfit);
    assert!(spots > 10 && under == spots, "{under} of {spots} hidden");
    outfit.off = vec![false, false, true];
    let (spots, bare) = hidden(&outfit);
    assert!(bare < spots / 4, "{bare} of {spots} hidden with the cover off");
}
