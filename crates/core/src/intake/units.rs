//! In which units, and with which axis up, a piece was modelled.

use crate::mesh::{bounds, face_normal};
use crate::query::Bvh;
use glam::{Mat3, Quat, Vec3};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

/// The axis that is up in a file.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub enum Up {
    /// As here.
    #[default]
    Y,
    /// Turned a quarter about X.
    Z,
}

impl Up {
    /// Takes the file's axes to Y up.
    pub fn turn(self) -> Mat3 {
        Mat3::from_quat(self.rotation())
    }

    /// The same as a unit quaternion.
    pub fn rotation(self) -> Quat {
        match self {
            Self::Y => Quat::IDENTITY,
            Self::Z => Quat::from_rotation_x(-std::f32::consts::FRAC_PI_2),
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
/// Cloth sinks a little without being in the wrong place, metres.
const INSIDE: f32 = 0.012;

/// Metres a unit and upward axis of a body (`positions`) that is no person's size as it is: of the
/// usual units the one that brings its height nearest to 1.7 m. None when it is between 0.3 and
/// 3.5 m tall and stands upright.
///
/// ```
/// use tin_cloak_core::{glam::Vec3, intake::{guess_body_size, Up}};
///
/// // 180 units tall, standing along Z: a person in centimetres.
/// let (metres_a_unit, up) = guess_body_size(&[Vec3::ZERO, Vec3::new(40.0, 20.0, 180.0)]).unwrap();
/// assert_eq!((metres_a_unit, up), (0.01, Up::Z));
/// assert_eq!(guess_body_size(&[Vec3::ZERO, Vec3::new(0.4, 1.8, 0.2)]), None);
/// ```
pub fn guess_body_size(positions: &[Vec3]) -> Option<(f32, Up)> {
    const TALL: f32 = 1.7;
    let (low, high) = bounds(positions);
    let size = high - low;
    let up = if size.y < size.z { Up::Z } else { Up::Y };
    let height = if up == Up::Z { size.z } else { size.y };
    if (0.3..3.5).contains(&height) {
        return (up == Up::Z).then_some((1.0, up));
    }
    let off = |scale: &f32| (height * scale / TALL).ln().abs();
    let best = SCALES.into_iter().chain([100.0, 1000.0]).min_by(|a, b| off(a).total_cmp(&off(b)))?;
    Some((best, up))
}

/// What lies as near to the body as this share of its height, on the mean, is beside it: its size
/// is believed.
const BESIDE: f32 = 0.05;

/// Tries every unit and upward axis and takes the one in which the piece lies nearest to the
/// body (both in metres, Y up) without being too small to be worn: its size must be at least a
/// fortieth of the body's, and less than half of it may lie inside the body (a thing hung beside
/// the hip is not to be shrunk into the leg). The piece stays as it is unless another is clearly
/// better.
///
/// ```
/// use tin_cloak_core::intake::guess_units;
/// use tin_cloak_core::shapes::{moved, sphere};
///
/// // A bobble in centimetres, on top of a ball in metres.
/// let (body, bobble) = (sphere(0.5, 24), moved(sphere(10.0, 8), glam::Vec3::Y * 60.0));
/// let guess = guess_units(&bobble.0, &body.0, &body.1);
/// assert_eq!(guess.scale, 0.01);
/// assert!(guess.distance < 0.12);
/// ```
pub fn guess_units(piece: &[Vec3], body: &[Vec3], body_triangles: &[[u32; 3]]) -> UnitGuess {
    let tree = Bvh::build(body, body_triangles);
    let (low, high) = bounds(body);
    let height = (high - low).max_element();
    let (piece_low, piece_high) = bounds(piece);
    let size = (piece_high - piece_low).length();
    let step = (piece.len() / SAMPLES).max(1);
    let samples: Vec<Vec3> = piece.iter().step_by(step).copied().collect();
    let inside = |p: Vec3, face: u32| {
        let [a, b, c] = body_triangles[face as usize];
        let normal = face_normal(body, [a, b, c]);
        (p - body[a as usize]).dot(normal) < -INSIDE
    };
    // Mean distance, and the share inside.
    let lies = |scale: f32, up: Up| -> (f32, f32) {
        let turn = up.turn();
        let one = |p: &Vec3| {
            let p = turn * (*p * scale);
            let Some(hit) = tree.closest(p, f32::INFINITY) else { return (0.0, 0.0) };
            (hit.distance_squared.sqrt(), f32::from(u8::from(inside(p, hit.triangle))))
        };
        let each: Vec<(f32, f32)> = samples.par_iter().map(one).collect();
        let (far, sunk) = each.iter().fold((0.0, 0.0), |sum, one| (sum.0 + one.0, sum.1 + one.1));
        let all = samples.len().max(1) as f32;
        (far / all, sunk / all)
    };
    let distance = |scale: f32, up: Up| {
        let (far, sunk) = lies(scale, up);
        if sunk < 0.5 {
            far
        } else {
            f32::INFINITY
        }
    };
    let now = lies(1.0, Up::Y).0;
    let mut best = UnitGuess { scale: 1.0, up: Up::Y, distance: now, distance_now: now };
    // Something of a wearable size beside the body is believed unless a change brings it to it.
    let wearable = |scale: f32| (height / 40.0..=height * 1.6).contains(&(size * scale));
    let beside = wearable(1.0) && now < height * BESIDE;
    let mut bar = if wearable(1.0) { now * 0.5 } else { f32::INFINITY };
    for scale in SCALES {
        for up in [Up::Y, Up::Z] {
            if !wearable(scale) || (scale == 1.0 && up == Up::Y) || (scale != 1.0 && beside) {
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
