//! In which units, and with which axis up, a piece was modelled.

use crate::mesh::bounds;
use crate::query::Tree;
use glam::{Mat3, Vec3};
use rayon::prelude::*;

/// The axis that is up in a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Up {
    /// As here.
    Y,
    /// Turned a quarter about X.
    Z,
}

impl Up {
    /// Takes the file's axes to Y up.
    pub fn turn(self) -> Mat3 {
        match self {
            Self::Y => Mat3::IDENTITY,
            Self::Z => Mat3::from_rotation_x(-std::f32::consts::FRAC_PI_2),
        }
    }
}

/// A guess: multiply by `scale`, then turn `up` to Y.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct UnitGuess {
    /// Metres a unit of the file.
    pub scale: f32,
    /// The file's upward axis.
    pub up: Up,
    /// Mean distance to the body after that, metres.
    pub distance: f32,
    /// The same as the piece is.
    pub distance_now: f32,
}

impl UnitGuess {
    /// True when the piece is best left as it is.
    pub fn is_as_it_is(&self) -> bool {
        self.scale == 1.0 && self.up == Up::Y
    }

    /// Where a point of the piece goes.
    pub fn apply(&self, p: Vec3) -> Vec3 {
        self.up.turn() * (p * self.scale)
    }
}

/// Metres a unit: metres, centimetres, millimetres, inches, feet, decimetres, and ten metres.
const SCALES: [f32; 7] = [1.0, 0.01, 0.001, 0.0254, 0.3048, 0.1, 10.0];
const SAMPLES: usize = 400;

/// Tries every unit and upward axis and takes the one in which the piece lies nearest to the
/// body (both in metres, Y up) without being too small to be worn: its size must be at least a
/// fortieth of the body's. The piece stays as it is unless another is clearly better.
pub fn guess_units(piece: &[Vec3], body: &[Vec3], body_triangles: &[[u32; 3]]) -> UnitGuess {
    let tree = Tree::build(body, body_triangles);
    let (low, high) = bounds(body);
    let height = (high - low).max_element();
    let (piece_low, piece_high) = bounds(piece);
    let size = (piece_high - piece_low).length();
    let step = (piece.len() / SAMPLES).max(1);
    let samples: Vec<Vec3> = piece.iter().step_by(step).copied().collect();
    let distance = |scale: f32, up: Up| -> f32 {
        let turn = up.turn();
        let one = |p: &Vec3| {
            tree.closest(turn * (*p * scale), f32::INFINITY).map_or(0.0, |h| h.distance_squared.sqrt())
        };
        samples.par_iter().map(one).sum::<f32>() / samples.len().max(1) as f32
    };
    let now = distance(1.0, Up::Y);
    let mut best = UnitGuess { scale: 1.0, up: Up::Y, distance: now, distance_now: now };
    // Something of a wearable size beside the body is believed unless a change brings it to it.
    let wearable = |scale: f32| (height / 40.0..=height * 1.6).contains(&(size * scale));
    let mut bar = if wearable(1.0) { now * 0.5 } else { f32::INFINITY };
    for scale in SCALES {
        for up in [Up::Y, Up::Z] {
            if !wearable(scale) || (scale == 1.0 && up == Up::Y) {
                continue;
            }
            let here = distance(scale, up);
            if here < bar {
                bar = here;
                best = UnitGuess { scale, up, distance: here, distance_now: now };
            }
        }
    }
    best
}
