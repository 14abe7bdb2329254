//! What is through in a pair, whoever sees it; and what of that is seen.
//!
//! The two are kept apart since they depend on different things: what is through on the two
//! layers and the pose alone, what is seen on all that is worn.

use super::ask::PairView;
use super::hidden::Hiding;
use super::{Buffers, Outfit, PairMeasure, PairPoints, Settings, Side, Spot};
use crate::mesh::triangle_area;
use glam::Vec3;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

/// A vertex on the wrong side of the other layer by more than the tolerance.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct ThroughSpot {
    /// True when it is of the outer layer (sunk), false for the inner (poking).
    pub on_outer: bool,
    /// Welded vertex of that layer.
    pub vertex: u32,
    /// Signed distance, metres: negative.
    pub clearance: f32,
    /// Outward unit normal where the other layer is nearest.
    pub normal: Vec3,
    /// Area round an inner vertex, square metres; 0 for an outer one.
    pub area: f32,
}

/// What is through in a pair in a pose.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Through {
    /// Covered inner vertices.
    pub covered: u32,
    /// Least clearance of those that are not through, metres; none when none could be asked.
    pub least_clearance: Option<f32>,
    /// The others, and the sunk ones of the outer layer.
    pub spots: Vec<ThroughSpot>,
}

/// What of it is seen.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Sight {
    /// For each spot whether it is hidden from every side.
    pub buried: Vec<bool>,
    /// The deepest spot in sight, poking or sunk.
    pub worst: Option<Spot>,
}

/// What is through in pair `pair` of `outfit`, whose two layers are posed in `buffers`.
pub fn through(outfit: &Outfit, buffers: &Buffers, pair: usize, settings: Settings) -> Through {
    let hiding = Hiding::new(outfit, buffers);
    let view = PairView { outfit, buffers, pair: &outfit.pairs[pair], settings, hiding: &hiding };
    through_of(&view, &view.ask())
}

pub(super) fn through_of(view: &PairView, points: &PairPoints) -> Through {
    let (coverage, tolerance) = (&view.pair.coverage, view.settings.tolerance);
    let mut found = Through { covered: coverage.covered.len() as u32, ..Through::default() };
    for (&vertex, asked) in coverage.covered.iter().zip(&points.inner) {
        let Some(asked) = asked else { continue };
        if asked.clearance >= -tolerance {
            let least = found.least_clearance.unwrap_or(f32::INFINITY);
            found.least_clearance = Some(least.min(asked.clearance));
            continue;
        }
        let area = vertex_area(view.inner_side(), &view.inner().positions, vertex);
        let (clearance, normal) = (asked.clearance, asked.normal);
        found.spots.push(ThroughSpot { on_outer: false, vertex, clearance, normal, area });
    }
    for (&vertex, asked) in coverage.over.iter().zip(&points.outer) {
        let Some(asked) = asked.filter(|a| a.clearance < -tolerance) else { continue };
        let (clearance, normal) = (asked.clearance, asked.normal);
        found.spots.push(ThroughSpot { on_outer: true, vertex, clearance, normal, area: 0.0 });
    }
    found
}

/// What is seen of what is through in some pairs of `outfit`, all of whose layers are posed in
/// `buffers`: one answer for each, in order.
pub fn see(
    outfit: &Outfit,
    buffers: &Buffers,
    found: &[(usize, &Through)],
    settings: Settings,
) -> Vec<Sight> {
    let hiding = Hiding::new(outfit, buffers);
    let one = |&(pair, through): &(usize, &Through)| {
        let view = PairView { outfit, buffers, pair: &outfit.pairs[pair], settings, hiding: &hiding };
        see_in(&view, through)
    };
    found.par_iter().map(one).collect()
}

pub(super) fn see_in(view: &PairView, through: &Through) -> Sight {
    let hidden = through.spots.par_iter().with_min_len(64).map(|spot| view.is_buried(spot));
    let buried: Vec<bool> = hidden.collect();
    let seen = through.spots.iter().zip(&buried).filter(|(_, buried)| !**buried).map(|(spot, _)| spot);
    // Of two that are equally deep the first counts: the inner layer's come first.
    let deepest = seen.reduce(|a, b| if b.clearance < a.clearance { b } else { a });
    let worst = deepest.map(|spot| {
        let place = view.shows(spot);
        let look = view.hiding.look(place, view.pair.outer);
        Spot { on_outer: spot.on_outer, vertex: spot.vertex, position: place.0, look }
    });
    Sight { buried, worst }
}

/// Both as figures; `worst_strain` is the outer layer's.
pub fn sum_up(through: &Through, sight: &Sight, worst_strain: f32) -> PairMeasure {
    let mut m = PairMeasure {
        covered: through.covered as usize,
        poking: 0,
        deepest: 0.0,
        poking_area: 0.0,
        buried: 0,
        sunk: 0,
        sunk_deepest: 0.0,
        least_clearance: through.least_clearance,
        worst_strain,
        worst: sight.worst,
    };
    for (spot, buried) in through.spots.iter().zip(&sight.buried) {
        if *buried {
            m.buried += 1;
        } else if spot.on_outer {
            m.sunk += 1;
            m.sunk_deepest = m.sunk_deepest.max(-spot.clearance);
        } else {
            m.poking += 1;
            m.poking_area += spot.area;
            m.deepest = m.deepest.max(-spot.clearance);
            m.least_clearance = Some(m.least_clearance.unwrap_or(f32::INFINITY).min(spot.clearance));
        }
    }
    m
}

fn vertex_area(side: &Side, positions: &[Vec3], v: u32) -> f32 {
    let around = side.topology.incident.row(v as usize);
    around.iter().map(|&t| triangle_area(positions, side.topology.triangles[t as usize])).sum::<f32>() / 3.0
}
