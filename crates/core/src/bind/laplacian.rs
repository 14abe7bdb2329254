//! The cotangent Laplacian of a triangle mesh and its lumped masses.

use super::BindError;
use crate::mesh::Csr;
use glam::Vec3;
use tin_cloak_solve::{Mat, Triplet};

/// A square sparse matrix by rows: columns ascending within a row.
#[derive(Clone, Debug, Default)]
pub struct SparseRows {
    /// Column indices of each row.
    pub columns: Csr,
    /// One value an entry of `columns.items`.
    pub values: Vec<f64>,
}

impl SparseRows {
    /// Column and value of each entry of row `i`.
    pub fn row(&self, i: usize) -> impl Iterator<Item = (usize, f64)> + '_ {
        let range = self.columns.starts[i] as usize..self.columns.starts[i + 1] as usize;
        self.columns.items[range.clone()].iter().map(|&c| c as usize).zip(self.values[range].iter().copied())
    }
}

/// Positive semi-definite cotangent Laplacian (rows sum to zero) and vertex masses.
#[derive(Clone, Debug)]
pub struct Laplacian {
    /// The matrix.
    pub matrix: SparseRows,
    /// A third of the area round each vertex, square metres; never zero.
    pub masses: Vec<f64>,
}

impl Laplacian {
    /// Over welded vertices. Edge lengths are lengthened by a hair until no triangle is
    /// degenerate (the intrinsic mollification of Sharp & Crane, “A Laplacian for nonmanifold
    /// triangle meshes”, SGP 2020, §4.5), so that slivers do no harm.
    ///
    /// Cotangent weights: Pinkall & Polthier, “Computing discrete minimal surfaces and their
    /// conjugates”, 1993.
    pub fn new(positions: &[Vec3], triangles: &[[u32; 3]], neighbours: &Csr) -> Self {
        let vertices = positions.len();
        let lengths: Vec<[f64; 3]> = triangles.iter().map(|t| edge_lengths(positions, *t)).collect();
        let epsilon = mollifier(&lengths);

        // Diagonal first in each row, then the neighbours, so an edge's slot is found by search.
        let mut off = vec![0.0f64; neighbours.items.len()];
        let mut masses = vec![0.0f64; vertices];
        for (t, l) in triangles.iter().zip(&lengths) {
            if t[0] == t[1] || t[1] == t[2] || t[2] == t[0] {
                continue;
            }
            let l = l.map(|x| x + epsilon);
            let area = heron(l);
            for corner in 0..3 {
                // l[i] is the edge opposite corner i.
                let (a, b) = (t[(corner + 1) % 3], t[(corner + 2) % 3]);
                let (x, y, z) = (l[corner], l[(corner + 1) % 3], l[(corner + 2) % 3]);
                let cotangent = (y * y + z * z - x * x) / (4.0 * area);
                for (from, to) in [(a, b), (b, a)] {
                    let row = neighbours.row(from as usize);
                    if let Ok(k) = row.binary_search(&to) {
                        off[neighbours.starts[from as usize] as usize + k] -= 0.5 * cotangent;
                    }
                }
                masses[t[corner] as usize] += area / 3.0;
            }
        }
        let mean = masses.iter().sum::<f64>() / vertices.max(1) as f64;
        for m in &mut masses {
            *m = m.max(mean * 1e-6).max(f64::MIN_POSITIVE);
        }
        Self { matrix: with_diagonal(neighbours, &off), masses }
    }

    /// Spreads values over the surface as heat does, about `reach` metres far, by one implicit
    /// step (M + ½ reach² L) x = M x₀ (Desbrun, Meyer, Schröder & Barr, “Implicit fairing of
    /// irregular meshes using diffusion and curvature flow”, 1999). `values` holds `columns`
    /// numbers a vertex, and so does the answer; sums over the surface are kept.
    ///
    /// # Errors
    /// When the system cannot be factored.
    pub fn diffuse(&self, values: &[f64], columns: usize, reach: f64) -> Result<Vec<f64>, BindError> {
        let n = self.masses.len();
        let time = 0.5 * reach * reach;
        let mut triplets = Vec::with_capacity(n * 5);
        for i in 0..n {
            for (j, l) in self.matrix.row(i).filter(|(j, _)| *j <= i) {
                let mass = if i == j { self.masses[i] } else { 0.0 };
                triplets.push(Triplet::new(i, j, mass + time * l));
            }
        }
        let right = Mat::<f64>::from_fn(n, columns, |i, c| self.masses[i] * values[i * columns + c]);
        let solved = solve_positive(n, &triplets, &right)?;
        Ok((0..n * columns).map(|k| solved[(k / columns, k % columns)]).collect())
    }

