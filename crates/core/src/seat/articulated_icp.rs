//! Finding the pose of the body in which a piece was modelled.
//!
//! The pose is searched for in which the gap between piece and skin is most even: an
//! articulated closest-point fit. Each round poses the body, finds for a sample of the piece's
//! vertices the nearest skin looking the same way, and takes a Levenberg–Marquardt step in the
//! joints' rotations (Marquardt, “An algorithm for least-squares estimation of nonlinear
//! parameters”, 1963), with distances taken along the skin's normal (Chen & Medioni, “Object
//! modelling by registration of multiple range images”, 1992) and far ones counting less
//! (Tukey's biweight). It begins at the best of some coarse turns of each joint, from the trunk
//! outwards.

use crate::deform::linear_blend;
use crate::mesh::mix;
use crate::mesh::{vertex_normals_into, Csr};
use crate::query::Bvh;
use crate::skeleton::{Pose, Skeleton};
use crate::skin::Skin;
use crate::JointId;
use glam::{Mat4, Quat, Vec3};
use rayon::prelude::*;
use tin_cloak_solve::{solve_dense, Mat};

/// A body and a piece that sits on it in some pose; welded, metres.
pub struct Sitting<'a> {
    /// The body's joints.
    pub skeleton: &'a Skeleton,
    /// The body at rest.
    pub rest: &'a [Vec3],
    /// Its faces.
    pub triangles: &'a [[u32; 3]],
    /// Triangles at each of its vertices.
    pub incident: &'a Csr,
    /// Its weights.
    pub skin: &'a Skin,
    /// The piece as modelled.
    pub piece: &'a [Vec3],
    /// Its outward unit normals.
    pub normals: &'a [Vec3],
}

/// The pose found, and what gap remains. Metres.
#[derive(Clone, Debug, PartialEq)]
pub struct FoundPose {
    /// The pose.
    pub pose: Pose,
    /// Median distance from skin to piece along the skin's normal.
    pub typical_gap: f32,
    /// Mean departure from that gap: 0 when it is even everywhere.
    pub unevenness: f32,
    /// The same before.
    pub unevenness_before: f32,
    /// Deepest that the piece lies inside the skin.
    pub deepest_sunk: f32,
}

/// A joint covered by a piece carries at least this much weight beneath it.
const COVERED: f32 = 0.02;
const SAMPLES: usize = 1600;
const STEPS: usize = 60;
/// Skin further than this from the piece is not what it lies on, metres.
const REACH: f32 = 0.15;
/// Departures from the even gap beyond this count nothing in a fine step, metres.
const OUTLIER: f32 = 0.03;

/// Which joints lie beneath a piece at rest: their share of the weight on the skin nearest to it.
///
/// ```
/// use tin_cloak_core::mesh::{vertex_normals, Topology};
/// use tin_cloak_core::seat::{covered_joints, Sitting};
/// use tin_cloak_core::{shapes::{tube, Arm}, JointId};
///
/// // A cuff at the wrist covers the elbow's half alone.
/// let (arm, cuff) = (Arm::new(), tube(0.055, 0.5, 0.58, 16, 4, 1.0));
/// let topology = Topology::of_welded(arm.surface.0.len(), &arm.surface.1);
/// let sitting = Sitting {
///     skeleton: &arm.skeleton,
///     rest: &arm.surface.0,
///     triangles: &arm.surface.1,
///     incident: &topology.incident,
///     skin: &arm.skin,
///     piece: &cuff.0,
///     normals: &vertex_normals(&cuff.0, &cuff.1),
/// };
/// assert_eq!(covered_joints(&sitting), [JointId(1)]);
/// ```
pub fn covered_joints(sitting: &Sitting) -> Vec<JointId> {
    let tree = Bvh::build(sitting.rest, sitting.triangles);
    let mut sums = vec![0.0f32; sitting.skeleton.len()];
    for i in sample(sitting.piece.len()) {
        let Some(hit) = tree.closest(sitting.piece[i], f32::INFINITY) else { continue };
        let corners = sitting.triangles[hit.triangle as usize];
        sitting.skin.at(corners, hit.barycentric).into_iter().for_each(|(j, w)| sums[j.index()] += w);
    }
    let all: f32 = sums.iter().sum();
    let covered = (0..sums.len()).filter(|&j| sums[j] > all * COVERED);
    covered.map(|j| JointId(j as u16)).collect()
}

