//! Measuring an outfit in one pose.

use super::ask::PairView;
use super::penetration::{see_in, sum_up, through_of};
use super::visibility::Visibility;
use super::{stiffness_error, worst_strain, Buffers, Outfit, PairPoints};
use glam::Vec3;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

/// What counts as trouble.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Settings {
    /// Poke-through up to this depth is let pass, metres.
    pub tolerance: f32,
    /// A vertex sunk deeper than this lies inside something else, metres.
    pub sunk_reach: f32,
}

impl Default for Settings {
    fn default() -> Self {
        Self { tolerance: 0.0005, sunk_reach: 0.08 }
    }
}

/// Where the worst of a pair is.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Spot {
    /// True when the vertex is of the outer layer (sunk), false for the inner (poking).
    pub on_outer: bool,
    /// Welded vertex of that layer.
    pub vertex: u32,
    /// Where it is in the pose, metres.
    pub position: Vec3,
    /// Unit direction from which it is seen best.
    pub look: Vec3,
}

/// A layer pair in one pose. Lengths in metres, areas in square metres.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct PairMeasure {
    /// Covered inner vertices.
    pub covered: usize,
    /// Those that poke through, in sight.
    pub poking: usize,
    /// Depth of the deepest of them; 0 when none pokes.
    pub deepest: f32,
    /// Inner area that pokes through, in sight.
    pub poking_area: f32,
    /// Poking or sunk vertices that are hidden from every side.
    pub buried: usize,
    /// Outer vertices inside the inner layer, in sight.
    pub sunk: usize,
    /// Depth of the deepest of them; 0 when none is sunk.
    pub sunk_deepest: f32,
    /// Outer area that is sunk, in sight.
    pub sunk_area: f32,
    /// Depth of the deepest stretch of an edge, between vertices, in sight; 0 when there is none.
    pub edge_deepest: f32,
    /// Least clearance of a covered vertex that is not buried; `None` when none could be asked.
    pub least_clearance: Option<f32>,
    /// The strain of the outer layer furthest from 1.
    pub worst_strain: f32,
    /// The deepest spot, poking or sunk.
    pub worst: Option<Spot>,
    /// True when the pair cannot be measured in the pose (see [`super::Penetration`]): the figures say
    /// nothing then.
    pub unmeasurable: bool,
}

/// All pairs in one pose.
#[derive(Clone, Debug)]
pub struct PoseMeasure {
    /// One a pair of the outfit.
    pub pairs: Vec<PairMeasure>,
    /// The points behind them.
    pub points: Vec<PairPoints>,
}

/// Measures every pair of `outfit` as posed in `buffers`.
///
/// ```
/// use tin_cloak_core::clearance::{measure_pose, Settings};
/// use tin_cloak_core::shapes::{moved, outfit, sphere};
///
/// // A shirt that has slid by 8 mm, 5 mm off the body: it pokes through 3 mm deep in front.
/// let shirt = moved(sphere(0.105, 32), tin_cloak_core::glam::Vec3::Z * -0.008);
/// let outfit = outfit(&sphere(0.1, 32), &[shirt]);
/// let told = measure_pose(&outfit, &outfit.buffers(), Settings::default());
/// assert!((told.pairs[0].deepest - 0.003).abs() < 0.0005, "{:?}", told.pairs[0]);
/// ```
pub fn measure_pose(outfit: &Outfit, buffers: &Buffers, settings: Settings) -> PoseMeasure {
    let hiding = Visibility::new(outfit, buffers);
    let one = |i: usize| {
        let view = PairView { outfit, buffers, pair: &outfit.pairs[i], settings, hiding: &hiding };
        let asked = view.ask();
        let through = through_of(&view, &asked);
        let strain = strain(outfit, buffers, outfit.pairs[i].outer);
        (sum_up(&through, &see_in(&view, &through), strain), asked)
    };
    let (pairs, points) = (0..outfit.pairs.len()).into_par_iter().map(one).unzip();
    PoseMeasure { pairs, points }
}

/// How far a stiff layer as posed in `buffers` is from its shape at rest, metres; 0 of cloth.
///
/// ```
/// use tin_cloak_core::{clearance::stiffness, shapes::{outfit, sphere}};
///
/// let outfit = outfit(&sphere(0.1, 16), &[sphere(0.11, 16)]);
/// assert_eq!(stiffness(&outfit, &outfit.buffers(), 1), 0.0);
/// ```
pub fn stiffness(outfit: &Outfit, buffers: &Buffers, layer: usize) -> f32 {
    let at_rest = &outfit.layers[layer];
    if at_rest.stiff {
        stiffness_error(&at_rest.rest, buffers.positions(layer))
    } else {
        0.0
    }
}

/// The strain of a layer as posed in `buffers` that is furthest from 1.
///
/// ```
/// use tin_cloak_core::{clearance::strain, shapes::{outfit, sphere}};
///
/// let outfit = outfit(&sphere(0.1, 16), &[sphere(0.11, 16)]);
/// assert_eq!(strain(&outfit, &outfit.buffers(), 1), 1.0, "nothing is stretched at rest");
/// ```
pub fn strain(outfit: &Outfit, buffers: &Buffers, layer: usize) -> f32 {
    let at_rest = &outfit.layers[layer];
    worst_strain(&at_rest.topology, &at_rest.rest, buffers.positions(layer))
}
