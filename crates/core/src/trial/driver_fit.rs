//! Which joint's turn calls a shape up, as far as motions tell: a ramp over the turn about one axis, by least squares.

use crate::driver::{turn_about, Driver};
use crate::skeleton::Pose;
use crate::JointId;
use glam::{Quat, Vec3};

/// A driver found for amounts that came with poses, and how far it is off.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct FittedDriver {
    /// The driver.
    pub driver: Driver,
    /// Root of the mean square of what it is off, as a share of the shape.
    pub rms: f32,
    /// The most that it is off in any pose.
    pub most: f32,
}

/// A joint that turns less than this in all poses calls nothing up, radians.
const LEAST_TURN: f32 = 0.035;
/// Amounts that change less say nothing.
const LEAST_CHANGE: f32 = 0.05;
/// Rounds of Gauss and Newton.
const ROUNDS: usize = 30;
/// Two joints that are off by no more than this apart explain a shape equally well.
const AS_GOOD: f32 = 0.01;

/// The driver that comes closest to `amounts` (0 to 1, one a pose). Where several joints turn together, the one with
/// the largest share in `moves` (by joint, any unit) is taken. None where nothing turns or the amounts do not change.
///
/// Each joint is tried about its own three axes and about the direction of its turns that goes with the amounts. The
/// ramp, clamp((turn − from) / (full − from), 0, 1), is fitted by Gauss–Newton steps over the poses that are neither
/// below nor above it (Björck, “Numerical Methods for Least Squares Problems”, 1996, chapter 9).
///
/// ```
/// use tin_cloak_core::{glam::Quat, skeleton::Pose, trial::fit_driver};
///
/// let bent = |degrees: f32| {
///     let mut pose = Pose::rest(2);
///     pose.rotations[1] = Quat::from_rotation_x(degrees.to_radians());
///     pose
/// };
/// let poses: Vec<Pose> = (0..=9).map(|i| bent(10.0 * i as f32)).collect();
/// let amounts: Vec<f32> = (0..=9).map(|i| ((10.0 * i as f32 - 30.0) / 40.0).clamp(0.0, 1.0)).collect();
/// let found = fit_driver(&poses, &amounts, &[1.0, 1.0]).unwrap();
/// assert_eq!(found.driver.joint.index(), 1);
/// assert!((found.driver.from.to_degrees() - 30.0).abs() < 0.1);
/// assert!((found.driver.full.to_degrees() - 70.0).abs() < 0.1);
/// assert!(found.most < 1e-3);
/// ```
pub fn fit_driver(poses: &[Pose], amounts: &[f32], moves: &[f32]) -> Option<FittedDriver> {
    let joints = poses.iter().map(|p| p.rotations.len()).min()?;
    let (low, high) = amounts.iter().fold((f32::MAX, f32::MIN), |(l, h), a| (l.min(*a), h.max(*a)));
    if poses.len() != amounts.len() || high - low < LEAST_CHANGE {
        return None;
    }
    let fits: Vec<FittedDriver> = (0..joints).filter_map(|j| of_joint(poses, amounts, j)).collect();
    let best = fits.iter().map(|f| f.rms).min_by(f32::total_cmp)?;
    let share = |f: &FittedDriver| moves.get(f.driver.joint.index()).copied().unwrap_or(0.0);
    let as_good = fits.into_iter().filter(|f| f.rms <= best + AS_GOOD);
    as_good.max_by(|a, b| share(a).total_cmp(&share(b)).then(b.rms.total_cmp(&a.rms)))
}

