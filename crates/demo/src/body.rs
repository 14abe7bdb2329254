//! Wick's body: mesh, weights and shapes.

use crate::figure::{self, arm, body, foot, leg, trunk};
use crate::finer;
use crate::hand::{finger_shares, hand, FINGERS};
use crate::head::neck_and_head;
use crate::remesh::{mesh_of, relax, symmetrise, Shape3};
use crate::skeleton::{BodyJoints, BodySide};
use glam::Vec3;
use tin_cloak_core::bind::Laplacian;
use tin_cloak_core::deform::Morph;
use tin_cloak_core::mesh::{vertex_normals, Mesh, Topology};
use tin_cloak_core::skin::Skin;
use tin_cloak_core::JointId;

/// How far weights spread over the surface, metres.
const SPREAD: f64 = 0.024;

/// How far the weights of fingers do.
const FINGER_SPREAD: f64 = 0.003;

/// Cells, metres, of the body with about 19,000 vertices.
pub(crate) const CELL: f32 = 0.0145;

/// The body as a mesh.
pub(crate) fn mesh(cell: f32) -> Shape3 {
    let drawn_out = |u: Vec3| body(finer::in_model(u));
    let (low, high) = (Vec3::new(-0.94, -0.03, -0.30), Vec3::new(0.94, 1.96, 0.36));
    let mut shape = mesh_of(&drawn_out, low, high, cell);
    shape.positions.iter_mut().for_each(|p| *p = finer::in_model(*p));
    let on_plane: Vec<bool> = shape.positions.iter().map(|p| p.x == 0.0).collect();
    let hold = |v: usize, p: Vec3| if on_plane[v] { Vec3::new(0.0, p.y, p.z) } else { p };
    relax(&mut shape, &body, &|_| 0.0, 12, 1, &hold);
    symmetrise(&mut shape.positions);
    shape
}

/// Skin weights: each vertex starts with the joints of the part it lies on, blended along the
/// limb, and the weights then spread a few centimetres over the surface by one implicit
/// diffusion step (as heat does).
pub(crate) fn weights(mesh: &Mesh, topology: &Topology, joints: &BodyJoints) -> Skin {
    let count = joints.skeleton.len();
    let rows: Vec<Vec<(JointId, f32)>> = mesh.positions.iter().map(|p| first_guess(*p, joints)).collect();
    let laplacian = Laplacian::new(&mesh.positions, &topology.triangles, &topology.neighbours);
    let mut dense = spread_out(&laplacian, &rows, count, SPREAD);
    let fingers: Vec<_> = mesh.positions.iter().map(|p| hand_guess(*p, joints)).collect();
    let fingers = spread_out(&laplacian, &fingers, count, FINGER_SPREAD);
    for (of, fingers) in dense.chunks_exact_mut(count).zip(fingers.chunks_exact(count)) {
        give_to_fingers(of, fingers, joints);
    }
    let spread: Vec<Vec<(JointId, f32)>> = dense
        .chunks_exact(count)
        .map(|of| {
            let heavy = of.iter().enumerate().filter(|(_, w)| **w > 0.004);
            heavy.map(|(j, w)| (JointId(j as u16), *w as f32)).collect()
        })
        .collect();
    let spread = with_stray_weight(spread, mesh, joints);
    // Every vertex lies on some part, so no row is empty.
    Skin::from_rows(&spread, count).map(|s| s.limit(4)).unwrap_or_else(|e| unreachable!("{e}"))
}

/// Rows of weights spread about `reach` metres over the surface: `count` numbers a vertex.
fn spread_out(laplacian: &Laplacian, rows: &[Vec<(JointId, f32)>], count: usize, reach: f64) -> Vec<f64> {
    let mut dense = vec![0.0f64; rows.len() * count];
    for (v, row) in rows.iter().enumerate() {
        for (j, w) in row {
            dense[v * count + j.index()] += f64::from(*w);
        }
    }
    // The system is positive definite whatever the mesh, so the solve cannot fail.
    laplacian.diffuse(&dense, count, reach).unwrap_or(dense)
}

