//! Whether a piece has rows of edges enough to bend smoothly.

use crate::mesh::Topology;
use crate::skeleton::Skeleton;
use crate::skin::Skin;
use crate::JointId;
use glam::Vec3;

/// A bend with too few rows of edges across it.
#[derive(Clone, Debug, PartialEq)]
pub struct CoarseBend {
    /// The joint that bends.
    pub joint: JointId,
    /// Rows of edges in the zone that bends.
    pub rows: f32,
    /// Middle of the zone, metres.
    pub middle: Vec3,
    /// The vertices of the zone.
    pub vertices: Vec<u32>,
    /// An edge along the limb through the middle of the zone, where there is one: a row across it is wanted.
    pub edge: Option<[u32; 2]>,
}

/// A smooth bend needs this many rows (common practice, no source).
pub const ROWS_WANTED: f32 = 3.0;
/// The zone: where the joint moves neither nearly all nor nearly nothing.
const ZONE: std::ops::Range<f32> = 0.1..0.9;
/// Edges shorter than this share of the bone are fine enough; where few of them cross the bend,
/// the weights jump because the cloth hangs off the limb.
const FINE: f32 = 1.0 / 15.0;

/// The bends of a piece (welded `positions`, metres, weighted by `skin` as bound or as the skin
/// beneath is) at those of `joints` (each with the joint at the bone's other end) that have fewer
/// rows than [`ROWS_WANTED`] and edges longer than a fifteenth of the bone. Rows are the edges on
/// the shortest way along the piece from what hardly follows the joint to what follows it whole, on the mean.
///
/// ```
/// use tin_cloak_core::shapes::{tube, Arm};
/// use tin_cloak_core::{intake::coarse_bends, mesh::Topology, skin::Skin, JointId};
///
/// // A sleeve with a ring every 0.3 m has too few to bend at the elbow.
/// let arm = Arm::new().skeleton.with_joint("hand", JointId(1), tin_cloak_core::glam::Vec3::Y * 0.6);
/// let (positions, triangles) = tube(0.06, 0.0, 0.6, 16, 2, 1.0);
/// let row = |y: f32| vec![(JointId(0), (1.0 - y / 0.6)), (JointId(1), y / 0.6)];
/// let skin = Skin::from_rows(&positions.iter().map(|p| row(p.y)).collect::<Vec<_>>(), 3)?;
/// let topology = Topology::of_welded(positions.len(), &triangles);
/// let found = coarse_bends(&topology, &positions, &skin, &arm, &[(JointId(1), JointId(2))]);
/// assert_eq!(found[0].joint, JointId(1));
/// assert!(found[0].rows < tin_cloak_core::intake::ROWS_WANTED);
/// # Ok::<(), tin_cloak_core::skin::SkinError>(())
/// ```
pub fn coarse_bends(
    topology: &Topology,
    positions: &[Vec3],
    skin: &Skin,
    skeleton: &Skeleton,
    joints: &[(JointId, JointId)],
) -> Vec<CoarseBend> {
    let places = skeleton.rest_positions();
    let bend = |&(joint, child): &(JointId, JointId)| {
        let (at, end) = (places[joint.index()], places[child.index()]);
        let below = skeleton.hanging_from(joint);
        let follows = |v: usize| skin.row(v).filter(|e| below[e.0.index()]).map(|e| e.1).sum::<f32>();
        let near = |v: usize| positions[v].distance(at) < at.distance(end) * 1.3;
        let share: Vec<f32> =
            (0..positions.len()).map(|v| if near(v) { follows(v) } else { f32::NAN }).collect();
        if mean_edge(topology, positions, &share)? < at.distance(end) * FINE {
            return None;
        }
        let rows = rows_across(topology, &share)?;
        let zone = (0..positions.len() as u32).filter(|&v| ZONE.contains(&share[v as usize]));
        let edge = || edge_along(topology, positions, &share, end - at);
        (rows < ROWS_WANTED).then(|| CoarseBend {
            joint,
            rows,
            middle: at,
            vertices: zone.collect(),
            edge: edge(),
        })
    };
    joints.iter().filter_map(bend).collect()
}

/// Of the edges from what follows less than half to what follows more the one that runs most along the limb.
fn edge_along(topology: &Topology, positions: &[Vec3], share: &[f32], bone: Vec3) -> Option<[u32; 2]> {
    let bone = bone.normalize_or_zero();
    let crosses = |e: &&[u32; 2]| {
        let [a, b] = e.map(|v| share[v as usize]);
        a.min(b) < 0.5 && a.max(b) >= 0.5
    };
    let along = |e: &&[u32; 2]| {
        let [a, b] = e.map(|v| positions[v as usize]);
        (b - a).normalize_or_zero().dot(bone).abs()
    };
    topology.edges.iter().filter(crosses).max_by(|a, b| along(a).total_cmp(&along(b))).copied()
}

/// Mean length of the edges between vertices that are not left out, metres.
fn mean_edge(topology: &Topology, positions: &[Vec3], share: &[f32]) -> Option<f32> {
    let taken = |e: &&[u32; 2]| e.iter().all(|&v| !share[v as usize].is_nan());
    let length = |&[a, b]: &[u32; 2]| positions[a as usize].distance(positions[b as usize]);
    let lengths = topology.edges.iter().filter(taken).map(length);
    let (sum, count) = lengths.fold((0.0, 0), |(s, n), l| (s + l, n + 1));
    (count > 0).then(|| sum / count as f32)
}

/// Mean number of edges from the vertices that follow least to those that follow whole; nothing
/// when the piece does not reach from one to the other. NaN marks vertices left out.
fn rows_across(topology: &Topology, share: &[f32]) -> Option<f32> {
    const FAR: u32 = u32::MAX;
    let mut hops = vec![FAR; share.len()];
    let mut line: Vec<u32> = (0..share.len() as u32).filter(|&v| share[v as usize] <= ZONE.start).collect();
    line.iter().for_each(|&v| hops[v as usize] = 0);
    let (mut next, mut sum, mut count) = (0, 0, 0);
    while next < line.len() {
        let v = line[next] as usize;
        next += 1;
        if share[v] >= ZONE.end {
            // The far side begins here; what lies behind is no row of the bend.
            (sum, count) = (sum + hops[v], count + 1);
            continue;
        }
        for &n in topology.neighbours.row(v) {
            if hops[n as usize] == FAR && !share[n as usize].is_nan() {
                hops[n as usize] = hops[v] + 1;
                line.push(n);
            }
        }
    }
    (count > 0).then(|| sum as f32 / count as f32)
}
