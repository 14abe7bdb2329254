//! How cloth is pushed out.

use serde::{Deserialize, Serialize};

/// How to push.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct MendOptions {
    /// What counts as poke-through, millimetres.
    pub tolerance_mm: f32,
    /// Clearance wished where cloth is moved, millimetres.
    pub margin_mm: f32,
    /// Furthest any vertex may move, millimetres.
    pub limit_mm: f32,
}

impl MendOptions {
    /// Those of correctives: further, since they are there in some poses only.
    pub fn of_correctives() -> Self {
        Self { limit_mm: 60.0, ..Self::default() }
    }
}

impl Default for MendOptions {
    fn default() -> Self {
        Self { tolerance_mm: 0.5, margin_mm: 1.0, limit_mm: 20.0 }
    }
}
