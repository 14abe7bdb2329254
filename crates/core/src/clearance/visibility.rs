//! What cannot be seen: places that cloth or skin hides from every side.

use super::{Buffers, Outfit};
use glam::Vec3;

/// How far outside a surface it is asked what lies over it, metres.
const PROBE: f32 = 0.001;
/// Directions looked in, spread evenly over the sphere; those above the surface are used.
const DIRECTIONS: usize = 64;
/// A look along the surface itself sees nothing.
const GRAZING: f32 = 0.1;

/// All layers of an outfit in one pose, as things that hide.
pub(super) struct Visibility<'a> {
    pub(super) buffers: &'a Buffers,
    /// Layers that hide something, by index.
    on: Vec<usize>,
    directions: Vec<Vec3>,
}

impl<'a> Visibility<'a> {
    pub fn new(outfit: &'a Outfit, buffers: &'a Buffers) -> Self {
        Self {
            buffers,
            on: (0..outfit.layers.len()).filter(|layer| outfit.off.get(*layer) != Some(&true)).collect(),
            directions: look_directions(),
        }
    }

    /// Winding number of the outside of a layer at `p`.
    pub fn winding(&self, layer: usize, p: Vec3) -> f32 {
        self.buffers.layer(layer).winding(p)
    }

    /// True when no straight look reaches the place on a surface at `p` with outward normal `n`.
    pub fn is_out_of_sight(&self, p: Vec3, n: Vec3, outer: usize) -> bool {
        let p = p + n * PROBE;
        // Most of what can be seen can be seen from straight above.
        let above = self.directions.iter().copied().filter(|d| d.dot(n) > GRAZING);
        let mut last = outer;
        std::iter::once(n).chain(above).all(|d| self.blocks(p, d, outer, &mut last))
    }

    /// The direction from which a place is seen best: the free look nearest to the middle of all
    /// free looks, a level one sooner than one from above or below, as people look at clothes;
    /// straight against the surface when there is none.
    pub fn look(&self, p: Vec3, n: Vec3, outer: usize) -> Vec3 {
        let lifted = p + n * PROBE;
        let above = self.directions.iter().copied().filter(|d| d.dot(n) > GRAZING);
        let mut last = outer;
        let free: Vec<Vec3> = above.filter(|d| !self.blocks(lifted, *d, outer, &mut last)).collect();
        let middle = free.iter().sum::<Vec3>().normalize_or(n);
        let score = |d: &Vec3| d.dot(middle) - (d.y.abs() - 0.5).max(0.0);
        free.into_iter().max_by(|a, b| score(a).total_cmp(&score(b))).unwrap_or(n)
    }

    /// True when a layer lies in the way; `last` is the one that did so last, which is asked first.
    fn blocks(&self, p: Vec3, direction: Vec3, outer: usize, last: &mut usize) -> bool {
        let is_in_the_way = |layer: usize| {
            let side =
                if layer == outer { self.buffers.towards_body(layer) } else { self.buffers.outside(layer) };
            side.tree.is_hit(p, direction, 0.0, f32::INFINITY, |_| true)
        };
        if self.on.contains(last) && is_in_the_way(*last) {
            return true;
        }
        let mut others = self.on.iter().copied().filter(|layer| layer != last);
        match others.find(|layer| is_in_the_way(*layer)) {
            Some(layer) => {
                *last = layer;
                true
            }
            None => false,
        }
    }
}

/// The direction from which each of `places` (position in the pose, outward unit normal, index of
/// the outer layer) of the outfit, as posed in `buffers`, is seen best.
///
/// ```
/// use tin_cloak_core::{clearance::looks, glam::Vec3, shapes::{outfit, sphere}};
///
/// let outfit = outfit(&sphere(0.1, 24), &[sphere(0.12, 24)]);
/// let from = looks(&outfit, &outfit.buffers(), &[(Vec3::Z * 0.12, Vec3::Z, 1)]);
/// assert!(from[0].z > 0.9, "what lies in front is seen from the front");
/// ```
pub fn looks(outfit: &Outfit, buffers: &Buffers, places: &[(Vec3, Vec3, usize)]) -> Vec<Vec3> {
    let hiding = Visibility::new(outfit, buffers);
    places.iter().map(|&(p, n, outer)| hiding.look(p, n, outer)).collect()
}

/// The directions in which it is looked.
pub(crate) fn look_directions() -> Vec<Vec3> {
    spiral(DIRECTIONS).collect()
}

/// So many points on the unit sphere, evenly spread on a golden spiral (Swinbank & Purser, “Fibonacci
/// grids”, 2006).
pub(super) fn spiral(count: usize) -> impl Iterator<Item = Vec3> {
    const GOLDEN: f32 = 2.399_963_2;
    (0..count).map(move |i| {
        let y = 1.0 - (2 * i + 1) as f32 / count as f32;
        let (sin, cos) = (GOLDEN * i as f32).sin_cos();
        let radius = (1.0 - y * y).sqrt();
        Vec3::new(radius * cos, y, radius * sin)
    })
}
