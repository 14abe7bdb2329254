//! An outfit on another body: limbs laid along limbs, a skin drawn onto another, pieces carried.

use crate::motion_range::person;
use glam::{Mat4, Quat, Vec3};
use proptest::prelude::*;
use tin_cloak_core::clearance::Side;
use tin_cloak_core::mesh::Topology;
use tin_cloak_core::shapes::sphere;
use tin_cloak_core::skeleton::{Pose, Skeleton};
use tin_cloak_core::skin::Skin;
use tin_cloak_core::wear::{
    carry_piece, limb_map, limb_of_joints, register, Beneath, Limb, ScatteredField, SkinSurface, StiffSize,
    Way, Worn,
};
use tin_cloak_core::JointId;

/// The same person with the arms turned, all joints at rest where they are then.
fn with_arms_at(skeleton: &Skeleton, degrees: f32) -> Skeleton {
    let mut pose = Pose::rest(skeleton.len());
    let rest = skeleton.world(&Pose::rest(skeleton.len()));
    for (name, sign) in [("upper_arm_l", 1.0), ("upper_arm_r", -1.0)] {
        let j = skeleton.find(name).unwrap().index();
        let own = rest[j].to_scale_rotation_translation().1;
        pose.rotations[j] = own.inverse() * Quat::from_rotation_z(degrees.to_radians() * sign) * own;
    }
    let locals = (0..skeleton.len()).map(|j| pose.local(&skeleton.rest[j], j)).collect();
    Skeleton::at_rest(skeleton.names.clone(), skeleton.parents.clone(), locals).unwrap()
}

fn gone(matrix: &Mat4, p: Vec3) -> Vec3 {
    matrix.transform_point3(p)
}

#[test]
fn limbs_lie_along_those_of_another_size_and_pose() {
    let (from, to) = (person(), with_arms_at(&person(), 25.0).placed(0.85, Quat::IDENTITY));
    let map = limb_map(&from, &to).unwrap();
    let (places, targets) = (from.rest_positions(), to.rest_positions());
    assert!((map.scale - 0.85).abs() < 1e-3, "{}", map.scale);
    for (j, name) in from.names.iter().enumerate() {
        let off = gone(&map.matrices[j], places[j]).distance(targets[j]);
        assert!(off < 1e-3, "{name} is {off} m off");
    }
    // Half way down the forearm is half way down the forearm.
    let [elbow, hand] = ["lower_arm_l", "hand_l"].map(|n| from.find(n).unwrap().index());
    let middle = gone(&map.matrices[elbow], places[elbow].midpoint(places[hand]));
    assert!(middle.distance(targets[elbow].midpoint(targets[hand])) < 1e-4);
}

#[test]
fn the_parts_of_a_person_are_told_apart() {
    let skeleton = person();
    let limbs = limb_of_joints(&skeleton);
    let of = |name: &str| limbs[skeleton.find(name).unwrap().index()];
    assert_eq!(of("spine_02"), Limb::Trunk);
    assert!(matches!(of("hand_l"), Limb::Arm(_)) && matches!(of("index_2_r"), Limb::Finger(_)));
    assert!(!of("hand_l").agrees_with(of("hand_r")) && !of("hand_l").agrees_with(of("foot_l")));
    assert!(of("hand_l").agrees_with(of("hips")), "where an arm ends rigs differ");
}

#[test]
fn what_is_no_person_has_no_limbs_to_lay() {
    let chair = Skeleton::at_rest(
        vec!["seat".into(), "leg".into()],
        vec![None, Some(JointId(0))],
        vec![tin_cloak_core::skeleton::LocalTransform::IDENTITY; 2],
    );
    assert_eq!(limb_map(&person(), &chair.unwrap()), None);
}

/// A sphere, drawn out along the axes.
fn egg(size: Vec3, segments: u32) -> (Vec<Vec3>, Topology) {
    let (points, triangles) = sphere(1.0, segments);
    let points: Vec<Vec3> = points.iter().map(|p| *p * size).collect();
    let topology = Topology::of_welded(points.len(), &triangles);
    (points, topology)
}

fn off_egg(p: Vec3, size: Vec3) -> f32 {
    ((p / size).length() - 1.0).abs() * size.min_element()
}

