//! Linear solves in double precision, through faer.
//!
//! A crate of its own, because generic solvers are compiled where they are used: here they are
//! compiled once, however often the computation beside them is.

mod dense;
mod sparse_cholesky;

pub use dense::{largest_eigenvector, solve_dense, solve_general};
pub use faer::sparse::Triplet;
pub use faer::Mat;
pub use sparse_cholesky::{solve_positive, SolveError, SparseCholesky};
