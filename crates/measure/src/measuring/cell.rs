//! A cell of the board: two layers in a pose.

use serde::{Deserialize, Serialize};
use tin_cloak_core::clearance::{sum_up, Crossing, PairMeasure, Penetration, Sight};

/// A pair in a pose. Millimetres and square centimetres.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct Cell {
    pub covered: usize,
    pub poking: usize,
    pub deepest_mm: f32,
    pub poking_cm2: f32,
    pub buried: usize,
    pub sunk: usize,
    pub sunk_deepest_mm: f32,
    #[serde(default)]
    pub sunk_cm2: f32,
    pub least_clearance_mm: Option<f32>,
    pub worst_strain: f32,
    /// Length of the curves in which the two surfaces run through each other, millimetres.
    #[serde(default)]
    pub crossing_mm: f32,
    /// Faces of the outer one that do.
    #[serde(default)]
    pub crossing_faces: u32,
    /// True when that is nothing that rest has not.
    #[serde(default)]
    pub at_rest: bool,
    /// Of layers of which nothing lies over the other at rest: how deep they are in each other, beyond the
    /// tolerance, where rest does not have them so.
    #[serde(default)]
    pub contact_mm: f32,
    /// Depth of the deepest stretch of an edge that is through between vertices, in sight.
    #[serde(default)]
    pub edge_deepest_mm: f32,
    /// How far the outer one is from its shape at rest, where it is stiff.
    #[serde(default)]
    pub stiffness_mm: f32,
    /// False when it cannot be measured in the pose: a vertex is nowhere. It is not clear then, and the
    /// figures say nothing.
    #[serde(default = "yes")]
    pub measurable: bool,
    /// Where the worst is, in the pose (metres), and from which direction it is seen best.
    pub spot: Option<([f32; 3], [f32; 3])>,
}

impl Cell {
    /// Deepest of poking, sunk, between vertices and contact: what the board shows.
    pub fn depth_mm(&self) -> f32 {
        self.deepest_mm.max(self.sunk_deepest_mm).max(self.edge_deepest_mm).max(self.contact_mm)
    }

    /// What is out in sight, of both layers, square centimetres.
    pub fn seen_cm2(&self) -> f32 {
        self.poking_cm2 + self.sunk_cm2
    }

    /// How much it weighs that the cell is out of tolerance: what shows through a slit weighs less than what anybody
    /// notices. What lies between vertices, or touches where rest does not, has no area of its own.
    pub fn weight(&self) -> f32 {
        match self.is_bad() {
            false => 0.0,
            true if self.contact_mm > 0.0 => 1.0,
            true => (self.seen_cm2() / NOTICED_CM2).clamp(SLIT, 1.0),
        }
    }

    /// True when anything visible is out of tolerance.
    pub fn is_bad(&self) -> bool {
        self.poking + self.sunk > 0 || self.edge_deepest_mm > 0.0 || self.contact_mm > 0.0
    }

    /// True when nothing is out of tolerance, and yet the surfaces run through each other as they did not
    /// at rest: what does so is hidden, or lies between vertices.
    pub fn only_crosses(&self) -> bool {
        !self.is_bad() && self.crossing_faces > 0 && !self.at_rest
    }

    /// True when the outer layer is stretched or squashed further than cloth stands, or a stiff one bent by
    /// more than 1 mm (common practice, no source).
    pub fn is_strained(&self) -> bool {
        !(SQUASHED..=STRETCHED).contains(&self.worst_strain) || self.stiffness_mm > BENT_MM
    }

    /// By how much more than cloth stands the outer layer is stretched or squashed, as a logarithm (1 for 2.7 times as
    /// much); 1 for a stiff one that is bent; 0 where it is not strained.
    pub fn torn(&self) -> f32 {
        let cloth = (self.worst_strain / STRETCHED).max(SQUASHED / self.worst_strain.max(1e-3)).ln().max(0.0);
        if self.stiffness_mm > BENT_MM {
            1.0
        } else {
            cloth
        }
    }

    pub fn with_stiffness(mut self, metres: f32) -> Self {
        self.stiffness_mm = hundredths(metres);
        self
    }

    /// True when its only trouble is such as nobody sees.
    pub fn is_hidden_only(&self) -> bool {
        !self.is_bad() && (self.buried > 0 || self.only_crosses())
    }

    /// The cell of a pair with how its surfaces run through each other; `contact` when nothing of the one
    /// lies over the other at rest.
    pub fn new(measure: &PairMeasure, crossing: &Crossing, contact: Option<f32>) -> Self {
        let mut cell = Self::from(measure);
        cell.crossing_mm = hundredths(crossing.length);
        cell.crossing_faces = crossing.faces;
        cell.at_rest = crossing.is_of_rest();
        if let Some(tolerance_mm) = contact {
            let depth = hundredths(crossing.depth);
            cell.contact_mm = if depth > tolerance_mm { depth } else { 0.0 };
        }
        if cell.spot.is_none() && (cell.only_crosses() || cell.contact_mm > 0.0) {
            cell.spot = crossing.spot.map(|s| (s.position.to_array(), s.look.to_array()));
        }
        cell
    }
}

impl Default for Cell {
    /// Clear, nothing covered.
    fn default() -> Self {
        Self::from(&sum_up(&Penetration::default(), &Sight::default(), 1.0))
    }
}

/// What anybody notices on a figure, and what the smallest slit weighs besides (common practice, no source).
const NOTICED_CM2: f32 = 1.0;
const SLIT: f32 = 0.1;

/// An edge longer or shorter than this times its length at rest is strained.
const STRETCHED: f32 = 1.6;
const SQUASHED: f32 = 0.4;
/// What is stiff and further from its shape than this is bent, millimetres.
const BENT_MM: f32 = 1.0;

/// A hundredth of a millimetre is finer than anything that follows from it.
fn hundredths(metres: f32) -> f32 {
    (metres * 1e5).round() / 100.0
}

/// A hundredth of a square centimetre is finer than anything that follows from it.
fn cm2(square_metres: f32) -> f32 {
    (square_metres * 1e6).round() / 100.0
}

impl From<&PairMeasure> for Cell {
    fn from(m: &PairMeasure) -> Self {
        let mm = hundredths;
        Self {
            covered: m.covered,
            poking: m.poking,
            deepest_mm: mm(m.deepest),
            poking_cm2: cm2(m.poking_area),
            buried: m.buried,
            sunk: m.sunk,
            sunk_deepest_mm: mm(m.sunk_deepest),
            sunk_cm2: cm2(m.sunk_area),
            least_clearance_mm: m.least_clearance.map(mm),
            // What is endless is no figure: the cell cannot be measured.
            worst_strain: if m.worst_strain.is_finite() {
                (m.worst_strain * 1000.0).round() / 1000.0
            } else {
                1.0
            },
            crossing_mm: 0.0,
            crossing_faces: 0,
            at_rest: false,
            contact_mm: 0.0,
            edge_deepest_mm: mm(m.edge_deepest),
            stiffness_mm: 0.0,
            measurable: !m.unmeasurable && m.worst_strain.is_finite(),
            spot: m.worst.map(|s| (s.position.to_array(), s.look.to_array())),
        }
    }
}

fn yes() -> bool {
    true
}
