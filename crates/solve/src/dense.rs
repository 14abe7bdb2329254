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

/// The x of a square `matrix` x = `right`, by a factor with partial pivoting; none when the matrix is singular.
///
/// ```
/// use tin_cloak_solve::{solve_general, Mat};
///
/// let swaps = Mat::from_fn(2, 2, |r, c| if r == c { 0.0 } else { 1.0 });
/// let x = solve_general(&swaps, &Mat::from_fn(2, 1, |r, _| r as f64)).unwrap();
/// assert_eq!((x[(0, 0)], x[(1, 0)]), (1.0, 0.0));
/// assert!(solve_general(&Mat::zeros(1, 1), &Mat::from_fn(1, 1, |_, _| 1.0)).is_none());
/// ```
pub fn solve_general(matrix: &Mat<f64>, right: &Mat<f64>) -> Option<Mat<f64>> {
    let solved = matrix.partial_piv_lu().solve(right);
    let sound = (0..solved.ncols()).all(|c| (0..solved.nrows()).all(|r| solved[(r, c)].is_finite()));
    sound.then_some(solved)
}
