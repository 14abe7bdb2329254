//! The ground a figure stands on, and what of a layer is beneath it.
//!
//! At rest the ground is as low as the body and what is worn on its feet. In a pose it stays there, or goes down
//! with the body where that goes lower (a foot pointed down lifts the figure): a cloak is beneath it only where
//! it hangs lower than what the figure stands on.

use glam::Vec3;

/// The ground under a figure, at rest.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Floor {
    level: f32,
    /// How far the body is above it, metres: a sole's thickness.
    sole: f32,
}

impl Floor {
    /// Under a body at rest with `soles` worn on its feet: their vertices, metres. None when the body has none.
    ///
    /// ```
    /// use tin_cloak_core::{clearance::Floor, glam::Vec3};
    ///
    /// let floor = Floor::under(&[Vec3::ZERO, Vec3::Y], &[Vec3::Y * -0.01]).unwrap();
    /// // Lifted, the figure hangs over the ground; sunk, it takes it along.
    /// assert_eq!(floor.level_in(&[Vec3::Y * 0.5]), -0.01);
    /// assert!((floor.level_in(&[Vec3::Y * -0.1]) - -0.11).abs() < 1e-6);
    /// ```
    pub fn under(body: &[Vec3], soles: &[Vec3]) -> Option<Self> {
        let body = lowest(body)?;
        let level = lowest(soles).map_or(body, |sole| sole.min(body));
        Some(Self { level, sole: body - level })
    }

    /// How high it is where the body is posed so.
    pub fn level_in(self, body: &[Vec3]) -> f32 {
        lowest(body).map_or(self.level, |low| self.level.min(low - self.sole))
    }
}

fn lowest(positions: &[Vec3]) -> Option<f32> {
    positions.iter().map(|p| p.y).filter(|y| y.is_finite()).reduce(f32::min)
}

/// What of a layer is beneath the ground.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct BelowFloor {
    /// How many vertices.
    pub vertices: usize,
    /// The deepest of them, and how deep, metres.
    pub deepest: (u32, f32),
}

/// What of `positions` is beneath `level` by more than `tolerance` and more than at rest, whose depths are `rest`
/// (metres, one a vertex; empty for none); none when nothing is.
pub fn beneath(positions: &[Vec3], level: f32, rest: &[f32], tolerance: f32) -> Option<BelowFloor> {
    let depth =
        |(v, p): (usize, &Vec3)| (v as u32, level - p.y - rest.get(v).copied().unwrap_or(0.0).max(0.0));
    let deep = positions.iter().enumerate().map(depth).filter(|(_, depth)| *depth > tolerance);
    deep.fold(None, |so_far: Option<BelowFloor>, at| {
        let before = so_far.unwrap_or(BelowFloor { vertices: 0, deepest: at });
        let deepest = if at.1 > before.deepest.1 { at } else { before.deepest };
        Some(BelowFloor { vertices: before.vertices + 1, deepest })
    })
}
