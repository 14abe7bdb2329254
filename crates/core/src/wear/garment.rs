//! A piece carried from one body to another.

use super::clear_of::{clear_of, Off};
use super::scattered_field::ScatteredField;
use super::similar_shape::similar_shape;
use super::stiff_off::stiff_off;
use crate::bind::BindError;
use crate::clearance::{Covering, Side};
use crate::deform::linear_blend;
use crate::mend::{keep_rigid, CLOTH};
use crate::mesh::{bounds, mix, vertex_normals_into, Alignment, Topology};
use crate::query::Bvh;
use crate::seat::{Gap, PieceSurface};
use crate::skin::Skin;
use glam::{Mat4, Vec3};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Gaps wider than this are not kept, metres.
const REACH: f32 = 0.05;
/// How far what a layer beneath was moved by is felt above it, and how that falls, metres.
const FELT: (f32, f32) = (0.04, 0.02);
/// Stiff parts no larger than this keep their size: buttons and buckles, metres.
const SMALL: f32 = 0.06;

/// A piece on the first body: welded, metres.
#[derive(Clone, Copy)]
pub struct Worn<'a> {
    /// Where its vertices are.
    pub rest: &'a [Vec3],
    /// Over them.
    pub topology: &'a Topology,
    /// Its measured faces.
    pub side: &'a Side,
    /// Its weights, over the joints that [`super::limb_map`] has matrices for.
    pub skin: &'a Skin,
    /// By vertex the stiff part; empty for none.
    pub rigid: &'a [u32],
    /// How large its stiff parts become.
    pub stiff: StiffSize,
}

/// How large a stiff part becomes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum StiffSize {
    /// As large as it is: a lantern.
    Kept,
    /// As much larger as what it sits on, alike in all directions: a breastplate. Below 60 mm it is kept.
    #[default]
    ByRegion,
}

/// A layer beneath a piece: the first body and the other, or a piece that was carried before.
#[derive(Clone, Copy)]
pub struct Beneath<'a> {
    /// Its outside, over its vertices.
    pub outside: (&'a Side, &'a [Vec3]),
    /// The same on the other body: another mesh where it is the body.
    pub carried: (&'a Side, &'a [Vec3]),
    /// How far a carried piece was moved besides by the map; empty for the body.
    pub drift: &'a [Vec3],
}

/// A piece on the other body.
#[derive(Clone, Debug, PartialEq)]
pub struct Carried {
    /// Where its vertices are, metres.
    pub rest: Vec<Vec3>,
    /// How far each was moved besides by the map.
    pub drift: Vec<Vec3>,
    /// How far gaps are off the old ones, times the size of the body, metres: on the mean, and at 95 %.
    pub gaps_off: [f32; 2],
    /// How much longer its edges are, at 1 % and at 99 % of them.
    pub edges: [f32; 2],
    /// Vertices that are sunk now and were not.
    pub newly_sunk: usize,
}

/// Where the map brings things.
#[derive(Clone, Copy)]
pub struct Way<'a> {
    /// As linear blend skinning takes them.
    pub matrices: &'a [Mat4],
    /// What is left, where that has brought them.
    pub field: &'a ScatteredField,
    /// How much larger the other body is.
    pub scale: f32,
}

/// Carries a piece to the other body: along with the limbs by its weights, and by what the skin was moved besides;
/// cloth is then given back its shape, ring by ring, where it lies and with the gaps that it had (times the size of
/// the body), stiff parts theirs as a whole; last it is taken off what lies `beneath`, the body first and then pieces
/// from the inside out.
///
/// # Errors
/// When a system cannot be factored.
pub fn carry_piece(piece: &Worn, way: Way, beneath: &[Beneath]) -> Result<Carried, BindError> {
    let mut mapped = piece.rest.to_vec();
    linear_blend(piece.rest, piece.skin, way.matrices, &mut mapped);
    let by_skin = way.field.at(&mapped);
    mapped.iter_mut().zip(by_skin).for_each(|(p, d)| *p += d);
    let felt = drift_beneath(piece.rest, beneath);
    let carried: Vec<Vec3> = mapped.iter().zip(&felt).map(|(p, d)| *p + *d).collect();

    let (was, is) =
        (Ground::new(beneath.iter().map(|b| b.outside)), Ground::new(beneath.iter().map(|b| b.carried)));
    let before = was.gaps(piece.side, piece.rest);
    let find = |at: &[Vec3]| is.gaps(piece.side, at);
    let wanted: Vec<Option<f32>> = before.iter().map(|g| g.map(|g| g.clearance * way.scale)).collect();
    let shape = sized(piece, &carried);
    let mut now = similar_shape(&shape, piece.topology, &carried, &wanted, &find)?;
    stiff_where_carried(piece.rigid, &shape, &carried, &mut now);
    let surface =
        PieceSurface { start: &shape, side: piece.side, topology: piece.topology, rigid: piece.rigid };
    let off = Off { beneath: is.covering(), before: &before };
    clear_of(surface, &off, &find, &mut now);
    stiff_off(&surface, &off, &find, &mut now);
    let drift = now.iter().zip(&mapped).map(|(p, q)| *p - *q).collect();
    let (gaps_off, newly_sunk) = judged_gaps(&before, &find(&now), way.scale);
    Ok(Carried { edges: edges(piece, &now), rest: now, drift, gaps_off, newly_sunk })
}

