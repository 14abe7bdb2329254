//! Rows of vertices that are added across the faces of a mesh, where it is too coarse for a bend.

use super::{face_normal, Mesh, Polygon, Weld};
use glam::Vec3;
use std::collections::{HashMap, HashSet};

/// A new vertex: so much of the way from one to another.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Between {
    /// From the first to the second.
    pub ends: [u32; 2],
    /// 0 to 1.
    pub share: f32,
}

impl Between {
    /// What lies there of one value a vertex, on a straight line.
    pub fn mixed(&self, values: &[Vec3]) -> Vec3 {
        let [a, b] = self.ends.map(|v| values[v as usize]);
        a + (b - a) * self.share
    }

    /// The place there on a surface as curved as its `normals` (unit) say: on a cubic curve that leaves and reaches the
    /// ends within their tangent planes (as the edges of Vlachos, Peters, Boyd & Mitchell, “Curved PN triangles”,
    /// 2001), its handles as long as makes an arc of a circle of it where the normals are those of one (Goldapp,
    /// “Approximation of circular arcs by cubic polynomials”, 1991).
    pub fn on_surface(&self, positions: &[Vec3], normals: &[Vec3]) -> Vec3 {
        let ([a, b], t) = (self.ends.map(|v| v as usize), self.share);
        let (p, q, chord) = (positions[a], positions[b], positions[b] - positions[a]);
        let half = ((1.0 + normals[a].dot(normals[b]).clamp(-1.0, 1.0)) * 0.5).sqrt();
        let length = chord.length() * 2.0 / (3.0 * (1.0 + half));
        let within = |n: Vec3| (chord - chord.dot(n) * n).normalize_or(chord.normalize_or_zero()) * length;
        let (first, second) = (p + within(normals[a]), q - within(normals[b]));
        let s = 1.0 - t;
        p * (s * s * s) + first * (3.0 * s * s * t) + second * (3.0 * s * t * t) + q * (t * t * t)
    }
}

/// A mesh with rows added. Old vertices keep their numbers, new ones come behind them.
#[derive(Clone, Debug, PartialEq)]
pub struct WithRows {
    /// The new vertices lie on straight lines, with normals between those at their ends.
    pub mesh: Mesh,
    /// The new vertices, by the vertices of the mesh.
    pub new: Vec<Between>,
    /// The same by welded vertices: of each crossed edge one after the other.
    pub welded: Vec<Between>,
    /// The old triangle that each of the new ones lies in.
    pub faces: Vec<u32>,
}

/// The edges (welded vertices; the ends on one side of the row first) that a row across `edge` crosses, in order: from
/// face to face, in a quad to the edge across, among triangles as straight on as they let it, until it comes back, to
/// an open edge, to a face of more sides or to one that it has crossed. Empty when there is no such edge.
pub fn crossed_by_row(mesh: &Mesh, weld: &Weld, edge: [u32; 2]) -> Vec<[u32; 2]> {
    crossed_near(mesh, weld, edge, usize::MAX)
}

/// Of these at most so many on either side of the edge: a part of a row.
///
/// ```
/// use tin_cloak_core::mesh::{crossed_near, Mesh, Topology};
/// use tin_cloak_core::shapes::tube;
///
/// let (positions, triangles) = tube(0.05, 0.0, 0.4, 8, 8, 1.0);
/// let mesh = Mesh::new("sleeve", positions, Vec::new(), triangles, Vec::new())?;
/// let weld = Topology::new(&mesh).weld;
/// assert_eq!(crossed_near(&mesh, &weld, [16, 24], 2).len(), 5);
/// assert_eq!(crossed_near(&mesh, &weld, [16, 24], 0), [[16, 24]]);
/// # Ok::<(), tin_cloak_core::mesh::MeshError>(())
/// ```
pub fn crossed_near(mesh: &Mesh, weld: &Weld, edge: [u32; 2], reach: usize) -> Vec<[u32; 2]> {
    let faces = Faces::new(mesh, weld);
    let Some(beside) = faces.at_edge.get(&sorted(edge)) else { return Vec::new() };
    let mut crossed = HashSet::new();
    let mut ways = beside.iter().take(2).map(|face| faces.walk(edge, *face, &mut crossed));
    let (mut ahead, closed) = ways.next().unwrap_or_default();
    let mut back = match closed {
        // About a ring the way back is the end of the way ahead.
        true if ahead.len() > reach.saturating_mul(2) => ahead.iter().rev().copied().collect(),
        true => Vec::new(),
        false => ways.next().unwrap_or_default().0,
    };
    if !closed || !back.is_empty() {
        ahead.truncate(reach);
        back.truncate(reach);
    }
    back.into_iter().rev().chain([edge]).chain(ahead).collect()
}