/// The best of a joint's axes.
fn of_joint(poses: &[Pose], amounts: &[f32], joint: usize) -> Option<FittedDriver> {
    let turns: Vec<Quat> = poses.iter().map(|p| p.rotations[joint]).collect();
    let vectors: Vec<Vec3> = turns.iter().map(|q| turn_vector(*q)).collect();
    let axes = [Vec3::X, Vec3::Y, Vec3::Z].into_iter().chain(along_with(&vectors, amounts));
    let id = JointId(u16::try_from(joint).ok()?);
    let fits = axes.filter_map(|axis| {
        let angles: Vec<f32> = turns.iter().map(|q| turn_about(*q, axis)).collect();
        let (from, full) = ramp(&angles, amounts)?;
        let driver = Driver { joint: id, axis, from, full };
        let off = |(pose, amount): (&Pose, &f32)| (driver.amount(pose) - amount).abs();
        let offs: Vec<f32> = poses.iter().zip(amounts).map(off).collect();
        let rms = (offs.iter().map(|o| o * o).sum::<f32>() / offs.len() as f32).sqrt();
        Some(FittedDriver { driver, rms, most: offs.into_iter().fold(0.0, f32::max) })
    });
    fits.min_by(|a, b| a.rms.total_cmp(&b.rms))
}

/// A turn as its axis times its angle, the shorter way round.
fn turn_vector(q: Quat) -> Vec3 {
    let q = if q.w < 0.0 { -q } else { q };
    q.to_scaled_axis()
}

/// The direction in which turns grow with the amounts.
fn along_with(vectors: &[Vec3], amounts: &[f32]) -> Option<Vec3> {
    let n = amounts.len() as f32;
    let mean = amounts.iter().sum::<f32>() / n;
    vectors.iter().zip(amounts).map(|(v, a)| *v * (a - mean)).sum::<Vec3>().try_normalize()
}

/// Where a ramp from 0 to 1 begins and ends that comes closest to `amounts` over `angles`.
fn ramp(angles: &[f32], amounts: &[f32]) -> Option<(f32, f32)> {
    let (low, high) = angles.iter().fold((f32::MAX, f32::MIN), |(l, h), a| (l.min(*a), h.max(*a)));
    if high - low < LEAST_TURN {
        return None;
    }
    // In terms of a slope and a height: amount = slope × angle + height. What is cut off at both ends says nothing.
    let inside = |a: f32| (0.001..=0.999).contains(&a);
    let mut line = straight(angles, amounts, |_, amount| inside(amount));
    line = line.or_else(|| straight(angles, amounts, |_, _| true));
    let off = |(slope, height): (f32, f32)| {
        let square = |(x, a): (&f32, &f32)| ((slope * x + height).clamp(0.0, 1.0) - a).powi(2);
        angles.iter().zip(amounts).map(square).sum::<f32>()
    };
    let mut best = line?;
    for _ in 0..ROUNDS {
        let (slope, height) = best;
        // A pose beyond an end counts again where that end is not what it has.
        let counts = |x: f32, amount: f32| {
            let there = slope * x + height;
            inside(there) || (there.clamp(0.0, 1.0) - amount).abs() > 0.001
        };
        let Some(next) = straight(angles, amounts, counts).filter(|n| off(*n) < off(best)) else { break };
        best = next;
    }
    let (slope, height) = best;
    let (from, full) = (-height / slope, (1.0 - height) / slope);
    // A slope of nothing begins beyond any turn there is.
    let there_is = |a: f32| a.abs() <= 2.0 * std::f32::consts::TAU;
    (there_is(from) && there_is(full) && from != full).then_some((from, full))
}

/// The line of least squares through what counts.
fn straight(angles: &[f32], amounts: &[f32], counts: impl Fn(f32, f32) -> bool) -> Option<(f32, f32)> {
    let pairs = || angles.iter().zip(amounts).filter(|(x, a)| counts(**x, **a));
    let n = pairs().count() as f64;
    let mean = |of: &dyn Fn((&f32, &f32)) -> f64| pairs().map(of).sum::<f64>() / n;
    let (x, a) = (mean(&|p| f64::from(*p.0)), mean(&|p| f64::from(*p.1)));
    let spread = mean(&|p| (f64::from(*p.0) - x).powi(2));
    let together = mean(&|p| (f64::from(*p.0) - x) * (f64::from(*p.1) - a));
    let slope = together / spread;
    (n >= 2.0 && spread > 1e-8 && slope.is_finite()).then_some((slope as f32, (a - slope * x) as f32))
}