/// All that lies beneath, as one surface.
struct Ground {
    side: Side,
    positions: Vec<Vec3>,
    posed: crate::clearance::PosedSide,
}

impl Ground {
    fn new<'a>(layers: impl Iterator<Item = (&'a Side, &'a [Vec3])>) -> Self {
        let (mut positions, mut triangles): (Vec<Vec3>, Vec<[u32; 3]>) = (Vec::new(), Vec::new());
        for (side, at) in layers {
            let first = positions.len() as u32;
            positions.extend(at);
            triangles.extend(side.topology.triangles.iter().map(|t| t.map(|v| v + first)));
        }
        let side = Side::new(positions.len(), &triangles);
        Self { posed: side.pose(&positions), side, positions }
    }

    fn covering(&self) -> Covering<'_> {
        Covering { side: &self.side, posed: &self.posed, positions: &self.positions }
    }

    fn gaps(&self, of: &Side, at: &[Vec3]) -> Vec<Option<Gap>> {
        let mut normals = vec![Vec3::ZERO; at.len()];
        vertex_normals_into(at, &of.topology.triangles, &of.topology.incident, &mut normals);
        self.covering().gaps(at, &normals, REACH)
    }
}

/// What the layers beneath were moved by besides by the map, felt near them.
fn drift_beneath(rest: &[Vec3], beneath: &[Beneath]) -> Vec<Vec3> {
    let mut sums = vec![(Vec3::ZERO, 0.0f32); rest.len()];
    for layer in beneath.iter().filter(|b| !b.drift.is_empty()) {
        let (side, positions) = layer.outside;
        let tree = Bvh::build(positions, &side.topology.triangles);
        sums.par_iter_mut().zip(rest).with_min_len(256).for_each(|(sum, p)| {
            let Some(hit) = tree.closest(*p, FELT.0) else { return };
            let corners = side.topology.triangles[hit.triangle as usize];
            let share = (-hit.distance_squared / (FELT.1 * FELT.1)).exp();
            sum.0 += mix(corners, hit.barycentric, |v| layer.drift[v as usize]) * share;
            sum.1 += share;
        });
    }
    sums.into_iter().map(|(sum, shares)| sum / shares.max(1.0)).collect()
}

/// The vertices of each stiff part.
pub(super) fn stiff_parts(rigid: &[u32]) -> BTreeMap<u32, Vec<usize>> {
    let mut parts: BTreeMap<u32, Vec<usize>> = BTreeMap::new();
    for (v, part) in rigid.iter().enumerate().filter(|(_, g)| **g != CLOTH) {
        parts.entry(*part).or_default().push(v);
    }
    parts
}

/// The shape that a piece shall have: its own, stiff parts sized as is wanted.
fn sized(piece: &Worn, carried: &[Vec3]) -> Vec<Vec3> {
    let mut shape = piece.rest.to_vec();
    if piece.stiff == StiffSize::Kept {
        return shape;
    }
    for part in stiff_parts(piece.rigid).values() {
        let pick = |list: &[Vec3]| part.iter().map(|&v| list[v]).collect::<Vec<_>>();
        let own = pick(piece.rest);
        let (low, high) = bounds(&own);
        if (high - low).max_element() <= SMALL {
            continue;
        }
        let fit = Alignment::between(&own, &pick(carried));
        part.iter().for_each(|&v| shape[v] = fit.from + (piece.rest[v] - fit.from) * fit.scale);
    }
    shape
}

/// Stiff parts go by where the map brings them, not by what was made of them as cloth.
fn stiff_where_carried(rigid: &[u32], shape: &[Vec3], carried: &[Vec3], now: &mut [Vec3]) {
    for part in stiff_parts(rigid).values() {
        part.iter().for_each(|&v| now[v] = carried[v]);
    }
    keep_rigid(rigid, shape, now, f32::INFINITY);
}

fn judged_gaps(before: &[Option<Gap>], after: &[Option<Gap>], scale: f32) -> ([f32; 2], usize) {
    let both = || before.iter().zip(after).filter_map(|(a, b)| a.as_ref().zip(b.as_ref()));
    let mut off: Vec<f32> = both().map(|(a, b)| (b.clearance - a.clearance * scale).abs()).collect();
    off.sort_by(f32::total_cmp);
    let mean = off.iter().sum::<f32>() / off.len().max(1) as f32;
    let high = off.get(off.len() * 95 / 100).copied().unwrap_or(0.0);
    let sunk = |gap: &Gap| gap.clearance < -5e-4;
    ([mean, high], both().filter(|(a, b)| !sunk(a) && sunk(b)).count())
}

fn edges(piece: &Worn, now: &[Vec3]) -> [f32; 2] {
    let edges = &piece.topology.edges;
    let ratio = |[a, b]: &[u32; 2]| {
        let long = |list: &[Vec3]| list[*a as usize].distance(list[*b as usize]);
        let was = long(piece.rest);
        (was > 0.0).then(|| long(now) / was)
    };
    let mut ratios: Vec<f32> = edges.iter().filter_map(ratio).collect();
    ratios.sort_by(f32::total_cmp);
    let at = |percent: usize| ratios.get((ratios.len() * percent / 100).min(ratios.len().saturating_sub(1)));
    [1, 99].map(|percent| at(percent).copied().unwrap_or(1.0))
}
