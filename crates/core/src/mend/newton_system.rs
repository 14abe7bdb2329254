//! The system of a Newton step: its pattern is found once, of the cost and all demands there are; a step fills in the
//! values of those that count, and factors.

use super::finite_newton::{Demands, Lower};
use crate::bind::BindError;
use tin_cloak_solve::SparseCholesky;

/// The lower triangle of a symmetric matrix whose pattern stays.
pub(super) struct NewtonSystem {
    matrix: SparseCholesky,
    /// Values of the cost alone, column by column.
    cost: Vec<f64>,
    /// For each demand, where its places begin in `places`.
    starts: Vec<usize>,
    /// Where the products of the entries of a demand go, each with those before it and itself.
    places: Vec<u32>,
}

impl NewtonSystem {
    /// # Errors
    /// When the pattern is none.
    pub fn new(unknowns: usize, cost: &Lower, demands: &Demands) -> Result<Self, BindError> {
        let key = |row: u32, column: u32| (u64::from(column) << 32) | u64::from(row);
        let mut keys: Vec<u64> = cost.iter().map(|(r, c, _)| key(*r, *c)).collect();
        (0..demands.len()).for_each(|i| each_product(demands, i, |r, c, _| keys.push(key(r, c))));
        keys.sort_unstable();
        keys.dedup();
        let mut starts = vec![0usize; unknowns + 1];
        keys.iter().for_each(|k| starts[(k >> 32) as usize + 1] += 1);
        (0..unknowns).for_each(|c| starts[c + 1] += starts[c]);
        let rows: Vec<usize> = keys.iter().map(|k| (k & 0xffff_ffff) as usize).collect();
        let place = |row: u32, column: u32| {
            let (from, to) = (starts[column as usize], starts[column as usize + 1]);
            let found = rows[from..to].binary_search(&(row as usize));
            from + found.unwrap_or(0)
        };
        let mut values = vec![0.0; rows.len()];
        cost.iter().for_each(|&(r, c, value)| values[place(r, c)] += value);
        let mut of_demand = vec![0];
        let mut places = Vec::new();
        for i in 0..demands.len() {
            each_product(demands, i, |r, c, _| places.push(place(r, c) as u32));
            of_demand.push(places.len());
        }
        let matrix = SparseCholesky::of_pattern(unknowns, starts, rows)?;
        Ok(Self { matrix, cost: values, starts: of_demand, places })
    }

    pub fn unknowns(&self) -> usize {
        self.matrix.unknowns()
    }

    /// The x at which the cost and the squares of the demands named are least; `right` is what these pull.
    ///
    /// # Errors
    /// When it cannot be factored.
    pub fn solved(
        &self,
        demands: &Demands,
        active: &[usize],
        weight: f64,
        right: &[f64],
    ) -> Result<Vec<f64>, BindError> {
        let mut values = self.cost.clone();
        for &i in active {
            let mut places = self.places[self.starts[i]..self.starts[i + 1]].iter();
            let weight = weight * demands.weights[i];
            each_product(demands, i, |_, _, product| {
                if let Some(at) = places.next() {
                    values[*at as usize] += weight * product;
                }
            });
        }
        Ok(self.matrix.solved(&values, right)?)
    }
}

/// Takes row, column (no larger) and value of each product of two entries of a demand, in their order. Plain loops: an
/// iterator of iterators took a twelfth of the time of a whole plan.
fn each_product(demands: &Demands, i: usize, mut take: impl FnMut(u32, u32, f64)) {
    for (a, g) in demands.row(i) {
        for (b, h) in demands.row(i) {
            if b <= a {
                take(a, b, g * h);
            }
        }
    }
}
