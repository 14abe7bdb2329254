//! Weights from the skeleton alone: heat that flows from bones into the surface.
//!
//! Baran & Popović, “Automatic Rigging and Animation of 3D Characters”, SIGGRAPH 2007, section 4:
//! −Δw + H w = H p, with H = 1/d² where the nearest bone is seen from the vertex inside the mesh
//! and 0 elsewhere.

use super::laplacian::solve_positive;
use super::{BindError, BindTarget, Laplacian};
use crate::query::Bvh;
use crate::skeleton::Skeleton;
use crate::skin::Skin;
use crate::JointId;
use glam::Vec3;
use rayon::prelude::*;
use tin_cloak_solve::{Mat, Triplet};

/// A straight stretch that a joint moves, metres in model space at rest.
#[derive(Clone, Copy, Debug, PartialEq)]
#[allow(missing_docs)]
pub struct Bone {
    pub joint: JointId,
    pub from: Vec3,
    pub to: Vec3,
}

impl Bone {
    /// The point of it that is nearest to `p`.
    pub fn nearest(&self, p: Vec3) -> Vec3 {
        let along = self.to - self.from;
        let t = (p - self.from).dot(along) / along.length_squared().max(f32::MIN_POSITIVE);
        self.from + along * t.clamp(0.0, 1.0)
    }
}

/// From each joint of `allowed` (one a joint) to each of its allowed children. A joint at the end
/// of a chain goes on as its parent does, half as far.
///
/// ```
/// use tin_cloak_core::{bind::bones, shapes::Arm, JointId};
///
/// let bones = bones(&Arm::new().skeleton, &[true, true]);
/// assert_eq!(bones.iter().map(|b| b.joint).collect::<Vec<_>>(), [JointId(0), JointId(1)]);
/// assert!((bones[1].to.y - 0.45).abs() < 1e-5, "the last goes on half as far");
/// ```
pub fn bones(skeleton: &Skeleton, allowed: &[bool]) -> Vec<Bone> {
    let places = skeleton.rest_positions();
    let mut all = Vec::new();
    for (j, children) in skeleton.children().iter().enumerate().filter(|(j, _)| allowed[*j]) {
        let joint = JointId(j as u16);
        let before = all.len();
        let ends = children.iter().filter(|c| allowed[c.index()]).map(|c| places[c.index()]);
        all.extend(ends.map(|to| Bone { joint, from: places[j], to }));
        if all.len() == before {
            let above = skeleton.parents[j].map_or(places[j], |p| places[p.index()]);
            let to = places[j] + (places[j] - above) * 0.5;
            all.push(Bone { joint, from: places[j], to });
        }
    }
    all
}

/// Weights of the target from `bones`, at most `most` joints a vertex. A shell that sees none of
/// its nearest bones takes heat from them through its own faces.
///
/// ```
/// use tin_cloak_core::bind::{bones, heat_weights, BindTarget};
/// use tin_cloak_core::{mesh::Topology, shapes::Arm, JointId};
///
/// let arm = Arm::new();
/// let topology = Topology::of_welded(arm.surface.0.len(), &arm.surface.1);
/// let target = BindTarget::new(&arm.surface.0, &topology);
/// let skin = heat_weights(&target, &bones(&arm.skeleton, &[true, true]), 2, 4)?;
/// assert!(skin.column(JointId(0))[0] > 0.9, "the shoulder moves its own end");
/// # Ok::<(), tin_cloak_core::bind::BindError>(())
/// ```
///
/// # Errors
/// When there is no bone, or the system cannot be factored.
pub fn heat_weights(
    target: &BindTarget,
    bones: &[Bone],
    joints: usize,
    most: usize,
) -> Result<Skin, BindError> {
    if bones.is_empty() {
        return Err(BindError::NoBones);
    }
    let topology = target.topology;
    let n = target.positions.len();
    let sources = heat_sources(target, bones);
    let laplacian = Laplacian::new(target.positions, &topology.triangles, &topology.neighbours);

    let mut column_of = vec![usize::MAX; joints];
    let mut columns: Vec<JointId> = Vec::new();
    for (joint, _) in sources.iter().flat_map(|s| &s.joints) {
        if column_of[joint.index()] == usize::MAX {
            column_of[joint.index()] = columns.len();
            columns.push(*joint);
        }
    }
    let mut triplets = Vec::with_capacity(n * 5);
    let mut right = Mat::<f64>::zeros(n, columns.len());
    for (i, source) in sources.iter().enumerate() {
        let heat = source.strength * laplacian.masses[i];
        for (j, l) in laplacian.matrix.row(i).filter(|(j, _)| *j <= i) {
            triplets.push(Triplet::new(i, j, if i == j { l + heat } else { l }));
        }
        for &(joint, share) in &source.joints {
            right[(i, column_of[joint.index()])] += heat * share;
        }
    }
    let solved = solve_positive(n, &triplets, &right)?;
    let row = |v: usize| -> Vec<(JointId, f32)> {
        let all =
            columns.iter().enumerate().map(|(c, &joint)| (joint, solved[(v, c)].clamp(0.0, 1.0) as f32));
        all.filter(|e| e.1 > 1e-4).collect()
    };
    Ok(Skin::from_rows(&(0..n).map(row).collect::<Vec<_>>(), joints)?.limit(most))
}

/// How strongly a vertex is heated, and by which joints in which shares.
struct Heat {
    strength: f64,
    joints: Vec<(JointId, f64)>,
}

fn heat_sources(target: &BindTarget, bones: &[Bone]) -> Vec<Heat> {
    let topology = target.topology;
    let tree = Bvh::build(target.positions, &topology.triangles);
    let (low, high) = crate::mesh::bounds(target.positions);
    let least = (high - low).length() * 1e-3;
    let one = |v: usize| {
        let p = target.positions[v];
        let distance = |b: &Bone| b.nearest(p).distance(p);
        let nearest = bones.iter().map(distance).fold(f32::INFINITY, f32::min);
        // Bones that meet in a joint are equally near to what lies off their ends.
        let close: Vec<&Bone> = bones.iter().filter(|b| distance(b) <= nearest * 1.0001 + 1e-6).collect();
        let incident = topology.incident.row(v);
        let seen = |b: &Bone| {
            let q = b.nearest(p);
            !tree.is_hit(q, p - q, 1e-4, 0.9999, |t| incident.binary_search(&t).is_err())
        };
        let visible = close.iter().any(|b| seen(b));
        let joints = close.iter().map(|b| (b.joint, 1.0 / close.len() as f64)).collect();
        (visible, Heat { strength: f64::from(nearest.max(least)).powi(-2), joints })
    };
    let found: Vec<(bool, Heat)> =
        (0..target.positions.len()).into_par_iter().with_min_len(128).map(one).collect();
    let mut heated = vec![false; topology.shells];
    found.iter().zip(&topology.shell_of_vertex).for_each(|(f, s)| heated[*s as usize] |= f.0);
    let mut all = Vec::with_capacity(found.len());
    for ((visible, heat), &shell) in found.into_iter().zip(&topology.shell_of_vertex) {
        let dark = heated[shell as usize] && !visible;
        all.push(if dark { Heat { strength: 0.0, joints: Vec::new() } } else { heat });
    }
    all
}
