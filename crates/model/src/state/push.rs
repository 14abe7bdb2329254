//! How cloth is pushed out.

use crate::error::WorkshopError;
use crate::state::names::PieceId;
use serde::{Deserialize, Serialize};

/// How to push.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct MendOptions {
    /// Clearance wished where cloth is moved, millimetres.
    pub margin_mm: f32,
    /// Furthest any vertex may move, millimetres.
    pub limit_mm: f32,
    /// What is done to one side of a piece is done to the other.
    #[serde(default)]
    pub alike: bool,
    /// Rows of vertices stay straight: moves change evenly along them.
    #[serde(default)]
    pub rows: bool,
    /// So many poses of an arm, a leg and the trunk at once are mended for too, besides those of the fitting.
    #[serde(default, skip_serializing_if = "is_none")]
    pub combined: usize,
}

fn is_none(count: &usize) -> bool {
    *count == 0
}

/// What alone is pushed against; all that is out of tolerance where nothing is said.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Against {
    /// What is through between two layers: the outer and the inner one, the body by its number.
    pub pair: Option<(PieceId, PieceId)>,
    /// What is through in one pose, by its number.
    pub pose: Option<usize>,
}

/// For so many poses of an arm, a leg and the trunk at once a plan mends besides its own: what is made for built-in
/// poses alone does not hold in these.
pub const COMBINED: usize = 20;

/// So many combined poses may be mended for besides.
pub const MOST_COMBINED: usize = 500;

impl MendOptions {
    /// # Errors
    /// When a number makes no sense.
    pub fn checked(self) -> Result<Self, WorkshopError> {
        let is_sane = |mm: f32| (0.0..=200.0).contains(&mm);
        (is_sane(self.margin_mm) && is_sane(self.limit_mm)).then_some(self).ok_or(WorkshopError::BadMend)
    }

    /// Those of the body as it is drawn in: flesh under cloth, not a new figure.
    pub fn of_tucks() -> Self {
        Self { limit_mm: 15.0, ..Self::default() }
    }

    /// Those of correctives: further, since they are there in some poses only.
    pub fn of_correctives() -> Self {
        Self { limit_mm: 70.0, ..Self::default() }
    }
}

impl Default for MendOptions {
    fn default() -> Self {
        Self { margin_mm: 1.0, limit_mm: 20.0, alike: false, rows: false, combined: 0 }
    }
}
