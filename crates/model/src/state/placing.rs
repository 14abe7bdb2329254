//! Where a piece goes and how it is eased, as people say it.

use crate::error::WorkshopError;
use crate::state::names::PieceId;
use glam::{Quat, Vec3};
use serde::{Deserialize, Serialize};
use tin_cloak_core::seat::{Fade, Move, Relaxing};
use tin_cloak_core::units::from_mm;

/// What one side gives to the other.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct OtherSide {
    /// The piece that gives; the same one gives from side to side.
    pub from: PieceId,
    /// Of one piece: the character's left gives, the right takes.
    pub from_left: bool,
    /// Its shape: what was done to it since it came.
    pub shape: bool,
    /// Its weights, by the joints of the other side.
    pub weights: bool,
}

/// Where a piece goes, as people say it: millimetres, degrees and percent.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct PlaceOptions {
    /// To the left, up, forward.
    pub shift_mm: [f32; 3],
    /// About the axes to the left, up and forward, in that order.
    pub turn_degrees: [f32; 3],
    /// An axis each, before the turn.
    pub size_percent: [f32; 3],
    /// The joint about which it turns and grows; its own middle when none is named.
    pub about: Option<u16>,
    /// The joint to which its own middle is brought first.
    #[serde(default)]
    pub onto: Option<u16>,
}

impl PlaceOptions {
    /// Leaves the piece where it is.
    pub const NONE: Self = Self {
        shift_mm: [0.0; 3],
        turn_degrees: [0.0; 3],
        size_percent: [100.0; 3],
        about: None,
        onto: None,
    };
}

/// How what is chosen is moved, as people say it: millimetres, degrees and percent.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default)]
#[allow(missing_docs)]
pub struct MoveOptions {
    /// To the left, up, forward.
    pub shift_mm: [f32; 3],
    /// About the axes to the left, up and forward through its own middle, in that order.
    pub turn_degrees: [f32; 3],
    /// An axis each, before the turn.
    pub size_percent: [f32; 3],
    /// Off the surface, along its normals.
    pub off_mm: f32,
    /// Beyond what is chosen it is less and less, over so much along the cloth.
    pub fade_mm: f32,
    pub fade: Fade,
    /// The same on the other side of the body's plane.
    pub both_sides: bool,
}

impl Default for MoveOptions {
    fn default() -> Self {
        Self {
            shift_mm: [0.0; 3],
            turn_degrees: [0.0; 3],
            size_percent: [100.0; 3],
            off_mm: 0.0,
            fade_mm: 0.0,
            fade: Fade::Soft,
            both_sides: false,
        }
    }
}

impl MoveOptions {
    /// As the computation takes it.
    ///
    /// # Errors
    /// When a number makes no sense, or nothing would move.
    pub fn checked(self) -> Result<Move, WorkshopError> {
        let within = |list: [f32; 3], most: f32| list.iter().all(|x| (-most..=most).contains(x));
        let sane = within(self.shift_mm, 2000.0)
            && within(self.turn_degrees, 360.0)
            && self.size_percent.iter().all(|s| (1.0..=1000.0).contains(s))
            && (-200.0..=200.0).contains(&self.off_mm)
            && (0.0..=500.0).contains(&self.fade_mm);
        let still =
            Self { fade_mm: self.fade_mm, fade: self.fade, both_sides: self.both_sides, ..Self::default() };
        if !sane || self == still {
            return Err(WorkshopError::BadMove);
        }
        let [x, y, z] = self.turn_degrees.map(f32::to_radians);
        Ok(Move {
            by: from_mm(Vec3::from(self.shift_mm)),
            turn: Quat::from_rotation_z(z) * Quat::from_rotation_y(y) * Quat::from_rotation_x(x),
            size: Vec3::from(self.size_percent) * 0.01,
            off: from_mm(self.off_mm),
        })
    }
}

/// Where rows of vertices are added, besides across which edge.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct RowsAlong {
    /// Where on each edge the only row lies, in percent of its way; even where nothing is said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at_percent: Option<u8>,
    /// At most over so many edges on either side of the chosen one; all the way where nothing is said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub reach: Option<usize>,
    /// Across the mirror image of the edge, too.
    #[serde(default)]
    pub both_sides: bool,
}

/// Relaxing.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct RelaxOptions {
    /// 1 leaves nearly all as it is, 100 asks for nothing but the shape that the piece came in.
    pub percent: f32,
    /// So often, one after the other.
    pub times: usize,
    /// What comes nearer to what lies beneath than this is lifted off it, millimetres.
    pub clear_mm: f32,
}

impl Default for RelaxOptions {
    fn default() -> Self {
        Self { percent: 50.0, times: 2, clear_mm: 1.0 }
    }
}

/// Easing, in millimetres.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct EaseOptions {
    /// At least this much clearance.
    pub least_mm: f32,
    /// At most this much, when it is to be drawn in.
    pub most_mm: Option<f32>,
}

/// More often than this brings nothing.
const MOST_TIMES: usize = 50;

impl RelaxOptions {
    /// As the computation takes it.
    ///
    /// # Errors
    /// When a number makes no sense.
    pub fn checked(self) -> Result<Relaxing, WorkshopError> {
        let sane = (1.0..=100.0).contains(&self.percent)
            && (1..=MOST_TIMES).contains(&self.times)
            && (0.0..=50.0).contains(&self.clear_mm);
        let (strength, clear) = (self.percent * 0.01, from_mm(self.clear_mm));
        sane.then_some(Relaxing { strength, times: self.times, clear }).ok_or(WorkshopError::BadRelax)
    }
}
