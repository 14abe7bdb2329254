//! Welding: vertices at the same place are one vertex of the topology.

use super::{bounds, Csr};
use glam::Vec3;
use std::collections::HashMap;

/// Which split vertices are one welded vertex, both ways.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Weld {
    /// Welded vertex of each split vertex.
    pub of_vertex: Vec<u32>,
    /// Split vertices of each welded vertex, ascending.
    pub members: Csr,
}

impl Weld {
    /// From the group of each vertex; groups are numbered `0 .. count`.
    pub fn from_groups(of_vertex: Vec<u32>, count: usize) -> Self {
        let members = Csr::from_pairs(count, of_vertex.iter().enumerate().map(|(v, &w)| (w, v as u32)));
        Self { of_vertex, members }
    }

    /// Number of welded vertices.
    pub fn count(&self) -> usize {
        self.members.len()
    }

    /// One value a welded vertex, taken from its first split vertex.
    pub fn gather<T: Copy>(&self, split: &[T]) -> Vec<T> {
        (0..self.count()).map(|w| split[self.members.row(w)[0] as usize]).collect()
    }

    /// One value a split vertex, taken from its welded vertex.
    pub fn scatter<T: Copy>(&self, welded: &[T]) -> Vec<T> {
        self.of_vertex.iter().map(|&w| welded[w as usize]).collect()
    }

    /// The groups with those taken apart whose members `differ` from the first of theirs; numbered by
    /// first split vertex again.
    pub fn taken_apart(self, differ: impl Fn(u32, u32) -> bool) -> Self {
        let mut firsts: Vec<Vec<(u32, u32)>> = vec![Vec::new(); self.count()];
        let mut groups = 0;
        let mut group = |v: u32| {
            let known = &mut firsts[self.of_vertex[v as usize] as usize];
            if let Some((_, group)) = known.iter().find(|(first, _)| !differ(*first, v)) {
                return *group;
            }
            known.push((v, groups));
            groups += 1;
            groups - 1
        };
        let of_vertex: Vec<u32> = (0..self.of_vertex.len() as u32).map(&mut group).collect();
        Self::from_groups(of_vertex, groups as usize)
    }

    /// Triangles over welded vertices; as many, in the same order.
    pub fn triangles(&self, split: &[[u32; 3]]) -> Vec<[u32; 3]> {
        split.iter().map(|t| t.map(|v| self.of_vertex[v as usize])).collect()
    }
}

/// Welds `positions` (metres) that lie within a five-hundredth of the median edge of `triangles` of
/// an earlier one: the mesh's own fineness settles it, so that one vertex that strayed far away does
/// not weld the others. Welded vertices are numbered by their first split vertex, so the result does
/// not depend on hashing order.
///
/// ```
/// use tin_cloak_core::{glam::Vec3, mesh::weld};
///
/// // A seam: vertices 0 and 2 are copies.
/// let weld = weld(&[Vec3::ZERO, Vec3::X, Vec3::ZERO], &[[0, 1, 2]]);
/// assert_eq!((weld.count(), weld.scatter(&["a", "b"])), (2, vec!["a", "b", "a"]));
/// ```
pub fn weld(positions: &[Vec3], triangles: &[[u32; 3]]) -> Weld {
    let tolerance = (median_edge(positions, triangles) / 500.0).max(f32::MIN_POSITIVE * 1e6);
    let low = bounds(positions).0.as_dvec3();
    // In double precision: cells of a fine mesh are many when one vertex is far away.
    let cell = |p: Vec3| ((p.as_dvec3() - low) / (f64::from(tolerance) * 2.0)).floor().as_i64vec3();
    let mut first_in_cell: HashMap<glam::I64Vec3, Vec<u32>> = HashMap::with_capacity(positions.len());
    let mut first = Vec::new();
    let mut of_vertex = Vec::with_capacity(positions.len());
    for &p in positions {
        // A sphere of the tolerance around p touches at most the cells of its box.
        let (a, b) = (cell(p - tolerance), cell(p + tolerance));
        let mut found = u32::MAX;
        for x in a.x..=b.x {
            for y in a.y..=b.y {
                for z in a.z..=b.z {
                    let Some(list) = first_in_cell.get(&glam::I64Vec3::new(x, y, z)) else { continue };
                    for &w in list {
                        let other: Vec3 = first[w as usize];
                        if w < found && other.distance_squared(p) <= tolerance * tolerance {
                            found = w;
                        }
                    }
                }
            }
        }
        if found == u32::MAX {
            found = first.len() as u32;
            first.push(p);
            first_in_cell.entry(cell(p)).or_default().push(found);
        }
        of_vertex.push(found);
    }
    Weld::from_groups(of_vertex, first.len())
}

/// The median length of the edges of `triangles` that have one, metres; 0 without any.
fn median_edge(positions: &[Vec3], triangles: &[[u32; 3]]) -> f32 {
    let side = |a: u32, b: u32| positions[a as usize].distance(positions[b as usize]);
    let mut lengths: Vec<f32> = triangles
        .iter()
        .flat_map(|&[a, b, c]| [side(a, b), side(b, c), side(c, a)])
        .filter(|l| *l > 0.0 && l.is_finite())
        .collect();
    if lengths.is_empty() {
        return 0.0;
    }
    let middle = lengths.len() / 2;
    *lengths.select_nth_unstable_by(middle, f32::total_cmp).1
}
