//! The least change that meets demands as far as they can be met: a quadratic cost of the change, and what a demand
//! is short of, squared.
//!
//! min ½ xᵀQx + ½ Σ wᵢ max(0, needᵢ − gᵢ·x)², by Newton's method on the piecewise quadratic, which ends after finitely
//! many steps at the optimum (Mangasarian, “A finite Newton method for classification”, 2002; Madsen, Nielsen & Pınar,
//! “A finite continuation algorithm for bound constrained quadratic programming”, 1999, for the continuation). Each
//! step is one sparse Cholesky factor. It is the quadratic programme with squared slack itself, not one near it: so no
//! interior point or splitting method is needed, and a warm start costs nothing. What cannot be met pulls at all about
//! it by its square; `least_change_of_most` counts it once.

use super::connected_components::{connected_components, Component};
use super::newton_system::NewtonSystem;
use crate::bind::BindError;
use rayon::prelude::*;

/// Demands gᵢ·x ≥ needᵢ, one after the other.
#[derive(Clone, Debug)]
pub struct Demands {
    starts: Vec<usize>,
    unknowns: Vec<u32>,
    gradients: Vec<f64>,
    needs: Vec<f64>,
    /// How much each counts beside the others.
    pub(super) weights: Vec<f64>,
}

impl Default for Demands {
    fn default() -> Self {
        Self {
            starts: vec![0],
            unknowns: Vec::new(),
            gradients: Vec::new(),
            needs: Vec::new(),
            weights: Vec::new(),
        }
    }
}

impl Demands {
    /// Adds one: each unknown at most once.
    pub fn push(&mut self, entries: &[(u32, f64)], need: f64) {
        self.push_weighed(entries, need, 1.0);
    }

    /// Adds one that counts `weight` times.
    pub fn push_weighed(&mut self, entries: &[(u32, f64)], need: f64, weight: f64) {
        self.weights.push(weight);
        self.unknowns.extend(entries.iter().map(|e| e.0));
        self.gradients.extend(entries.iter().map(|e| e.1));
        self.starts.push(self.unknowns.len());
        self.needs.push(need);
    }

    /// How many.
    pub fn len(&self) -> usize {
        self.needs.len()
    }

    /// True when there is none.
    pub fn is_empty(&self) -> bool {
        self.needs.is_empty()
    }

    pub(super) fn row(&self, i: usize) -> impl Iterator<Item = (u32, f64)> + '_ {
        let range = self.starts[i]..self.starts[i + 1];
        self.unknowns[range.clone()].iter().copied().zip(self.gradients[range].iter().copied())
    }

    pub(super) fn need(&self, i: usize) -> f64 {
        self.needs[i]
    }

    /// What demand `i` is short of at `x`; below 0 when it is met.
    pub fn short(&self, i: usize, x: &[f64]) -> f64 {
        self.needs[i] - self.row(i).map(|(k, g)| g * x[k as usize]).sum::<f64>()
    }

    /// Has the first `count` count the less the more they are short of at `x`, where that is more than `beyond`.
    fn weigh_by_shortness(&mut self, count: usize, beyond: f64, x: &[f64]) {
        let weigh = |i: usize| beyond / self.short(i, x).max(beyond);
        self.weights = (0..count).map(weigh).chain(self.weights[count..].iter().copied()).collect();
    }

    fn shortfalls(&self, x: &[f64]) -> Vec<f64> {
        (0..self.len()).into_par_iter().with_min_len(512).map(|i| self.short(i, x)).collect()
    }
}

/// A symmetric matrix by its lower triangle: row, column (no larger), value. The same place may come more than once.
pub type Lower = Vec<(u32, u32, f64)>;

/// Newton steps before it is taken as it is: whole ones first, then those that must win something.
pub(super) const STEPS: (usize, usize) = (12, 25);
/// Less than these shares won by each of three steps are not worth a fourth.
const WON: f64 = 0.005;
const SURELY_WON: f64 = 0.005;
/// Demands weigh little at first: so each weight begins near its end.
const WEIGHTS: [f64; 3] = [0.01, 0.1, 1.0];

