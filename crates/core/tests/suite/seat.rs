//! Seating: shapes with known answers.

use crate::common::*;
use tin_cloak_core::bind::BindTarget;
use tin_cloak_core::clearance::{stiffness_error, Covering, PosedSide, Side};
use tin_cloak_core::deform::linear_blend;
use tin_cloak_core::glam::{Mat4, Quat, Vec3};
use tin_cloak_core::mesh::{vertex_normals, Topology};
use tin_cloak_core::seat::{
    carry_shapes, carry_to_rest, dab, ease, rest_from_pose, Brush, GapWish, OnTop, PieceSurface, Stroke,
};
use tin_cloak_core::skin::Skin;
use tin_cloak_core::JointId;

struct Ground {
    side: Side,
    posed: PosedSide,
    positions: Vec<Vec3>,
}

impl Ground {
    fn new((positions, triangles): Shape) -> Self {
        let side = Side::new(positions.len(), &triangles);
        let posed = side.pose(&positions);
        Self { side, posed, positions }
    }

    fn covering(&self) -> Covering<'_> {
        Covering { side: &self.side, posed: &self.posed, positions: &self.positions }
    }
}

fn eased(cloth: &Shape, ground: &Ground, wish: GapWish, chosen: &[bool]) -> Vec<Vec3> {
    let topology = Topology::of_welded(cloth.0.len(), &cloth.1);
    let side = Side::new(cloth.0.len(), &cloth.1);
    let piece = PieceSurface { start: &cloth.0, side: &side, topology: &topology, rigid: &[] };
    ease(piece, chosen, ground.covering(), wish, 0.08)
}

#[test]
fn easing_off_leaves_nothing_under_the_wish_and_moves_no_more_than_needed() {
    // A cloth sphere set aside in a body sphere: sunk on one side by 5 mm, 15 mm clear on the other.
    let ground = Ground::new(sphere(0.1, 64));
    let cloth = moved(sphere(0.105, 48), Vec3::X * 0.01);
    let wish = GapWish { least: 0.004, most: f32::INFINITY };
    let out = eased(&cloth, &ground, wish, &vec![true; cloth.0.len()]);
    let normals = vertex_normals(&out, &cloth.1);
    let gaps = ground.covering().gaps(&out, &normals, 0.08);
    let least = gaps.iter().flatten().map(|g| g.clearance).fold(f32::INFINITY, f32::min);
    assert!(least > 0.004 - 3e-5, "{least}");
    for (before, after) in cloth.0.iter().zip(&out) {
        // On the tessellated ground the exact need is within its sagitta, 0.12 mm.
        let need = (0.104 - before.length()).max(0.0);
        assert!(before.distance(*after) < need + 0.002, "{} for {}", before.distance(*after), need);
    }
}

#[test]
fn drawing_in_brings_the_far_side_near_and_only_what_is_chosen_moves() {
    let ground = Ground::new(sphere(0.1, 64));
    let cloth = moved(sphere(0.12, 48), Vec3::X * 0.005);
    let chosen: Vec<bool> = cloth.0.iter().map(|p| p.x > 0.0).collect();
    let out = eased(&cloth, &ground, GapWish { least: 0.0, most: 0.008 }, &chosen);
    for (v, p) in out.iter().enumerate() {
        if chosen[v] {
            assert!(p.length() < 0.1082, "{}", p.length());
        } else {
            assert_eq!(*p, cloth.0[v]);
        }
    }
}

/// An arm along Y bending at 0.5 m, and the matrices of a bend.
fn arm(degrees: f32) -> (Shape, Skin, Vec<Mat4>) {
    let shape = tube(0.05, 0.0, 1.0, 48, 100, 1.0);
    let skin = arm_skin(&shape.0);
    let elbow = Vec3::Y * 0.5;
    let turn = Mat4::from_translation(elbow)
        * Mat4::from_quat(Quat::from_rotation_x(degrees.to_radians()))
        * Mat4::from_translation(-elbow);
    (shape, skin, vec![Mat4::IDENTITY, turn])
}

fn arm_skin(positions: &[Vec3]) -> Skin {
    let row = |p: &Vec3| {
        let t = ((p.y - 0.42) / 0.16).clamp(0.0, 1.0);
        let t = t * t * (3.0 - 2.0 * t);
        vec![(JointId(0), 1.0 - t), (JointId(1), t)]
    };
    Skin::from_rows(&positions.iter().map(row).collect::<Vec<_>>(), 2).unwrap()
}

#[test]
fn a_sleeve_modelled_round_a_bent_arm_comes_back_straight() {
    let (body, skin, matrices) = arm(60.0);
    let straight = tube(0.055, 0.15, 0.85, 40, 70, 1.0);
    // Modelled round the bent arm: the straight sleeve posed with the arm.
    let mut modelled = straight.0.clone();
    linear_blend(&straight.0, &arm_skin(&straight.0), &matrices, &mut modelled);
    let topology = Topology::of_welded(straight.0.len(), &straight.1);
    let (rest, weights) =
        rest_from_pose(&body.0, &body.1, &skin, &matrices, &modelled, &topology, 4).unwrap();
    let worst = rest.iter().zip(&straight.0).map(|(a, b)| a.distance(*b)).fold(0.0, f32::max);
    assert!(worst < 0.0005, "{:.3} mm off straight", worst * 1000.0);
    // Posed again by the weights found, it lies where it was modelled.
    let mut again = rest.clone();
    linear_blend(&rest, &weights, &matrices, &mut again);
    assert!(again.iter().zip(&modelled).all(|(a, b)| a.distance(*b) < 1e-5));
}