/// Where so many rows lie that are as far apart as from the ends, as shares of an edge.
pub fn even_shares(rows: usize) -> Vec<f32> {
    (1..=rows).map(|row| row as f32 / (rows + 1) as f32).collect()
}

fn sorted([a, b]: [u32; 2]) -> [u32; 2] {
    [a.min(b), a.max(b)]
}

/// The first triangle of each face.
fn firsts(mesh: &Mesh) -> Vec<usize> {
    let mut inner = vec![false; mesh.triangles.len()];
    for p in &mesh.polygons {
        (p.first + 1..p.first + p.triangles).for_each(|t| inner[t as usize] = true);
    }
    (0..inner.len()).filter(|t| !inner[*t]).collect()
}

struct Faces {
    /// Of each face its corners in order.
    corners: Vec<Vec<u32>>,
    at_edge: HashMap<[u32; 2], Vec<usize>>,
    middle: Vec<Vec3>,
    places: Vec<Vec3>,
}

impl Faces {
    fn new(mesh: &Mesh, weld: &Weld) -> Self {
        let places = weld.gather(&mesh.positions);
        let welded = |first: usize| -> Vec<u32> {
            mesh.corners_of(first).iter().map(|v| weld.of_vertex[*v as usize]).collect()
        };
        let corners: Vec<Vec<u32>> = firsts(mesh).into_iter().map(welded).collect();
        let mut at_edge: HashMap<[u32; 2], Vec<usize>> = HashMap::new();
        for (face, c) in corners.iter().enumerate() {
            (0..c.len()).for_each(|i| at_edge.entry(sides(c, i)).or_default().push(face));
        }
        let mean = |c: &Vec<u32>| c.iter().map(|v| places[*v as usize]).sum::<Vec3>() / c.len() as f32;
        Self { middle: corners.iter().map(mean).collect(), corners, at_edge, places }
    }

    fn middle_of(&self, [a, b]: [u32; 2]) -> Vec3 {
        (self.places[a as usize] + self.places[b as usize]) * 0.5
    }

    /// The edges crossed from `start` on, first into `face`; true when it comes back to where it began.
    fn walk(&self, start: [u32; 2], face: usize, crossed: &mut HashSet<usize>) -> (Vec<[u32; 2]>, bool) {
        let (mut line, mut edge, mut face) = (Vec::new(), start, face);
        let along = (self.places[start[1] as usize] - self.places[start[0] as usize]).normalize_or_zero();
        let inward = self.middle[face] - self.middle_of(start);
        let mut way = (inward - along * inward.dot(along)).normalize_or_zero();
        while crossed.insert(face) {
            let Some(next) = self.exit(face, edge, way) else { break };
            if sorted(next) == sorted(start) {
                return (line, true);
            }
            line.push(next);
            way = (self.middle_of(next) - self.middle_of(edge)).normalize_or(way);
            let beside = &self.at_edge[&sorted(next)];
            let Some(other) = beside.iter().find(|f| **f != face).filter(|_| beside.len() == 2) else {
                break;
            };
            (edge, face) = (next, *other);
        }
        (line, false)
    }

    /// Where a row that comes in by an edge goes out of a face, its ends on the same sides.
    fn exit(&self, face: usize, edge: [u32; 2], way: Vec3) -> Option<[u32; 2]> {
        let c = &self.corners[face];
        let at = (0..c.len()).find(|i| sides(c, *i) == sorted(edge))?;
        let corner = |k: usize| c[(at + k) % c.len()];
        let turned = corner(0) != edge[0];
        match c.len() {
            4 if turned => Some([corner(2), corner(3)]),
            4 => Some([corner(3), corner(2)]),
            3 => {
                let [left, right] = edge;
                let from = self.middle_of(edge);
                let straight = |e: &[u32; 2]| (self.middle_of(*e) - from).normalize_or_zero().dot(way);
                let (one, other) = ([left, corner(2)], [corner(2), right]);
                Some(if straight(&one) >= straight(&other) { one } else { other })
            }
            _ => None,
        }
    }
}

fn sides(corners: &[u32], i: usize) -> [u32; 2] {
    sorted([corners[i], corners[(i + 1) % corners.len()]])
}

