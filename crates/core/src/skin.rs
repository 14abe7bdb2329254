//! Skin weights: for each vertex a few joints whose weights sum to one, by construction.

use crate::mesh::{Between, Weld};
use crate::JointId;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

/// Sparse skin weights with the same number of places (`stride`) for each vertex.
///
/// Places are sorted by falling weight, unused ones hold weight 0 and joint 0. The fields
/// are private so that weights are always normalised.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Skin {
    stride: usize,
    joints: Vec<u16>,
    weights: Vec<f32>,
}

/// What can be wrong with skin weights.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum SkinError {
    /// A vertex is held by nothing.
    #[error(
        "{count} vertices have no weight at all (the first is vertex {vertex}): bind them to a joint and \
     export again"
    )]
    NoWeight {
        /// The first such vertex.
        vertex: u32,
        /// How many there are.
        count: usize,
    },
    /// A weight is NaN, infinite or negative.
    #[error(
        "the weight {weight} at vertex {vertex} is not a number from 0 to 1: normalise the weights and \
     export again"
    )]
    BadWeight {
        /// The vertex.
        vertex: u32,
        /// The weight found.
        weight: f32,
    },
    /// A joint that is not there.
    #[error("vertex {vertex} is bound to joint {joint}, but the skeleton has only {joints} joints")]
    JointOutOfRange {
        /// The vertex.
        vertex: u32,
        /// What it names.
        joint: u32,
        /// How many joints there are.
        joints: usize,
    },
}

impl Skin {
    /// Normalises and sorts `rows`, one list of `(joint, weight)` a vertex; the same joint may
    /// stand in a row more than once. The stride is the longest row.
    ///
    /// # Errors
    /// A weight that is negative or not finite, a joint `>= joint_count`, a row that sums to 0.
    pub fn from_rows(rows: &[Vec<(JointId, f32)>], joint_count: usize) -> Result<Self, SkinError> {
        let stride = rows.iter().map(Vec::len).max().unwrap_or(0).max(1);
        let mut skin =
            Self { stride, joints: vec![0; rows.len() * stride], weights: vec![0.0; rows.len() * stride] };
        let places = skin.joints.par_chunks_mut(stride).zip(skin.weights.par_chunks_mut(stride));
        let one = |scratch: &mut Vec<(JointId, f32)>, (v, ((joints, weights), row)): (usize, _)| {
            let row: &Vec<(JointId, f32)> = row;
            let vertex = v as u32;
            if let Some(fault) =
                row.iter().find_map(|&(joint, weight)| fault_of(joint, weight, vertex, joint_count))
            {
                return Some(fault);
            }
            scratch.clear();
            scratch.extend_from_slice(row);
            (!put(joints, weights, scratch)).then_some(SkinError::NoWeight { vertex, count: 1 })
        };
        let rows = places.zip(rows).enumerate().with_min_len(512);
        let faults: Vec<SkinError> = rows.map_init(Vec::new, one).flatten_iter().collect();
        // A weight that is no weight is told before one that is missing.
        let bad = faults.iter().find(|f| !matches!(f, SkinError::NoWeight { .. }));
        match (bad, faults.first()) {
            (None, None) => Ok(skin),
            (None, Some(SkinError::NoWeight { vertex, .. })) => {
                Err(SkinError::NoWeight { vertex: *vertex, count: faults.len() })
            }
            (Some(fault), _) | (None, Some(fault)) => Err(fault.clone()),
        }
    }

    /// These weights with some rows replaced; `None` keeps a row as it is, to the bit.
    ///
    /// # Errors
    /// As [`Skin::from_rows`].
    pub fn replaced(
        &self,
        rows: Vec<Option<Vec<(JointId, f32)>>>,
        joint_count: usize,
    ) -> Result<Self, SkinError> {
        let is_new: Vec<bool> = rows.iter().map(Option::is_some).collect();
        let fresh: Vec<Vec<(JointId, f32)>> = rows.into_iter().flatten().collect();
        let fresh = Self::from_rows(&fresh, joint_count)?;
        if !is_new.contains(&false) {
            return Ok(fresh);
        }
        let (vertices, stride) = (is_new.len(), self.stride.max(fresh.stride));
        let mut skin =
            Self { stride, joints: vec![0; vertices * stride], weights: vec![0.0; vertices * stride] };
        let mut next = 0;
        for (v, is_new) in is_new.into_iter().enumerate() {
            let (from, at) = if is_new { (&fresh, next) } else { (self, v) };
            next += usize::from(is_new);
            for (i, (joint, weight)) in from.row(at).enumerate() {
                skin.joints[v * stride + i] = joint.0;
                skin.weights[v * stride + i] = weight;
            }
        }
        Ok(skin)
    }