/// The x of least cost, beginning at `x`; every demand weighs `weight`. `cost` must be positive definite.
///
/// ```
/// use tin_cloak_core::mend::{least_change, Demands};
///
/// // Two unknowns that cost alike; together they must be 1: each is half of that.
/// let mut demands = Demands::default();
/// demands.push(&[(0, 1.0), (1, 1.0)], 1.0);
/// let x = least_change(&vec![(0, 0, 1.0), (1, 1, 1.0)], &demands, 1e8, vec![0.0; 2])?;
/// assert!(x.iter().all(|x| (x - 0.5).abs() < 1e-6));
/// # Ok::<(), tin_cloak_core::bind::BindError>(())
/// ```
///
/// # Errors
/// When the system cannot be factored.
pub fn least_change(
    cost: &Lower,
    demands: &Demands,
    weight: f64,
    x: Vec<f64>,
) -> Result<Vec<f64>, BindError> {
    let stages = Stages { count: 0, beyond: 0.0, times: 0, is_warm: false, steps: STEPS };
    least_change_of_most(cost, demands, weight, stages, x)
}

/// How demands come to count once and not squared.
#[derive(Clone, Copy, Debug)]
pub(super) struct Stages {
    /// So many of the first do.
    pub count: usize,
    /// Where they are short of more than this.
    pub beyond: f64,
    /// So often they are made to count less behind the last weight.
    pub times: usize,
    /// It begins near its end: no weight but the last is needed.
    pub is_warm: bool,
    /// Newton steps of each weight at most: whole ones, then those that must win something.
    pub steps: (usize, usize),
}

/// The same with what the first `count` demands are short of counted once instead of squared, where it is more than
/// `beyond`: what cannot be met holds up nothing about it. By solving again with weights that make squares of it
/// (iteratively reweighted least squares; Holland & Welsch, “Robust regression using iteratively reweighted
/// least-squares”, 1977), with each weight of the continuation, and `times` times behind it. What nothing links is
/// solved apart.
///
/// # Errors
/// When the system cannot be factored.
pub(super) fn least_change_of_most(
    cost: &Lower,
    demands: &Demands,
    weight: f64,
    Stages { count, beyond, times, is_warm, steps }: Stages,
    mut x: Vec<f64>,
) -> Result<Vec<f64>, BindError> {
    let solve = |island: &mut Component| -> Result<Vec<f64>, BindError> {
        let mut own: Vec<f64> = island.unknowns.iter().map(|k| x[*k as usize]).collect();
        let system = NewtonSystem::new(own.len(), &island.cost, &island.demands)?;
        let begun = if is_warm { &WEIGHTS[WEIGHTS.len() - 1..] } else { &WEIGHTS[..] };
        for (at, share) in begun.iter().copied().chain(std::iter::repeat_n(1.0, times)).enumerate() {
            if at > 0 || is_warm {
                island.demands.weigh_by_shortness(island.first, beyond, &own);
            }
            let (cost, demands, weight) = (&island.cost, &island.demands, weight * share);
            own = Problem { cost, demands, weight, steps, system: &system }.solved(own)?;
        }
        Ok(own)
    };
    let mut connected_components = connected_components(x.len(), cost, demands, count);
    let solved: Vec<Vec<f64>> =
        connected_components.par_iter_mut().with_max_len(1).map(solve).collect::<Result<_, _>>()?;
    for (island, own) in connected_components.iter().zip(solved) {
        island.unknowns.iter().zip(own).for_each(|(k, own)| x[*k as usize] = own);
    }
    Ok(x)
}

/// Demands that all weigh so much, and what a change costs.
#[derive(Clone, Copy)]
struct Problem<'a> {
    cost: &'a Lower,
    demands: &'a Demands,
    weight: f64,
    /// Whole ones, then those that must win something.
    steps: (usize, usize),
    system: &'a NewtonSystem,
}