/// The mesh with a vertex on each `crossed` edge at each of `shares` of its way (ascending, between 0 and 1), and its
/// faces cut along them: quads stay quads where a row goes straight through. Old vertices, and faces that no row
/// crosses, stay as they are.
///
/// ```
/// use tin_cloak_core::mesh::{crossed_by_row, even_shares, with_rows, Mesh, Topology};
/// use tin_cloak_core::shapes::tube;
///
/// let (positions, triangles) = tube(0.05, 0.0, 0.4, 8, 8, 1.0);
/// let mesh = Mesh::new("sleeve", positions, Vec::new(), triangles, Vec::new())?;
/// let weld = Topology::new(&mesh).weld;
/// let crossed = crossed_by_row(&mesh, &weld, [16, 24]);
/// let finer = with_rows(&mesh, &weld, &crossed, &even_shares(1));
/// assert!(finer.new.len() >= 8 && finer.mesh.triangles.len() > mesh.triangles.len());
/// assert_eq!(finer.mesh.positions[..mesh.positions.len()], mesh.positions);
/// # Ok::<(), tin_cloak_core::mesh::MeshError>(())
/// ```
pub fn with_rows(mesh: &Mesh, weld: &Weld, crossed: &[[u32; 2]], shares: &[f32]) -> WithRows {
    let rows = shares.len();
    let number: HashMap<[u32; 2], usize> = crossed.iter().enumerate().map(|(n, e)| (sorted(*e), n)).collect();
    let welded = |v: u32| weld.of_vertex[v as usize];
    let starts = firsts(mesh);
    let corners: Vec<Vec<u32>> = starts.iter().map(|first| mesh.corners_of(*first)).collect();
    // The copies of each new vertex: by edge, place on it, and the vertices of the mesh at its ends.
    let crossing = |a: u32, b: u32| {
        let n = *number.get(&sorted([welded(a), welded(b)]))?;
        Some((n, if crossed[n][0] == welded(a) { [a, b] } else { [b, a] }))
    };
    let mut copies: Vec<(usize, usize, [u32; 2])> = Vec::new();
    for c in &corners {
        for i in 0..c.len() {
            if let Some((n, ends)) = crossing(c[i], c[(i + 1) % c.len()]) {
                copies.extend((0..rows).map(|row| (n, row, ends)));
            }
        }
    }
    copies.sort_unstable();
    copies.dedup();
    let share = |row: usize| shares[row];
    let old = mesh.positions.len() as u32;
    let id: HashMap<(usize, usize, [u32; 2]), u32> = copies.iter().copied().zip(old..).collect();
    let new: Vec<Between> = copies.iter().map(|c| Between { ends: c.2, share: share(c.1) }).collect();
    let of_edge =
        |e: &[u32; 2]| (0..rows).map(|row| Between { ends: *e, share: share(row) }).collect::<Vec<_>>();

    let mut cut = EdgeCut { mesh: mesh.clone(), faces: Vec::new() };
    cut.mesh.triangles.clear();
    cut.mesh.polygons.clear();
    cut.mesh.positions.extend(new.iter().map(|b| b.mixed(&mesh.positions)));
    cut.mesh
        .normals
        .extend(new.iter().map(|b| b.mixed(&mesh.normals).normalize_or(mesh.normals[b.ends[0] as usize])));
    for (first, c) in starts.iter().zip(&corners) {
        // Along each side the new vertices on it, in the face's own order.
        let on_side = |i: usize| -> Vec<u32> {
            let (a, b) = (c[i], c[(i + 1) % c.len()]);
            let Some((n, ends)) = crossing(a, b) else { return Vec::new() };
            let mut list: Vec<u32> = (0..rows).map(|row| id[&(n, row, ends)]).collect();
            if ends[0] != a {
                list.reverse();
            }
            list
        };
        let inserted: Vec<Vec<u32>> = (0..c.len()).map(on_side).collect();
        cut.add_face(mesh, *first, c, &inserted);
    }
    let welded = crossed.iter().flat_map(of_edge).collect();
    WithRows { mesh: cut.mesh, new, welded, faces: cut.faces }
}

struct EdgeCut {
    mesh: Mesh,
    faces: Vec<u32>,
}

