//! Small dense systems.

use faer::linalg::solvers::Solve;
use faer::{Mat, Side};

/// The x of `matrix` x = `right`, by Cholesky's factor of the lower triangle; none when the matrix is not positive
/// definite.
///
/// ```
/// use tin_cloak_solve::{solve_dense, Mat};
///
/// let (two, four) = (Mat::from_fn(1, 1, |_, _| 2.0), Mat::from_fn(1, 1, |_, _| 4.0));
/// let x = solve_dense(&two, &four).unwrap()[(0, 0)];
/// assert!((x - 2.0).abs() < 1e-12);
/// assert!(solve_dense(&Mat::zeros(1, 1), &four).is_none());
/// ```
pub fn solve_dense(matrix: &Mat<f64>, right: &Mat<f64>) -> Option<Mat<f64>> {
    Some(matrix.llt(Side::Lower).ok()?.solve(right))
}

/// The eigenvector of the largest eigenvalue of a symmetric matrix; none when it cannot be found.
pub fn largest_eigenvector(rows: [[f64; 4]; 4]) -> Option<[f64; 4]> {
    let matrix = Mat::<f64>::from_fn(4, 4, |r, c| rows[r][c]);
    let eigen = matrix.self_adjoint_eigen(Side::Lower).ok()?;
    // Eigenvalues ascend: the last is the largest.
    Some([0, 1, 2, 3].map(|r| eigen.U()[(r, 3)]))
}