fn sample(count: usize) -> impl Iterator<Item = usize> {
    (0..count).step_by((count / SAMPLES).max(1))
}

/// Searches over the rotations of `joints`, beginning at `start`. `progress` is told the share
/// done and answers whether to go on; nothing comes back when it says no.
///
/// ```
/// use tin_cloak_core::mesh::{vertex_normals, Topology};
/// use tin_cloak_core::seat::{find_pose, Sitting};
/// use tin_cloak_core::shapes::{tube, Arm};
/// use tin_cloak_core::{deform::linear_blend, skeleton::Pose, JointId};
///
/// // A sleeve modelled round an arm that is bent by 30°.
/// let (arm, mut sleeve) = (Arm::new(), tube(0.055, 0.0, 0.6, 16, 23, 1.0));
/// linear_blend(&sleeve.0.clone(), &arm.skin, &arm.bent(30.0), &mut sleeve.0);
/// let topology = Topology::of_welded(arm.surface.0.len(), &arm.surface.1);
/// let sitting = Sitting {
///     skeleton: &arm.skeleton,
///     rest: &arm.surface.0,
///     triangles: &arm.surface.1,
///     incident: &topology.incident,
///     skin: &arm.skin,
///     piece: &sleeve.0,
///     normals: &vertex_normals(&sleeve.0, &sleeve.1),
/// };
/// let found = find_pose(&sitting, &[JointId(1)], &Pose::rest(2), &|_| true).unwrap();
/// let (_, angle) = found.pose.rotations[1].to_axis_angle();
/// assert!((angle.to_degrees() - 30.0).abs() < 3.0);
/// ```
pub fn find_pose(
    sitting: &Sitting,
    joints: &[JointId],
    start: &Pose,
    progress: &(dyn Fn(f32) -> bool + Sync),
) -> Option<FoundPose> {
    let mut search = Search::new(sitting, joints);
    let before = search.fit(start).unevenness;
    let mut pose = search.coarse(start, &|s| progress(s * 0.4))?;
    let mut best = search.cost(&pose);
    let mut damping = 1e-3f32;
    for step in 0..STEPS {
        if !progress(0.4 + 0.6 * step as f32 / STEPS as f32) {
            return None;
        }
        let Some(next) = search.step(&pose, start, damping) else { break };
        let cost = search.cost(&next);
        if cost < best {
            let gain = best - cost;
            (pose, best, damping) = (next, cost, (damping * 0.3).max(1e-6));
            if gain < best * 1e-6 {
                break;
            }
        } else {
            damping *= 8.0;
            if damping > 1e4 {
                break;
            }
        }
    }
    let fit = search.fit(&pose);
    Some(FoundPose {
        pose,
        typical_gap: fit.gap,
        unevenness: fit.unevenness,
        unevenness_before: before,
        deepest_sunk: fit.deepest_sunk,
    })
}

/// A sampled vertex of the piece and the skin it lies on.
#[derive(Clone, Copy)]
struct Contact {
    /// Distance along the skin's normal, metres; positive outside.
    distance: f32,
    place: Vec3,
    normal: Vec3,
    triangle: u32,
    barycentric: [f32; 3],
}

struct IcpFit {
    gap: f32,
    unevenness: f32,
    deepest_sunk: f32,
}

struct Search<'a> {
    sitting: &'a Sitting<'a>,
    joints: &'a [JointId],
    samples: Vec<usize>,
    posed: Vec<Vec3>,
    normals: Vec<Vec3>,
    tree: Bvh,
    /// For each searched joint, which joints hang from it (itself too).
    moves: Vec<Vec<bool>>,
}