impl Problem<'_> {
    /// What is to be least.
    fn value(&self, x: &[f64], shortfalls: &[f64]) -> f64 {
        let squares = shortfalls.iter().zip(&self.demands.weights).map(|(s, w)| w * s.max(0.0).powi(2));
        0.5 * (cost_of(self.cost, x) + self.weight * squares.sum::<f64>())
    }

    /// Whole Newton steps end after a few, nearly always. Where they do not, the best of them is gone on from with
    /// steps that are shortened until they win something.
    fn solved(&self, x: Vec<f64>) -> Result<Vec<f64>, BindError> {
        let mut shortfalls = self.demands.shortfalls(&x);
        let (mut least, mut best, mut stale) = (self.value(&x, &shortfalls), x, 0);
        for _ in 0..self.steps.0 {
            let aim = self.aim(&shortfalls)?;
            let at = self.demands.shortfalls(&aim);
            let (same, value) = (are_same(&shortfalls, &at), self.value(&aim, &at));
            stale = if value < least * (1.0 - WON) { 0 } else { stale + 1 };
            if value < least {
                (least, best) = (value, aim);
            }
            if same {
                return Ok(best);
            }
            if stale > 2 {
                break;
            }
            shortfalls = at;
        }
        self.descended(best)
    }

    fn descended(&self, mut x: Vec<f64>) -> Result<Vec<f64>, BindError> {
        let mut shortfalls = self.demands.shortfalls(&x);
        let (mut last, mut stale) = (f64::INFINITY, 0);
        for _ in 0..self.steps.1 {
            let aim = self.aim(&shortfalls)?;
            let step: Vec<f64> = aim.iter().zip(&x).map(|(a, x)| a - x).collect();
            let at = self.demands.shortfalls(&aim);
            let same = are_same(&shortfalls, &at);
            let share = if same { 1.0 } else { self.best_share(&x, &step, &shortfalls, &at) };
            x.iter_mut().zip(&step).for_each(|(x, s)| *x += s * share);
            shortfalls.iter_mut().zip(&at).for_each(|(s, at)| *s += (at - *s) * share);
            let now = self.value(&x, &shortfalls);
            stale = if now > last * (1.0 - SURELY_WON) { stale + 1 } else { 0 };
            if same || stale > 2 {
                break;
            }
            last = now;
        }
        Ok(x)
    }

    /// Where the cost is least if the demands that are short stay so and no other comes to be.
    fn aim(&self, shortfalls: &[f64]) -> Result<Vec<f64>, BindError> {
        let active: Vec<usize> = (0..shortfalls.len()).filter(|&i| shortfalls[i] > 0.0).collect();
        let demands = self.demands;
        let mut right = vec![0.0; self.system.unknowns()];
        for &i in &active {
            let pull = self.weight * demands.weights[i] * demands.needs[i];
            demands.row(i).for_each(|(k, g)| right[k as usize] += pull * g);
        }
        self.system.solved(demands, &active, self.weight, &right)
    }

    /// The share of the way, 0 to 1, at which the cost is least: along a line it is a convex function of pieces, whose
    /// slope is halved down to its zero.
    fn best_share(&self, x: &[f64], step: &[f64], from: &[f64], to: &[f64]) -> f64 {
        let Self { cost, demands, weight, .. } = *self;
        let (mut linear, mut square) = (0.0, 0.0);
        for &(i, k, q) in cost {
            let (i, k) = (i as usize, k as usize);
            linear += q * x[i] * step[k] + if i == k { 0.0 } else { q * x[k] * step[i] };
            square += q * step[i] * step[k] * if i == k { 1.0 } else { 2.0 };
        }
        let slope = |t: f64| {
            let short = |((a, b), w): ((&f64, &f64), &f64)| w * (a + (b - a) * t).max(0.0) * (b - a);
            linear + square * t + weight * from.iter().zip(to).zip(&demands.weights).map(short).sum::<f64>()
        };
        let (mut low, mut high) = (0.0, 1.0);
        if slope(high) <= 0.0 {
            return 1.0;
        }
        for _ in 0..30 {
            let middle = 0.5 * (low + high);
            if slope(middle) > 0.0 {
                high = middle;
            } else {
                low = middle;
            }
        }
        // Never none: the step leads down.
        high
    }
}

/// True when the same demands are short.
fn are_same(before: &[f64], after: &[f64]) -> bool {
    before.iter().zip(after).all(|(a, b)| (*a > 0.0) == (*b > 0.0))
}

/// Twice what a change costs by itself.
fn cost_of(cost: &Lower, x: &[f64]) -> f64 {
    let twice =
        |&(i, k, q): &(u32, u32, f64)| q * x[i as usize] * x[k as usize] * if i == k { 1.0 } else { 2.0 };
    cost.iter().map(twice).sum()
}
