//! The least change that meets demands as far as they can be met: a quadratic cost of the change, and what a demand
//! is short of, squared.
//!
//! min ½ xᵀQx + ½ Σ wᵢ max(0, needᵢ − gᵢ·x)², by Newton's method on the piecewise quadratic, which ends after finitely
//! many steps at the optimum (Mangasarian, “A finite Newton method for classification”, 2002; Madsen, Nielsen & Pınar,
//! “A finite continuation algorithm for bound constrained quadratic programming”, 1999, for the squared slack). Each
//! step is one sparse Cholesky factor. It is the quadratic programme with squared slack itself, not one near it: so no
//! interior point or splitting method is needed, a warm start costs nothing, and demands that cannot be met never
//! hold the others up.

use crate::bind::solve_positive;
use crate::bind::BindError;
use faer::sparse::Triplet;
use faer::Mat;
use rayon::prelude::*;

/// Demands gᵢ·x ≥ needᵢ, one after the other.
#[derive(Clone, Debug)]
pub struct Demands {
    starts: Vec<usize>,
    unknowns: Vec<u32>,
    gradients: Vec<f64>,
    needs: Vec<f64>,
}

impl Default for Demands {
    fn default() -> Self {
        Self { starts: vec![0], unknowns: Vec::new(), gradients: Vec::new(), needs: Vec::new() }
    }
}

impl Demands {
    /// Adds one: each unknown at most once.
    pub fn push(&mut self, entries: &[(u32, f64)], need: f64) {
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

    fn row(&self, i: usize) -> impl Iterator<Item = (u32, f64)> + '_ {
        let range = self.starts[i]..self.starts[i + 1];
        self.unknowns[range.clone()].iter().copied().zip(self.gradients[range].iter().copied())
    }

    /// What demand `i` is short of at `x`; below 0 when it is met.
    pub fn short(&self, i: usize, x: &[f64]) -> f64 {
        self.needs[i] - self.row(i).map(|(k, g)| g * x[k as usize]).sum::<f64>()
    }

    fn shortfalls(&self, x: &[f64]) -> Vec<f64> {
        (0..self.len()).into_par_iter().with_min_len(512).map(|i| self.short(i, x)).collect()
    }
}

/// A symmetric matrix by its lower triangle: row, column (no larger), value. The same place may come more than once.
pub type Lower = Vec<(u32, u32, f64)>;

/// Newton steps before it is taken as it is.
const MOST_STEPS: usize = 25;
/// Less than this share won by each of two steps is not worth a third.
const WON: f64 = 0.005;

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
    mut x: Vec<f64>,
) -> Result<Vec<f64>, BindError> {
    let mut shortfalls = demands.shortfalls(&x);
    let (mut last, mut stale) = (f64::INFINITY, 0);
    for _ in 0..MOST_STEPS {
        let active: Vec<usize> = (0..demands.len()).filter(|&i| shortfalls[i] > 0.0).collect();
        let aim = solve_active(cost, demands, &active, weight, x.len())?;
        let step: Vec<f64> = aim.iter().zip(&x).map(|(a, x)| a - x).collect();
        let largest = step.iter().fold(0.0f64, |most, s| most.max(s.abs()));
        if largest < 1e-7 {
            break;
        }
        let at = demands.shortfalls(&aim);
        let same = (0..demands.len()).all(|i| (at[i] > 0.0) == (shortfalls[i] > 0.0));
        let share = if same { 1.0 } else { best_share(cost, (&x, &step), (&shortfalls, &at), weight) };
        x.iter_mut().zip(&step).for_each(|(x, s)| *x += s * share);
        shortfalls.iter_mut().zip(&at).for_each(|(s, at)| *s += (at - *s) * share);
        let now = cost_of(cost, &x) + weight * shortfalls.iter().map(|s| s.max(0.0).powi(2)).sum::<f64>();
        stale = if now > last * (1.0 - WON) { stale + 1 } else { 0 };
        if same || stale > 1 {
            break;
        }
        last = now;
    }
    Ok(x)
}

/// Twice what a change costs by itself.
fn cost_of(cost: &Lower, x: &[f64]) -> f64 {
    let twice =
        |&(i, k, q): &(u32, u32, f64)| q * x[i as usize] * x[k as usize] * if i == k { 1.0 } else { 2.0 };
    cost.iter().map(twice).sum()
}

/// The share of the way, 0 to 1, at which the cost is least: along a line it is a convex function of pieces, whose
/// slope is halved down to its zero.
fn best_share(cost: &Lower, (x, step): (&[f64], &[f64]), (from, to): (&[f64], &[f64]), weight: f64) -> f64 {
    let (mut linear, mut square) = (0.0, 0.0);
    for &(i, k, q) in cost {
        let (i, k) = (i as usize, k as usize);
        linear += q * x[i] * step[k] + if i == k { 0.0 } else { q * x[k] * step[i] };
        square += q * step[i] * step[k] * if i == k { 1.0 } else { 2.0 };
    }
    let slope = |t: f64| {
        let short = |(a, b): (&f64, &f64)| (a + (b - a) * t).max(0.0) * (b - a);
        linear + square * t + weight * from.iter().zip(to).map(short).sum::<f64>()
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

fn solve_active(
    cost: &Lower,
    demands: &Demands,
    active: &[usize],
    weight: f64,
    n: usize,
) -> Result<Vec<f64>, BindError> {
    let row = |&i: &usize| {
        let entries: Vec<(u32, f64)> = demands.row(i).collect();
        let mut all = Vec::with_capacity(entries.len() * (entries.len() + 1) / 2);
        for &(a, g) in &entries {
            all.extend(entries.iter().filter(|e| e.0 <= a).map(|e| (a, e.0, weight * g * e.1)));
        }
        all
    };
    let mut all: Lower = active.par_iter().with_min_len(64).flat_map_iter(row).collect();
    all.extend(cost);
    // Column by column; what comes to one place is summed in the order in which it came.
    all.par_sort_by_key(|e| (e.1, e.0));
    let mut triplets: Vec<Triplet<usize, usize, f64>> = Vec::with_capacity(all.len() / 2);
    for (i, k, value) in all {
        match triplets.last_mut().filter(|t| (t.row, t.col) == (i as usize, k as usize)) {
            Some(last) => last.val += value,
            None => triplets.push(Triplet::new(i as usize, k as usize, value)),
        }
    }
    let mut right = Mat::<f64>::zeros(n, 1);
    for &i in active {
        demands.row(i).for_each(|(k, g)| right[(k as usize, 0)] += weight * demands.needs[i] * g);
    }
    let solved = solve_positive(n, &triplets, &right)?;
    Ok((0..n).map(|i| solved[(i, 0)]).collect())
}