    /// Entries of row `i` of the bi-Laplacian energy Q = L + L M⁻¹ L, in `scratch` (one zero a
    /// vertex before and after), columns ascending.
    pub fn energy_row(&self, i: usize, scratch: &mut [f64]) -> Vec<(usize, f64)> {
        self.weighed_row(i, 1.0, 1.0, scratch)
    }

    /// The same of m L + p L M⁻¹ L: as a membrane is drawn, and as a thin plate is bent.
    pub fn weighed_row(&self, i: usize, membrane: f64, plate: f64, scratch: &mut [f64]) -> Vec<(usize, f64)> {
        let mut touched = Vec::with_capacity(64);
        let mut add = |j: usize, value: f64, scratch: &mut [f64]| {
            if scratch[j] == 0.0 {
                touched.push(j);
            }
            scratch[j] += value;
        };
        for (k, l_ik) in self.matrix.row(i) {
            add(k, membrane * l_ik, scratch);
            for (j, l_kj) in self.matrix.row(k) {
                add(j, plate * l_ik * l_kj / self.masses[k], scratch);
            }
        }
        touched.sort_unstable();
        touched.dedup();
        touched.into_iter().map(|j| (j, std::mem::take(&mut scratch[j]))).collect()
    }
}

/// Solves a symmetric positive definite system given by its lower triangle, for all columns of
/// `right` with one sparse Cholesky factor.
pub(crate) fn solve_positive(
    n: usize,
    lower: &[Triplet<usize, usize, f64>],
    right: &Mat<f64>,
) -> Result<Mat<f64>, BindError> {
    Ok(tin_cloak_solve::solve_positive(n, lower, right)?)
}

fn edge_lengths(positions: &[Vec3], t: [u32; 3]) -> [f64; 3] {
    let [a, b, c] = t.map(|v| positions[v as usize].as_dvec3());
    [(c - b).length(), (a - c).length(), (b - a).length()]
}

/// How much longer every edge must be for all triangle inequalities to hold with a margin.
fn mollifier(lengths: &[[f64; 3]]) -> f64 {
    let mean = lengths.iter().flatten().sum::<f64>() / (3 * lengths.len().max(1)) as f64;
    let margin = mean * 1e-5;
    lengths.iter().fold(0.0f64, |worst, &[a, b, c]| {
        let short = (a - b - c).max(b - c - a).max(c - a - b) + margin;
        worst.max(short)
    })
}

fn heron([a, b, c]: [f64; 3]) -> f64 {
    let s = (a + b + c) * 0.5;
    (s * (s - a) * (s - b) * (s - c)).max(f64::MIN_POSITIVE).sqrt()
}

fn with_diagonal(neighbours: &Csr, off: &[f64]) -> SparseRows {
    let vertices = neighbours.len();
    let mut columns = Csr { starts: vec![0], items: Vec::with_capacity(off.len() + vertices) };
    let mut values = Vec::with_capacity(off.len() + vertices);
    for v in 0..vertices {
        let range = neighbours.starts[v] as usize..neighbours.starts[v + 1] as usize;
        let diagonal = -off[range.clone()].iter().sum::<f64>();
        let mut placed = false;
        for k in range {
            if !placed && neighbours.items[k] as usize > v {
                columns.items.push(v as u32);
                values.push(diagonal);
                placed = true;
            }
            columns.items.push(neighbours.items[k]);
            values.push(off[k]);
        }
        if !placed {
            columns.items.push(v as u32);
            values.push(diagonal);
        }
        columns.starts.push(columns.items.len() as u32);
    }
    SparseRows { columns, values }
}