#[test]
fn a_blend_that_cannot_be_inverted_goes_back_by_its_heaviest_joint() {
    // Half of no turn and half of a half turn flattens everything on to the axis.
    let half_turn = Mat4::from_quat(Quat::from_rotation_y(std::f32::consts::PI));
    let skin = Skin::uniform(1, &[(JointId(0), 0.5), (JointId(1), 0.5)], 2).unwrap();
    let back = carry_to_rest(&[Vec3::X], &skin, &[Mat4::IDENTITY, half_turn]);
    assert_eq!(back, [Vec3::X]);
}

#[test]
fn a_dab_moves_what_is_near_along_the_cloth_and_nothing_else() {
    let shape = sphere(0.1, 64);
    let topology = Topology::of_welded(shape.0.len(), &shape.1);
    let centre = (0..shape.0.len() as u32)
        .max_by(|a, b| shape.0[*a as usize].x.total_cmp(&shape.0[*b as usize].x))
        .unwrap();
    let brush = Brush { stroke: Stroke::PullOut, radius: 0.03, strength: 0.001, firm: 0.0 };
    let mut positions = shape.0.clone();
    let touched = dab(&mut positions, &topology, centre, brush);
    assert!(touched.len() > 20);
    for v in 0..positions.len() {
        let moved = positions[v].distance(shape.0[v]);
        assert!(moved <= 0.001 + 1e-6);
        assert!(touched.contains(&(v as u32)) || moved == 0.0);
        if shape.0[v].distance(shape.0[centre as usize]) > 0.03 {
            assert_eq!(moved, 0.0);
        }
    }
    assert!((positions[centre as usize].length() - 0.101).abs() < 2e-5, "straight out");
    let pushed = Brush { stroke: Stroke::PushIn, ..brush };
    dab(&mut positions, &topology, centre, pushed);
    assert!(positions.iter().zip(&shape.0).all(|(a, b)| a.distance(*b) < 1e-4), "in again");

    // A spike is smoothed; a dab nowhere does nothing.
    positions[centre as usize] *= 1.2;
    let spike = positions[centre as usize].length();
    dab(
        &mut positions,
        &topology,
        centre,
        Brush { stroke: Stroke::Smooth, radius: 0.02, strength: 0.5, firm: 0.0 },
    );
    assert!(positions[centre as usize].length() < spike - 0.005);
    assert!(dab(&mut positions, &topology, u32::MAX, brush).is_empty());
}

/// A piece over a ball that grows a bump in front, and the offsets of that bump.
fn bumped(piece: &Shape, rigid: &[u32]) -> (Vec<Vec3>, Vec<Vec<Vec3>>) {
    let body = sphere(0.1, 48);
    let bump: Vec<Vec3> = body.0.iter().map(|p| *p * 0.2 * (p.z / 0.1).max(0.0).powi(2)).collect();
    let topology = Topology::of_welded(piece.0.len(), &piece.1);
    let (side, under) = (Side::new(piece.0.len(), &piece.1), Side::new(body.0.len(), &body.1));
    let (target, posed) = (BindTarget::new(&piece.0, &topology), under.pose(&body.0));
    let beneath = Covering { side: &under, posed: &posed, positions: &body.0 };
    let none = vec![Vec3::ZERO; body.0.len()];
    let on_top = OnTop { target: &target, side: &side, rigid, tolerance: 0.0 };
    let carried = carry_shapes(on_top, beneath, &[bump.clone(), none]).unwrap();
    (bump, carried)
}

#[test]
fn a_shape_is_carried_to_the_bodys_own_offset_surface_as_it_is() {
    let near = |far: f32| {
        let ball = sphere(0.1, 48);
        (ball.0.iter().map(|p| *p * (1.0 + far / 0.1)).collect(), ball.1)
    };
    let (bump, carried) = bumped(&near(0.0005), &[]);
    let off = carried[0].iter().zip(&bump).map(|(a, b)| a.distance(*b)).fold(0.0, f32::max);
    assert!(off < 5e-5, "{off}");
    // What moves nothing moves nothing to the bit.
    assert!(carried[1].iter().all(|o| *o == Vec3::ZERO));
}

#[test]
fn a_stiff_part_follows_a_shape_as_one() {
    let plate = moved(sphere(0.02, 12), Vec3::Z * 0.125);
    let (_, carried) = bumped(&plate, &vec![0; plate.0.len()]);
    let after: Vec<Vec3> = plate.0.iter().zip(&carried[0]).map(|(p, o)| *p + *o).collect();
    assert!(stiffness_error(&plate.0, &after) < 1e-6);
    let middle = carried[0].iter().sum::<Vec3>() / plate.0.len() as f32;
    assert!(middle.z > 0.01, "it goes out with the bump: {middle}");
}