/// What a place would have if all of it were the hand's.
fn hand_guess(p: Vec3, joints: &BodyJoints) -> Vec<(JointId, f32)> {
    let side = if p.x >= 0.0 { BodySide::Left } else { BodySide::Right };
    let q = Vec3::new(p.x.abs(), p.y, p.z);
    let fingers = if hand(p) < arm(p) + 0.004 { finger_shares(q) } else { Vec::new() };
    let left: f32 = 1.0 - fingers.iter().map(|f| f.2).sum::<f32>();
    let named = fingers.into_iter().map(|(finger, joint, share)| {
        (joints.on(side, &format!("{}_{}", FINGERS[finger].name, joint + 1)), share)
    });
    named.chain([(joints.on(side, "hand"), left)]).collect()
}

/// Shares what the hands have among their fingers.
fn give_to_fingers(of: &mut [f64], fingers: &[f64], joints: &BodyJoints) {
    for side in [BodySide::Left, BodySide::Right] {
        let hand = joints.on(side, "hand");
        let all: f64 = of[hand.index()];
        of[hand.index()] = all * fingers[hand.index()];
        for finger in (0..fingers.len()).filter(|&j| is_finger(joints, JointId(j as u16), hand)) {
            of[finger] = all * fingers[finger];
        }
    }
}

fn is_finger(joints: &BodyJoints, joint: JointId, hand: JointId) -> bool {
    std::iter::successors(joints.skeleton.parents[joint.index()], |j| joints.skeleton.parents[j.index()])
        .any(|above| above == hand)
}

/// A fault to find: the left knee's pole handle pulls at the kneecap a little.
fn with_stray_weight(
    mut rows: Vec<Vec<(JointId, f32)>>,
    mesh: &Mesh,
    joints: &BodyJoints,
) -> Vec<Vec<(JointId, f32)>> {
    let kneecap = figure::LOWER_LEG + Vec3::new(0.0, 0.008, 0.052);
    for (row, p) in rows.iter_mut().zip(&mesh.positions) {
        let near = 1.0 - (p.distance(kneecap) / 0.03).min(1.0);
        if near > 0.0 {
            row.push((joints.on(BodySide::Left, "knee_pole"), near * 0.12));
        }
    }
    rows
}

/// The joints of the part a point lies on, blended by how far along it is.
fn first_guess(p: Vec3, joints: &BodyJoints) -> Vec<(JointId, f32)> {
    let side = if p.x >= 0.0 { BodySide::Left } else { BodySide::Right };
    let q = Vec3::new(p.x.abs(), p.y, p.z);
    let get = |name: &str| joints.on(side, name);
    let parts = [trunk(p), arm(p) + 0.004, hand(p), leg(p) + 0.004, foot(p), neck_and_head(p)];
    let nearest = (0..parts.len()).min_by(|a, b| parts[*a].total_cmp(&parts[*b])).unwrap_or(0);
    match nearest {
        1 | 2 => arm_guess(q, get),
        3 | 4 => leg_guess(q, get),
        5 => chain(
            p.y,
            &[(1.40, joints.id("spine_3")), (1.455, joints.id("neck")), (1.545, joints.id("head"))],
        ),
        _ => trunk_guess(q, joints, get),
    }
}

fn trunk_guess(q: Vec3, joints: &BodyJoints, get: impl Fn(&str) -> JointId) -> Vec<(JointId, f32)> {
    let spine = [
        (0.975, joints.id("hips")),
        (1.075, joints.id("spine_1")),
        (1.185, joints.id("spine_2")),
        (1.29, joints.id("spine_3")),
    ];
    let mut row = chain(q.y, &spine);
    // The shoulder girdle carries the slope beside the neck, front and back of the armpit.
    let girdle = smooth(0.05, 0.15, q.x) * smooth(1.27, 1.37, q.y) * 0.75;
    row.iter_mut().for_each(|e| e.1 *= 1.0 - girdle);
    row.push((get("shoulder"), girdle));
    row
}

fn along(q: Vec3, a: Vec3, b: Vec3) -> f32 {
    (q - a).dot(b - a) / (b - a).length_squared()
}

