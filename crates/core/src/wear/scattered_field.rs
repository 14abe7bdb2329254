//! What is known of a displacement at some points, told everywhere.

use glam::{DVec3, Vec3};
use rayon::prelude::*;
use tin_cloak_solve::{solve_general, Mat};

/// A displacement known at points: linear radial basis functions and an affine part.
#[derive(Clone, Debug, PartialEq)]
pub struct ScatteredField {
    centres: Vec<Vec3>,
    /// What each centre adds, times the distance to it.
    weights: Vec<Vec3>,
    /// Constant, then along each axis.
    affine: [Vec3; 4],
}

/// So many points settle a field at most: the work goes with their cube.
const MOST: usize = 1500;
/// How far it may miss what is known so as to be smooth: added to the diagonal, metres.
const SMOOTHING: f64 = 1e-4;

impl ScatteredField {
    /// The field that is `offsets` at `points` (both metres), of at most 1,500 of them spread over all (farthest point
    /// sampling: Gonzalez 1985). Linear radial basis functions with a smoothing of 0.1 mm (Wahba, “Spline Models for
    /// Observational Data”, 1990; the kernel of Duchon's pseudo-splines).
    ///
    /// ```
    /// use tin_cloak_core::{glam::Vec3, shapes::sphere, wear::ScatteredField};
    ///
    /// let (points, _) = sphere(0.5, 12);
    /// let offsets: Vec<Vec3> = points.iter().map(|p| *p * 0.1 + Vec3::Y).collect();
    /// let field = ScatteredField::through(&points, &offsets).unwrap();
    /// let there = field.at(&[Vec3::new(0.2, 0.1, 0.0)])[0];
    /// assert!(there.abs_diff_eq(Vec3::new(0.02, 1.01, 0.0), 1e-3), "{there}");
    /// ```
    ///
    /// None where the points settle nothing: fewer than four, or all in a plane.
    pub fn through(points: &[Vec3], offsets: &[Vec3]) -> Option<Self> {
        let chosen = spread_out(points, MOST);
        let centres: Vec<Vec3> = chosen.iter().map(|&v| points[v]).collect();
        let n = centres.len();
        if n < 4 {
            return None;
        }
        let size = n + 4;
        let poly = |i: usize, k: usize| if k == 0 { 1.0 } else { f64::from(centres[i][k - 1]) };
        let entry = |r: usize, c: usize| match (r < n, c < n) {
            (true, true) if r == c => SMOOTHING,
            (true, true) => -f64::from(centres[r].distance(centres[c])),
            (true, false) => poly(r, c - n),
            (false, true) => poly(c, r - n),
            (false, false) => 0.0,
        };
        let matrix = Mat::<f64>::from_fn(size, size, entry);
        let right =
            Mat::<f64>::from_fn(size, 3, |r, k| if r < n { f64::from(offsets[chosen[r]][k]) } else { 0.0 });
        let solved = solve_general(&matrix, &right)?;
        let row = |r: usize| DVec3::new(solved[(r, 0)], solved[(r, 1)], solved[(r, 2)]).as_vec3();
        let weights: Vec<Vec3> = (0..n).map(row).collect();
        let affine = [row(n), row(n + 1), row(n + 2), row(n + 3)];
        let sound = weights.iter().chain(&affine).all(|w| w.is_finite());
        sound.then_some(Self { centres, weights, affine })
    }

    /// Its displacement at each of `places`, metres.
    pub fn at(&self, places: &[Vec3]) -> Vec<Vec3> {
        let one = |p: &Vec3| {
            let [constant, x, y, z] = self.affine;
            let from_centres = self.centres.iter().zip(&self.weights);
            let sum: Vec3 = from_centres.map(|(c, w)| *w * -c.distance(*p)).sum();
            sum + constant + x * p.x + y * p.y + z * p.z
        };
        places.par_iter().with_min_len(64).map(one).collect()
    }

    /// Bytes it takes up, about.
    pub fn bytes(&self) -> usize {
        self.centres.len() * 24
    }
}

/// Numbers of at most `most` of `points`, each as far as can be from those before it.
fn spread_out(points: &[Vec3], most: usize) -> Vec<usize> {
    let mut far = vec![f32::INFINITY; points.len()];
    let mut chosen = Vec::with_capacity(most.min(points.len()));
    let mut next = 0;
    while chosen.len() < most.min(points.len()) {
        chosen.push(next);
        let at = points[next];
        far.iter_mut().zip(points).for_each(|(d, p)| *d = d.min(p.distance_squared(at)));
        let furthest = (0..far.len()).max_by(|a, b| far[*a].total_cmp(&far[*b]).then(b.cmp(a)));
        next = furthest.unwrap_or(0);
        // Points that lie on each other say the same thing twice.
        if far[next] <= 1e-12 {
            break;
        }
    }
    chosen
}