impl<'a> Search<'a> {
    fn new(sitting: &'a Sitting<'a>, joints: &'a [JointId]) -> Self {
        Self {
            sitting,
            joints,
            samples: sample(sitting.piece.len()).collect(),
            posed: sitting.rest.to_vec(),
            normals: vec![Vec3::ZERO; sitting.rest.len()],
            tree: Bvh::build(sitting.rest, sitting.triangles),
            moves: joints.iter().map(|&j| sitting.skeleton.hanging_from(j)).collect(),
        }
    }

    /// Poses the body and finds what each sample lies on.
    fn contacts(&mut self, pose: &Pose) -> Vec<Option<Contact>> {
        let s = self.sitting;
        let matrices = s.skeleton.skin_matrices(pose);
        linear_blend(s.rest, s.skin, &matrices, &mut self.posed);
        vertex_normals_into(&self.posed, s.triangles, s.incident, &mut self.normals);
        self.tree.refit(&self.posed);
        self.samples.par_iter().with_min_len(128).map(|&i| self.contact(s.piece[i], s.normals[i])).collect()
    }

    fn contact(&self, p: Vec3, n: Vec3) -> Option<Contact> {
        let hit = self.tree.closest_facing(p, REACH, n, 0.2)?;
        let corners = self.sitting.triangles[hit.triangle as usize];
        let normal: Vec3 = mix(corners, hit.barycentric, |v| self.normals[v as usize]);
        let normal = normal.try_normalize()?;
        let distance = (p - hit.point).dot(normal);
        let (triangle, barycentric) = (hit.triangle, hit.barycentric);
        Some(Contact { distance, place: hit.point, normal, triangle, barycentric })
    }

    /// What is made small: the mean squared departure from the even gap, lying inside counted
    /// more, and a sample with nothing near as much as one far off.
    fn cost(&mut self, pose: &Pose) -> f32 {
        let contacts = self.contacts(pose);
        let gap = even_gap(&contacts);
        let one = |c: &Option<Contact>| {
            let Some(c) = c else { return OUTLIER * OUTLIER };
            let off = (c.distance - gap).abs().min(OUTLIER);
            off * off * if c.distance < 0.0 { 2.0 } else { 1.0 }
        };
        contacts.iter().map(one).sum::<f32>() / contacts.len().max(1) as f32
    }

    fn fit(&mut self, pose: &Pose) -> IcpFit {
        let contacts = self.contacts(pose);
        let gap = even_gap(&contacts);
        let found: Vec<&Contact> = contacts.iter().flatten().collect();
        let count = found.len().max(1) as f32;
        IcpFit {
            gap,
            unevenness: found.iter().map(|c| (c.distance - gap).abs()).sum::<f32>() / count,
            deepest_sunk: found.iter().map(|c| -c.distance).fold(0.0, f32::max),
        }
    }

    /// The best of some large turns of each joint, taken one after another from the trunk out.
    fn coarse(&mut self, start: &Pose, progress: &dyn Fn(f32) -> bool) -> Option<Pose> {
        let mut best = (self.cost(start), start.clone());
        for (n, &joint) in self.joints.iter().enumerate() {
            let base = best.1.clone();
            let own = world_rotation(&self.sitting.skeleton.world(&base)[joint.index()]);
            for axis in [Vec3::X, Vec3::Y, Vec3::Z] {
                for degrees in [-70.0f32, -35.0, 35.0, 70.0] {
                    let mut pose = base.clone();
                    turn_in_world(&mut pose, joint, own, Quat::from_axis_angle(axis, degrees.to_radians()));
                    let cost = self.cost(&pose);
                    if cost < best.0 {
                        best = (cost, pose);
                    }
                }
            }
            if !progress((n + 1) as f32 / self.joints.len() as f32) {
                return None;
            }
        }
        Some(best.1)
    }