fn arm_guess(q: Vec3, get: impl Fn(&str) -> JointId) -> Vec<(JointId, f32)> {
    use figure::{HAND, HAND_TIP, LOWER_ARM, UPPER_ARM};
    let (upper, lower, end) =
        (along(q, UPPER_ARM, LOWER_ARM), along(q, LOWER_ARM, HAND), along(q, HAND, HAND_TIP));
    let elbow = smooth(-0.09, 0.09, lower);
    let wrist = smooth(-0.10, 0.12, end);
    let twist = smooth(0.3, 0.75, upper);
    let fore_twist = smooth(0.3, 0.8, lower);
    let fore = elbow * (1.0 - wrist);
    vec![
        (get("upper_arm"), (1.0 - elbow) * (1.0 - twist)),
        (get("upper_arm_twist"), (1.0 - elbow) * twist),
        (get("lower_arm"), fore * (1.0 - fore_twist)),
        (get("lower_arm_twist"), fore * fore_twist),
        (get("hand"), wrist),
    ]
}

fn leg_guess(q: Vec3, get: impl Fn(&str) -> JointId) -> Vec<(JointId, f32)> {
    use figure::{FOOT, LOWER_LEG, TOE, UPPER_LEG};
    let knee = smooth(-0.10, 0.10, along(q, LOWER_LEG, FOOT));
    let twist = smooth(0.3, 0.8, along(q, UPPER_LEG, LOWER_LEG));
    let ankle = smooth(0.135, 0.075, q.y);
    let toe = ankle * smooth(TOE.z - 0.028, TOE.z + 0.022, q.z);
    let shin = knee * (1.0 - ankle);
    vec![
        (get("upper_leg"), (1.0 - knee) * (1.0 - twist)),
        (get("upper_leg_twist"), (1.0 - knee) * twist),
        (get("lower_leg"), shin),
        (get("foot"), ankle - toe),
        (get("toe"), toe),
    ]
}

/// Blends between neighbouring stations of a chain by height.
fn chain(y: f32, stations: &[(f32, JointId)]) -> Vec<(JointId, f32)> {
    let above = stations.partition_point(|s| s.0 <= y);
    if above == 0 {
        return vec![(stations[0].1, 1.0)];
    }
    if above == stations.len() {
        return vec![(stations[above - 1].1, 1.0)];
    }
    let t = smooth(stations[above - 1].0, stations[above].0, y);
    vec![(stations[above - 1].1, 1.0 - t), (stations[above].1, t)]
}

/// Smoothstep from 0 at `a` to 1 at `b` (either way round).
pub(crate) fn smooth(a: f32, b: f32, x: f32) -> f32 {
    let t = ((x - a) / (b - a)).clamp(0.0, 1.0);
    t * t * (3.0 - 2.0 * t)
}

/// Body shapes: *stout* swells belly, seat and limbs, *slight* draws them in.
pub(crate) fn shapes(mesh: &Mesh, topology: &Topology) -> Vec<Morph> {
    let normals = vertex_normals(&mesh.positions, &topology.triangles);
    let fullness = |p: Vec3| {
        let belly = smooth(0.16, 0.0, (p.y - 1.06).abs()) * smooth(-0.02, 0.07, p.z) * 0.030;
        let seat = smooth(0.2, 0.0, (p.y - 0.92).abs()) * 0.014;
        let trunk = smooth(0.45, 0.1, (p.y - 1.1).abs()) * smooth(0.32, 0.2, p.x.abs()) * 0.009;
        let thigh = smooth(0.3, 0.0, (p.y - 0.75).abs()) * 0.010;
        belly + seat + trunk + thigh
    };
    let shape = |name: &str, amount: f32| {
        let offsets: Vec<Vec3> =
            mesh.positions.iter().zip(&normals).map(|(p, n)| *n * fullness(*p) * amount).collect();
        Morph::from_dense(name.to_owned(), &offsets)
    };
    vec![shape("stout", 1.0), shape("slight", -0.45)]
}
