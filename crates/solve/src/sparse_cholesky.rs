//! Sparse symmetric positive definite systems, by Cholesky's factor of the lower triangle.

use faer::linalg::solvers::Solve;
use faer::sparse::linalg::solvers::{Llt, SymbolicLlt};
use faer::sparse::{SparseColMat, SparseColMatRef, SymbolicSparseColMat, Triplet};
use faer::{Mat, Side};
use std::fmt;

/// Why a system could not be factored, in the solver's words.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SolveError(pub String);

impl fmt::Display for SolveError {
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl std::error::Error for SolveError {}

fn fail(e: impl fmt::Debug) -> SolveError {
    SolveError(format!("{e:?}"))
}

/// Solves a system of `n` unknowns given by its lower triangle, for all columns of `right` with one factor.
///
/// # Errors
/// When the matrix is not positive definite.
///
/// ```
/// use tin_cloak_solve::{solve_positive, Mat, Triplet};
///
/// let lower = [Triplet::new(0, 0, 2.0), Triplet::new(1, 0, 1.0), Triplet::new(1, 1, 2.0)];
/// let solved = solve_positive(2, &lower, &Mat::from_fn(2, 1, |_, _| 3.0)).unwrap();
/// assert!((solved[(0, 0)] - 1.0).abs() < 1e-12 && (solved[(1, 0)] - 1.0).abs() < 1e-12);
/// ```
pub fn solve_positive(
    n: usize,
    lower: &[Triplet<usize, usize, f64>],
    right: &Mat<f64>,
) -> Result<Mat<f64>, SolveError> {
    let matrix = SparseColMat::<usize, f64>::try_new_from_triplets(n, n, lower).map_err(fail)?;
    let factor = matrix.sp_cholesky(Side::Lower).map_err(fail)?;
    Ok(factor.solve(right))
}

/// The lower triangle of a symmetric matrix whose pattern stays while its values change: what a factor fills in is
/// found once.
pub struct SparseCholesky {
    pattern: SymbolicSparseColMat<usize>,
    factor: SymbolicLlt<usize>,
}

impl SparseCholesky {
    /// Of `unknowns` columns; the entries of column `c` are in the `rows` from `starts[c]` to `starts[c + 1]`,
    /// ascending.
    ///
    /// # Errors
    /// When the pattern is none.
    pub fn of_pattern(unknowns: usize, starts: Vec<usize>, rows: Vec<usize>) -> Result<Self, SolveError> {
        let pattern = SymbolicSparseColMat::new_checked(unknowns, unknowns, starts, None, rows);
        let factor = SymbolicLlt::try_new(pattern.as_ref(), Side::Lower).map_err(fail)?;
        Ok(Self { pattern, factor })
    }

    /// How many unknowns there are.
    pub fn unknowns(&self) -> usize {
        self.pattern.ncols()
    }

    /// The x at which the matrix with these `values` (one an entry of the pattern) times x is `right`.
    ///
    /// # Errors
    /// When the matrix is not positive definite.
    pub fn solved(&self, values: &[f64], right: &[f64]) -> Result<Vec<f64>, SolveError> {
        let matrix = SparseColMatRef::new(self.pattern.as_ref(), values);
        let factor = Llt::try_new_with_symbolic(self.factor.clone(), matrix, Side::Lower).map_err(fail)?;
        let n = self.unknowns();
        let solved = factor.solve(&Mat::from_fn(n, 1, |i, _| right[i]));
        Ok((0..n).map(|i| solved[(i, 0)]).collect())
    }
}