#[test]
fn a_skin_is_drawn_onto_another_of_other_mesh_and_stays_smooth() {
    let (from, to) = (egg(Vec3::splat(0.2), 40), egg(Vec3::new(0.22, 0.19, 0.23), 56));
    let (own, other) = (vec![Limb::Trunk; from.0.len()], vec![Limb::Trunk; to.0.len()]);
    let skin = SkinSurface { positions: &from.0, topology: &from.1, limbs: &own };
    let onto = SkinSurface { positions: &to.0, topology: &to.1, limbs: &other };
    let found = register(skin, onto, &|_| true).unwrap().unwrap();
    assert!(found.matched_share > 0.999 && found.off[1] < 5e-4, "{found:?}");
    let worst = found.places.iter().map(|p| off_egg(*p, Vec3::new(0.22, 0.19, 0.23))).fold(0.0, f32::max);
    assert!(worst < 1e-3, "{worst}");
    // Nothing folds: every face looks the way it did.
    let normal = |at: &[Vec3], t: &[u32; 3]| tin_cloak_core::mesh::face_normal(at, *t);
    let folded = from.1.triangles.iter().filter(|t| normal(&from.0, t).dot(normal(&found.places, t)) < 0.5);
    assert_eq!(folded.count(), 0);
    assert_eq!(register(skin, onto, &|_| false).unwrap(), None, "it can be stopped");
}

#[test]
fn skin_of_one_leg_finds_no_place_on_the_other() {
    use tin_cloak_core::trial::SideOfBody::{Left, Right};
    let egg = egg(Vec3::splat(0.1), 16);
    let (own, other) = (vec![Limb::Leg(Left); egg.0.len()], vec![Limb::Leg(Right); egg.0.len()]);
    let skin = SkinSurface { positions: &egg.0, topology: &egg.1, limbs: &own };
    let found = register(skin, SkinSurface { limbs: &other, ..skin }, &|_| true).unwrap().unwrap();
    assert_eq!(found.matched_share, 0.0);
    assert!(found.places.iter().zip(&egg.0).all(|(p, q)| p.distance(*q) < 1e-4), "and so it stays");
}

/// A body that becomes another, a shirt on it, and the shirt carried.
struct Shirt {
    body: (Vec<Vec3>, Topology),
    other: (Vec<Vec3>, Topology),
    shirt: (Vec<Vec3>, Topology),
    rigid: Vec<u32>,
    stiff: StiffSize,
}

impl Shirt {
    fn carried(&self) -> tin_cloak_core::wear::Carried {
        let moved: Vec<Vec3> = self.body.0.iter().map(|p| p.normalize() * 0.13 - *p).collect();
        let field = ScatteredField::through(&self.body.0, &moved).unwrap();
        let skin = Skin::uniform(self.shirt.0.len(), &[(JointId(0), 1.0)], 1).unwrap();
        let side = |(points, topology): &(Vec<Vec3>, Topology)| Side::new(points.len(), &topology.triangles);
        let (own, under, onto) = (side(&self.shirt), side(&self.body), side(&self.other));
        let worn = Worn {
            rest: &self.shirt.0,
            topology: &self.shirt.1,
            side: &own,
            skin: &skin,
            rigid: &self.rigid,
            stiff: self.stiff,
        };
        let beneath =
            [Beneath { outside: (&under, &self.body.0), carried: (&onto, &self.other.0), drift: &[] }];
        let way = Way { matrices: &[Mat4::IDENTITY], field: &field, scale: 1.0 };
        carry_piece(&worn, way, &beneath).unwrap()
    }
}

fn shirt(radius: f32, rigid: bool, stiff: StiffSize) -> Shirt {
    let shirt = egg(Vec3::splat(radius), 20);
    let rigid = if rigid { vec![0; shirt.0.len()] } else { Vec::new() };
    let (body, other) = (egg(Vec3::splat(0.1), 24), egg(Vec3::splat(0.13), 64));
    Shirt { body, other, shirt, rigid, stiff }
}

#[test]
fn cloth_keeps_its_gap_on_a_stouter_body() {
    let carried = shirt(0.106, false, StiffSize::ByRegion).carried();
    let radii = || carried.rest.iter().map(|p| p.length());
    let (least, most) = (radii().fold(f32::INFINITY, f32::min), radii().fold(0.0, f32::max));
    assert!(least > 0.1335 && most < 0.1385, "6 mm off before, {least} to {most} m now");
    assert_eq!(carried.newly_sunk, 0);
    assert!(carried.edges[0] > 1.2 && carried.edges[1] < 1.33, "{:?}", carried.edges);
}