    /// These weights with rows for vertices between behind them, each with as many joints as any has now; the rows
    /// there are stay to the bit.
    pub fn with_rows_between(&self, new: &[Between]) -> Self {
        let mut skin = self.clone();
        for Between { ends: [a, b], share } in new {
            let near = self.row(*a as usize).map(|(j, w)| (j, w * (1.0 - share)));
            let far = self.row(*b as usize).map(|(j, w)| (j, w * share));
            let mut row: Vec<(JointId, f32)> = near.chain(far).collect();
            let from = skin.joints.len();
            skin.joints.resize(from + self.stride, 0);
            skin.weights.resize(from + self.stride, 0.0);
            put(&mut skin.joints[from..], &mut skin.weights[from..], &mut row);
        }
        skin
    }

    /// These weights with rows that sum to one but for rounding as they are given, to the bit; others, and those that
    /// are longer than a row may be, stay.
    pub(crate) fn with_rows_as_given(
        mut self,
        rows: impl Iterator<Item = (u32, Vec<(JointId, f32)>)>,
    ) -> Self {
        for (v, mut row) in rows {
            merge(&mut row);
            let sum: f32 = row.iter().map(|e| e.1).sum();
            if row.len() > self.stride || (sum - 1.0).abs() > row.len() as f32 * f32::EPSILON * 0.5 {
                continue;
            }
            let from = v as usize * self.stride;
            for k in 0..self.stride {
                let (joint, weight) = row.get(k).map_or((0, 0.0), |e| (e.0 .0, e.1));
                (self.joints[from + k], self.weights[from + k]) = (joint, weight);
            }
        }
        self
    }

    /// The same weights with every joint called what `of` says; joints that become one are merged.
    ///
    /// # Errors
    /// When a new number is not below `joint_count`.
    pub fn renumbered(&self, of: impl Fn(JointId) -> JointId, joint_count: usize) -> Result<Self, SkinError> {
        let row = |v: usize| self.row(v).map(|(j, w)| (of(j), w)).collect();
        Self::from_rows(&(0..self.vertices()).map(row).collect::<Vec<Vec<_>>>(), joint_count)
    }

    /// Every vertex follows the same blend; `blend` must hold some weight.
    ///
    /// # Errors
    /// As [`Skin::from_rows`].
    pub fn uniform(vertices: usize, blend: &[(JointId, f32)], joint_count: usize) -> Result<Self, SkinError> {
        Self::from_rows(&vec![blend.to_vec(); vertices], joint_count)
    }

    /// Number of vertices.
    pub fn vertices(&self) -> usize {
        self.joints.len() / self.stride
    }

    /// Places a vertex has.
    pub fn stride(&self) -> usize {
        self.stride
    }