impl EdgeCut {
    fn add_face(&mut self, mesh: &Mesh, first: usize, c: &[u32], inserted: &[Vec<u32>]) {
        let crossed: Vec<usize> = (0..c.len()).filter(|i| !inserted[*i].is_empty()).collect();
        let line = |from: u32, between: &[u32], to: u32| -> Vec<u32> {
            [from].into_iter().chain(between.iter().copied()).chain([to]).collect()
        };
        let back = |list: &[u32]| list.iter().rev().copied().collect::<Vec<u32>>();
        let corner = |i: usize| c[i % c.len()];
        match (c.len(), crossed.as_slice()) {
            (_, []) => self.add_as_it_was(mesh, first, c),
            (4, [i, k]) if k - i == 2 => {
                let near = line(corner(*i), &inserted[*i], corner(i + 1));
                let far = line(corner(i + 3), &back(&inserted[*k]), corner(i + 2));
                self.add_strips(first, &near, &far);
            }
            (3, [i, k]) => {
                // The corner that both crossed sides have is the tip; the one before it begins.
                let start = if k - i == 1 { *i } else { *k };
                let (tip, end) = (corner(start + 1), corner(start + 2));
                let near = line(corner(start), &inserted[start], tip);
                let far = line(end, &back(&inserted[(start + 1) % 3]), tip);
                self.add_strips(first, &near, &far);
            }
            _ => {
                let side = |i: usize| [corner(i)].into_iter().chain(inserted[i].iter().copied());
                let all: Vec<u32> = (0..c.len()).flat_map(side).collect();
                self.add_triangles(first, &all);
            }
        }
    }

    /// A face that no row crosses: its very triangles.
    fn add_as_it_was(&mut self, mesh: &Mesh, first: usize, corners: &[u32]) {
        let known = mesh.polygons.binary_search_by_key(&(first as u32), |p| p.first);
        let count = known.map_or(1, |at| mesh.polygons[at].triangles);
        if known.is_ok() && corners.len() > 3 {
            let first = self.mesh.triangles.len() as u32;
            self.mesh.polygons.push(Polygon { first, triangles: count });
        }
        for t in first..first + count as usize {
            self.mesh.triangles.push(mesh.triangles[t]);
            self.faces.push(t as u32);
        }
    }

    fn add_strips(&mut self, first: usize, near: &[u32], far: &[u32]) {
        for k in 0..near.len() - 1 {
            let all = [near[k], near[k + 1], far[k + 1], far[k]];
            if all[1] == all[2] {
                self.add_polygon(first, &[all[0], all[1], all[3]]);
            } else {
                self.add_polygon(first, &all);
            }
        }
    }

    fn add_polygon(&mut self, from: usize, corners: &[u32]) {
        if corners.len() > 3 {
            let first = self.mesh.triangles.len() as u32;
            self.mesh.polygons.push(Polygon { first, triangles: corners.len() as u32 - 2 });
        }
        for pair in corners[1..].windows(2) {
            self.mesh.triangles.push([corners[0], pair[0], pair[1]]);
            self.faces.push(from as u32);
        }
    }

    /// Triangles of which the smallest is as large as can be: by the triangle over each side, from short chains of
    /// corners to long ones (Klincsek, “Minimal triangulations of polygonal domains”, 1980).
    fn add_triangles(&mut self, from: usize, corners: &[u32]) {
        let n = corners.len();
        let third = |k: usize| corners[k * n / 3];
        let upright = face_normal(&self.mesh.positions, [third(0), third(1), third(2)]);
        let area = |i: usize, k: usize, j: usize| {
            let [a, b, c] = [i, k, j].map(|v| self.mesh.positions[corners[v] as usize]);
            (b - a).cross(c - a).dot(upright)
        };
        let mut worst = vec![vec![f32::INFINITY; n]; n];
        let mut tip = vec![vec![0; n]; n];
        for span in 2..n {
            for i in 0..n - span {
                let j = i + span;
                let of = |k: usize| worst[i][k].min(worst[k][j]).min(area(i, k, j));
                let best = (i + 1..j).max_by(|a, b| of(*a).total_cmp(&of(*b))).unwrap_or(i + 1);
                (worst[i][j], tip[i][j]) = (of(best), best);
            }
        }
        let mut chains = vec![(0, n - 1)];
        while let Some((i, j)) = chains.pop() {
            if j - i < 2 {
                continue;
            }
            let k = tip[i][j];
            self.mesh.triangles.push([i, k, j].map(|v| corners[v]));
            self.faces.push(from as u32);
            chains.extend([(i, k), (k, j)]);
        }
    }
}
