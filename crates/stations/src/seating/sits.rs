//! How a piece sits at rest.

use crate::seating::ground::GroundOfRoom;
use serde::{Deserialize, Serialize};
use tin_cloak_core::seat::Gap;
use tin_cloak_core::units::to_mm;
use tin_cloak_model::dress::room::Room;

/// Upper ends of the bars of the gap histogram, millimetres; the first holds what is sunk.
pub const GAP_BARS: [f32; 8] = [0.0, 2.0, 4.0, 8.0, 12.0, 20.0, 40.0, 80.0];

/// How a piece sits at rest. Millimetres.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct SeatReport {
    /// Vertices with something beneath them.
    pub measured: usize,
    /// Those inside what lies beneath, beyond the tolerance.
    pub sunk: usize,
    pub deepest_mm: f32,
    pub mean_mm: f32,
    pub widest_mm: f32,
    /// Vertices a bar of [`GAP_BARS`].
    pub bars: [usize; 8],
}

impl SeatReport {
    /// True when something lies beneath it and nothing of it is sunk.
    pub fn is_seated(&self) -> bool {
        self.measured > 0 && self.sunk == 0
    }

    pub fn new(gaps: &[Option<Gap>], tolerance_mm: f32) -> Self {
        let mut report = Self::default();
        let mut sum = 0.0;
        for gap in gaps.iter().flatten() {
            let mm = to_mm(gap.clearance);
            report.measured += 1;
            sum += mm;
            report.widest_mm = report.widest_mm.max(mm);
            report.deepest_mm = report.deepest_mm.max(-mm);
            report.sunk += usize::from(mm < -tolerance_mm);
            let bar = GAP_BARS.iter().position(|end| mm < *end).unwrap_or(GAP_BARS.len() - 1);
            report.bars[bar] += 1;
        }
        report.mean_mm = sum / report.measured.max(1) as f32;
        report
    }
}

/// Asked of a room: how a piece sits at rest.
pub trait SitsOfRoom {
    /// How piece `index` of the dress sits.
    fn seat_report(&self, index: usize) -> SeatReport;
}

impl SitsOfRoom for Room {
    fn seat_report(&self, index: usize) -> SeatReport {
        SeatReport::new(&self.rest_gaps(index), self.state.tolerance_mm)
    }
}