    /// The joints and weights that move `vertex`, heaviest first, zeros left out.
    pub fn row(&self, vertex: usize) -> impl Iterator<Item = (JointId, f32)> + '_ {
        let at = vertex * self.stride;
        (at..at + self.stride)
            .map(|i| (JointId(self.joints[i]), self.weights[i]))
            .take_while(|&(_, w)| w > 0.0)
    }

    /// The weights at a place on a triangle: its corners' rows mixed by barycentric coordinates,
    /// heaviest first, not limited.
    pub fn at(&self, corners: [u32; 3], barycentric: [f32; 3]) -> Vec<(JointId, f32)> {
        let mut row = Vec::with_capacity(3 * self.stride);
        for (&v, &b) in corners.iter().zip(&barycentric) {
            row.extend(self.row(v as usize).map(|(j, w)| (j, w * b)));
        }
        merge(&mut row);
        row
    }

    /// All joints, `stride` a vertex.
    pub fn joints(&self) -> &[u16] {
        &self.joints
    }

    /// All weights, `stride` a vertex.
    pub fn weights(&self) -> &[f32] {
        &self.weights
    }

    /// The weight of `joint` at each vertex.
    pub fn column(&self, joint: JointId) -> Vec<f32> {
        (0..self.vertices()).map(|v| self.row(v).find(|e| e.0 == joint).map_or(0.0, |e| e.1)).collect()
    }

    /// The most influences any vertex has.
    pub fn max_influences(&self) -> usize {
        (0..self.vertices()).map(|v| self.row(v).count()).max().unwrap_or(0)
    }

    /// At most `most` influences a vertex (the heaviest), renormalised.
    ///
    /// ```
    /// use tin_cloak_core::{skin::Skin, JointId};
    ///
    /// let row = vec![(JointId(0), 0.6), (JointId(1), 0.3), (JointId(2), 0.1)];
    /// let skin = Skin::from_rows(&[row], 3)?.limit(2);
    /// let kept: Vec<_> = skin.row(0).map(|(_, w)| (w * 300.0).round()).collect();
    /// assert_eq!(kept, [200.0, 100.0]);
    /// # Ok::<(), tin_cloak_core::skin::SkinError>(())
    /// ```
    pub fn limit(&self, most: usize) -> Self {
        let stride = most.clamp(1, self.stride);
        let vertices = self.vertices();
        let mut skin =
            Self { stride, joints: vec![0; vertices * stride], weights: vec![0.0; vertices * stride] };
        let mut row = Vec::new();
        for v in 0..vertices {
            row.clear();
            row.extend(self.row(v));
            let at = v * stride..(v + 1) * stride;
            put(&mut skin.joints[at.clone()], &mut skin.weights[at], &mut row);
        }
        skin
    }

    /// Weights of the split vertices from those of the welded ones: copies carry equal weights.
    pub fn scatter(&self, weld: &Weld) -> Self {
        self.pick(&weld.of_vertex)
    }

    /// Weights of the welded vertices, each from its first split vertex.
    pub fn gather(&self, weld: &Weld) -> Self {
        let firsts: Vec<u32> = (0..weld.count()).map(|w| weld.members.row(w)[0]).collect();
        self.pick(&firsts)
    }

    /// Rows of the vertices named, in that order.
    pub fn pick(&self, vertices: &[u32]) -> Self {
        let stride = self.stride;
        let rows = vertices.iter().map(|&v| v as usize * stride..(v as usize + 1) * stride);
        Self {
            stride,
            joints: rows.clone().flat_map(|r| self.joints[r].iter().copied()).collect(),
            weights: rows.flat_map(|r| self.weights[r].iter().copied()).collect(),
        }
    }
}

/// What is wrong with an entry of a row.
fn fault_of(joint: JointId, weight: f32, vertex: u32, joints: usize) -> Option<SkinError> {
    if !weight.is_finite() || weight < 0.0 {
        return Some(SkinError::BadWeight { vertex, weight });
    }
    let missing = joint.index() >= joints && weight > 0.0;
    missing.then(|| SkinError::JointOutOfRange { vertex, joint: u32::from(joint.0), joints })
}

/// Writes one row: joints merged, sorted by falling weight (then by joint), normalised; as many as
/// there are places. False when there is no weight.
fn put(joints: &mut [u16], weights: &mut [f32], row: &mut Vec<(JointId, f32)>) -> bool {
    merge(row);
    row.truncate(joints.len());
    let sum: f32 = row.iter().map(|e| e.1).sum();
    if sum <= f32::MIN_POSITIVE {
        return false;
    }
    for (i, &(joint, weight)) in row.iter().enumerate() {
        joints[i] = joint.0;
        weights[i] = weight / sum;
    }
    true
}

/// Merges entries of the same joint and sorts by falling weight, then by joint.
pub(crate) fn merge(row: &mut Vec<(JointId, f32)>) {
    row.sort_by_key(|e| e.0);
    row.dedup_by(|later, kept| {
        let same = later.0 == kept.0;
        if same {
            kept.1 += later.1;
        }
        same
    });
    row.retain(|e| e.1 > 0.0);
    row.sort_by(|x, y| y.1.total_cmp(&x.1).then(x.0.cmp(&y.0)));
}
