//! Boxes along the axes.

use glam::Vec3;

/// A box along the axes, metres.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Aabb {
    pub low: Vec3,
    pub high: Vec3,
}