#[test]
fn no_vertex_of_fine_skin_comes_through_a_face_of_coarse_cloth() {
    // Half a millimetre off, and its faces far larger than the skin's.
    let shirt = shirt(0.1005, false, StiffSize::ByRegion);
    let carried = shirt.carried();
    let tree = tin_cloak_core::query::Bvh::build(&carried.rest, &shirt.shirt.1.triangles);
    let outside = |p: &&Vec3| {
        let hit = tree.closest(**p, f32::INFINITY).unwrap();
        hit.point.length() < p.length() - 5e-5
    };
    assert_eq!(shirt.other.0.iter().filter(outside).count(), 0);
}

#[test]
fn a_stiff_part_is_sized_as_a_whole_or_keeps_its_size() {
    let long = |points: &[Vec3]| points[0].distance(points[points.len() / 2]);
    for (stiff, larger) in [(StiffSize::ByRegion, 1.3), (StiffSize::Kept, 1.0)] {
        let shirt = shirt(0.14, true, stiff);
        let carried = shirt.carried();
        let ratio = long(&carried.rest) / long(&shirt.shirt.0);
        assert!((ratio - larger).abs() < 0.07, "{stiff:?}: {ratio}");
        let fit = tin_cloak_core::mesh::Alignment::between(&shirt.shirt.0, &carried.rest).matrix();
        let off = shirt.shirt.0.iter().zip(&carried.rest).map(|(a, b)| gone(&fit, *a).distance(*b));
        assert!(off.fold(0.0, f32::max) < 5e-5, "rigid but for its size");
    }
}

/// A flat plate before a belly that is rounder on the other body: no turn and size fits it, a shift clears it.
#[test]
fn a_plate_is_moved_off_as_a_whole() {
    let side = 9;
    let at = |n: usize| (n as f32 / (side - 1) as f32 - 0.5) * 0.09;
    let places = (0..side * side).map(|n| Vec3::new(at(n % side), at(n / side), 0.1015)).collect::<Vec<_>>();
    let corner = |x: usize, y: usize| (y * side + x) as u32;
    let faces = |(x, y): (usize, usize)| {
        let [a, b] = [corner(x, y), corner(x + 1, y)];
        let [c, d] = [corner(x + 1, y + 1), corner(x, y + 1)];
        [[a, b, c], [a, c, d]]
    };
    let grid = (0..side - 1).flat_map(|y| (0..side - 1).map(move |x| (x, y)));
    let rigid = vec![0; places.len()];
    let (body, other) = (egg(Vec3::splat(0.1), 24), egg(Vec3::new(0.1, 0.1, 0.15), 64));
    let faces: Vec<[u32; 3]> = grid.flat_map(faces).collect();
    let topology = Topology::of_welded(places.len(), &faces);
    let plate = (places, topology);
    let plate = Shirt { body, other, shirt: plate, rigid, stiff: StiffSize::Kept };
    let carried = plate.carried();
    assert_eq!(carried.newly_sunk, 0);
    let fit = tin_cloak_core::mesh::Alignment::between(&plate.shirt.0, &carried.rest).matrix();
    let off = plate.shirt.0.iter().zip(&carried.rest).map(|(a, b)| gone(&fit, *a).distance(*b));
    assert!(off.fold(0.0, f32::max) < 5e-5, "rigid");
    // No vertex of the belly is before it: it lies on the tangent plane or off it, and not far.
    let middle = carried.rest[side * side / 2];
    assert!((0.1503..0.16).contains(&middle.z), "{middle}");
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 12, ..ProptestConfig::default() })]

    /// A field that is affine is told exactly, wherever one asks.
    #[test]
    fn a_field_tells_what_is_affine(
        x in -1.0f32..1.0, y in -1.0f32..1.0, shift in -0.2f32..0.2, at in prop::array::uniform3(-0.8f32..0.8),
    ) {
        let (points, _) = sphere(0.5, 10);
        let affine = |p: Vec3| Vec3::new(x * p.x + shift, y * p.y - x * p.z, shift * p.x);
        let offsets: Vec<Vec3> = points.iter().map(|p| affine(*p)).collect();
        let field = ScatteredField::through(&points, &offsets).unwrap();
        let at = Vec3::from(at);
        prop_assert!(field.at(&[at])[0].distance(affine(at)) < 1e-3);
    }
}

#[test]
fn a_field_needs_points_that_span_space() {
    let flat: Vec<Vec3> = sphere(1.0, 8).0.iter().map(|p| Vec3::new(p.x, 0.0, p.z)).collect();
    let moved = vec![Vec3::Y; flat.len()];
    let field = ScatteredField::through(&flat, &moved);
    assert!(field.is_none_or(|f| f.at(&[Vec3::ZERO])[0].is_finite()));
    assert_eq!(ScatteredField::through(&flat[..3], &moved[..3]), None);
}