    /// One damped least-squares step; nothing when the system cannot be solved.
    fn step(&mut self, pose: &Pose, start: &Pose, damping: f32) -> Option<Pose> {
        let contacts = self.contacts(pose);
        let gap = even_gap(&contacts);
        let world = self.sitting.skeleton.world(pose);
        let size = self.joints.len() * 3;
        let (mut square, mut right) = (Mat::<f64>::zeros(size, size), Mat::<f64>::zeros(size, 1));
        for contact in contacts.iter().flatten() {
            let off = contact.distance - gap;
            let t = (off / OUTLIER).clamp(-1.0, 1.0);
            let weight = (1.0 - t * t).powi(2) * if contact.distance < 0.0 { 2.0 } else { 1.0 };
            if weight > 0.0 {
                let row = self.gradient(contact, &world);
                add_row(&mut square, &mut right, &row, f64::from(off), f64::from(weight));
            }
        }
        // A touch of pull towards the start: what nothing decides stays as it was.
        for k in 0..size {
            let (n, axis) = (k / 3, k % 3);
            let away = turn_away(pose, start, self.joints[n], &world)[axis];
            let scale = square[(k, k)];
            square[(k, k)] = scale * (1.0 + f64::from(damping)) + 1e-4;
            right[(k, 0)] -= 1e-4 * f64::from(away);
        }
        let solved = solve_dense(&square, &right)?;
        let mut next = pose.clone();
        for (n, &joint) in self.joints.iter().enumerate() {
            let turn = [0, 1, 2].map(|k| solved[(n * 3 + k, 0)] as f32);
            let turn = Vec3::from(turn).clamp_length_max(0.35);
            turn_in_world(
                &mut next,
                joint,
                world_rotation(&world[joint.index()]),
                Quat::from_scaled_axis(turn),
            );
        }
        Some(next)
    }

    /// How the distance changes as each joint turns about the world's axes.
    fn gradient(&self, contact: &Contact, world: &[Mat4]) -> Vec<f64> {
        let corners = self.sitting.triangles[contact.triangle as usize];
        let weights = self.sitting.skin.at(corners, contact.barycentric);
        let mut row = Vec::with_capacity(self.joints.len() * 3);
        for (n, joint) in self.joints.iter().enumerate() {
            let share: f32 = weights.iter().filter(|(j, _)| self.moves[n][j.index()]).map(|e| e.1).sum();
            let arm = contact.place - world[joint.index()].w_axis.truncate();
            let turned = arm.cross(contact.normal) * -share;
            row.extend(turned.to_array().map(f64::from));
        }
        row
    }
}

/// The gap that most of the piece has: the median distance.
fn even_gap(contacts: &[Option<Contact>]) -> f32 {
    let mut distances: Vec<f32> = contacts.iter().flatten().map(|c| c.distance).collect();
    if distances.is_empty() {
        return 0.0;
    }
    let middle = distances.len() / 2;
    *distances.select_nth_unstable_by(middle, f32::total_cmp).1
}

/// Adds a weighted residual to the normal equations for a step that takes it away.
fn add_row(square: &mut Mat<f64>, right: &mut Mat<f64>, row: &[f64], off: f64, weight: f64) {
    for (a, x) in row.iter().enumerate().filter(|(_, x)| **x != 0.0) {
        right[(a, 0)] -= weight * x * off;
        for (b, y) in row.iter().enumerate() {
            square[(a, b)] += weight * x * y;
        }
    }
}

fn world_rotation(matrix: &Mat4) -> Quat {
    matrix.to_scale_rotation_translation().1
}

/// Turns `joint`, whose world rotation in the pose is `own`, by a turn about the world's axes.
fn turn_in_world(pose: &mut Pose, joint: JointId, own: Quat, turn: Quat) {
    let rotation = &mut pose.rotations[joint.index()];
    *rotation = (*rotation * (own.inverse() * turn * own)).normalize();
}

/// How far a joint is turned from the start, as a rotation vector about the world's axes.
fn turn_away(pose: &Pose, start: &Pose, joint: JointId, world: &[Mat4]) -> Vec3 {
    let j = joint.index();
    let local = start.rotations[j].inverse() * pose.rotations[j];
    let local = if local.w < 0.0 { -local } else { local };
    world_rotation(&world[j]) * local.to_scaled_axis()
}
