//! What may move, and what a move costs: cloth vertex by vertex along its own normal at rest, stiff parts as a whole,
//! both walls of a plate alike. Along the normal only, since that is where the way out lies nearly everywhere, and a
//! third of the unknowns is solved for in a tenth of the time; where it does not, as in a crease, any way.

use super::finite_newton::{Demands, Lower};
use super::rigid::CLOTH;
use crate::bind::Laplacian;
use crate::clearance::Layer;
use crate::mesh::vertex_normals;
use crate::query::Bvh;
use glam::Vec3;
use std::collections::BTreeMap;

/// What a vertex moves by.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Handle {
    /// It stays.
    Fixed,
    /// By itself, by so many unknowns (one or three) from the first on.
    Free(u32, u32),
    /// With a stiff part.
    Part(u32),
}

/// A stiff part: a shift and a turn about its middle, six unknowns.
#[derive(Clone, Copy, Debug)]
struct Part {
    first: u32,
    middle: Vec3,
    /// No vertex lies further from the middle, metres.
    radius: f32,
}

/// The unknowns of a mending.
#[derive(Clone, Debug, Default)]
pub(super) struct Moves {
    /// By layer, then vertex; empty for a layer that stays.
    handles: Vec<Vec<Handle>>,
    parts: Vec<Part>,
    /// By unknown the unit direction of a vertex that moves by itself; those of a vertex are square to each other.
    ways: Vec<Vec3>,
    /// How many unknowns.
    pub count: usize,
}

/// What a move of cloth costs for its size, a vertex of mean area.
const MOVE: f64 = 0.1;
/// Of a move along the surface.
const ACROSS: f64 = 0.4;
/// A move that changes within this length costs as much for its change as for its size: as a membrane is drawn, and as
/// a thin plate is bent, metres.
const MEMBRANE: f64 = 0.040;
const PLATE: f64 = 0.030;
/// A stiff part weighs as much as so many vertices of cloth, at most.
const PART: f64 = 30.0;
/// How much more it counts that nothing goes too far than that it goes far enough.
const FIRM: f64 = 100.0;
/// How much it costs that moves along a row bend, where rows are kept straight.
const ROWS: f64 = 20.0;
/// Two edges of a vertex go on in one row when they are this near to a straight line (the cosine).
const STRAIGHT: f32 = 0.94;
/// How closely a stiff part on cloth follows it.
const FOLLOW: f64 = 3.0;
/// Cloth further from a stiff part than this does not carry it, metres.
const CARRIES: f32 = 0.02;

/// How a vertex may move.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) enum May {
    #[default]
    Stay,
    /// Along its normal at rest.
    GoAlong,
    GoAnyWay,
}

/// How stiff cloth is against a change of its shape, beside the size of a move.
#[derive(Clone, Copy)]
pub(super) enum Stiffness {
    /// By lengths: the same change costs the same in fine and in coarse cloth.
    ByLengths(f64),
    /// Against its own edges: what changes from one to the next costs the same, however long they are.
    ByEdges(f64),
}

/// The mean of what the energy of cloth has on its diagonal, of some vertices among those that move.
fn mean_diagonal(laplacian: &Laplacian, moving: &[usize], scratch: &mut [f64]) -> f64 {
    let some = moving.iter().step_by(moving.len().div_ceil(SAMPLED).max(1));
    let mut diagonal =
        |v: &usize| laplacian.energy_row(*v, scratch).iter().find(|e| e.0 == *v).map_or(0.0, |e| e.1);
    let count = some.len().max(1) as f64;
    (some.map(&mut diagonal).sum::<f64>() / count).max(f64::MIN_POSITIVE)
}

/// So many vertices tell what edges are like.
const SAMPLED: usize = 200;

impl Moves {
    /// With what each vertex of each layer may do (none for one that stays), and which it goes with. The rest positions
    /// of the layers are those that they begin with.
    pub fn new(layers: &[Layer], partners: &[Vec<u32>], may: &[Vec<May>]) -> Self {
        let mut moves = Self::default();
        for ((layer, partners), may) in layers.iter().zip(partners).zip(may) {
            let handles = if may.is_empty() { Vec::new() } else { moves.handles_of(layer, partners, may) };
            moves.handles.push(handles);
        }
        moves
    }

    fn handles_of(&mut self, layer: &Layer, partners: &[u32], may: &[May]) -> Vec<Handle> {
        let active = |v: usize| may[v] != May::Stay;
        let mut handles = vec![Handle::Fixed; layer.rest.len()];
        let mut parts: BTreeMap<u32, Vec<usize>> = BTreeMap::new();
        let part_of = |v: usize| match (layer.stiff, layer.rigid.get(v)) {
            (_, Some(&part)) => part,
            (true, None) => layer.topology.shell_of_vertex[v],
            (false, None) => CLOTH,
        };
        (0..handles.len()).for_each(|v| parts.entry(part_of(v)).or_default().push(v));
        for (part, vertices) in parts {
            if part != CLOTH && vertices.iter().any(|v| active(*v)) {
                let middle = vertices.iter().map(|v| layer.rest[*v]).sum::<Vec3>() / vertices.len() as f32;
                vertices.iter().for_each(|v| handles[*v] = Handle::Part(self.parts.len() as u32));
                let away = |v: &usize| layer.rest[*v].distance(middle);
                let radius = vertices.iter().map(away).fold(0.0, f32::max);
                self.parts.push(Part { first: self.count as u32, middle, radius });
                self.count += 6;
                self.ways.resize(self.count, Vec3::ZERO);
            }
        }
        let own = |v: usize| partners.get(v).is_none_or(|p| *p as usize == v);
        let normals = vertex_normals(&layer.rest, &layer.topology.triangles);
        for v in (0..handles.len()).filter(|v| active(*v) && own(*v) && part_of(*v) == CLOTH) {
            let (along, across) = (normals[v], normals[v].any_orthonormal_pair());
            let ways = [along, across.0, across.1];
            let ways = if may[v] == May::GoAnyWay && along != Vec3::ZERO { &ways[..] } else { &ways[..1] };
            handles[v] = Handle::Free(self.count as u32, ways.len() as u32);
            self.ways.extend(ways);
            self.count += ways.len();
        }
        // The wall that is not measured goes with the one that is.
        for v in (0..handles.len()).filter(|v| !own(*v) && part_of(*v) == CLOTH) {
            handles[v] = handles[partners[v] as usize];
        }
        handles
    }

    /// Adds to `entries` what a move of a vertex counts, whose gradient (at rest) is `gradient`; `rest` is where the
    /// vertex was at first.
    pub fn add(&self, layer: usize, v: u32, rest: Vec3, gradient: Vec3, entries: &mut Vec<(u32, f64)>) {
        let Some(handle) = self.handles[layer].get(v as usize) else { return };
        match *handle {
            Handle::Fixed => {}
            Handle::Free(first, count) => {
                let along = |at: u32| (at, f64::from(gradient.dot(self.ways[at as usize])));
                entries.extend((first..first + count).map(along));
            }
            Handle::Part(part) => {
                let Part { first, middle, .. } = self.parts[part as usize];
                for (first, g) in [(first, gradient), (first + 3, (rest - middle).cross(gradient))] {
                    entries.extend((0..3).map(|k| (first + k, f64::from(g[k as usize]))));
                }
            }
        }
    }

    /// The move of a vertex, as `x` says.
    pub fn moved(&self, layer: usize, v: usize, rest: Vec3, x: &[f64]) -> Vec3 {
        let three = |first: u32| Vec3::from_array([0, 1, 2].map(|k| x[first as usize + k] as f32));
        match self.handles[layer].get(v) {
            None | Some(Handle::Fixed) => Vec3::ZERO,
            Some(Handle::Free(first, count)) => {
                (*first..first + count).map(|at| self.ways[at as usize] * x[at as usize] as f32).sum()
            }
            Some(Handle::Part(part)) => {
                let Part { first, middle, .. } = self.parts[*part as usize];
                three(first) + three(first + 3).cross(rest - middle)
            }
        }
    }

    /// Demands that nothing go further than `longest` from where it is `now`, nor further than `limit` in all (metres):
    /// what is taken as linear is so near by only.
    pub fn keep_within(&self, now: &[f64], longest: f32, limit: f32, demands: &mut Demands) {
        let mut keep = |at: u32, lever: f64| {
            let (now, longest, limit) =
                (now[at as usize], f64::from(longest) / lever, f64::from(limit) / lever);
            demands.push_weighed(&[(at, 1.0)], (now - longest).max(-limit), FIRM);
            demands.push_weighed(&[(at, -1.0)], -(now + longest).min(limit), FIRM);
        };
        for handle in self.handles.iter().flatten() {
            if let Handle::Free(first, count) = handle {
                (*first..first + count).for_each(|at| keep(at, 1.0));
            }
        }
        for Part { first, radius, .. } in &self.parts {
            (0..3).for_each(|k| keep(first + k, 1.0));
            (3..6).for_each(|k| keep(first + k, f64::from(radius.max(1e-3))));
        }
    }

    /// From `now` towards `x`, nothing further than `longest` (metres): cloth by vertices, a stiff part as a whole.
    pub fn towards(&self, now: &[f64], x: &[f64], longest: f32) -> Vec<f64> {
        let mut next = now.to_vec();
        let mut go = |first: u32, count: usize, length: f64| {
            let share = (f64::from(longest) / length.max(f64::MIN_POSITIVE)).min(1.0);
            let all = first as usize..first as usize + count;
            all.for_each(|k| next[k] = now[k] + (x[k] - now[k]) * share);
        };
        let length = |first: u32, count: u32| {
            let all = first as usize..(first + count) as usize;
            all.map(|k| (x[k] - now[k]).powi(2)).sum::<f64>().sqrt()
        };
        for handle in self.handles.iter().flatten() {
            if let Handle::Free(first, count) = handle {
                go(*first, *count as usize, length(*first, *count));
            }
        }
        for Part { first, radius, .. } in &self.parts {
            go(*first, 6, length(*first, 3) + length(first + 3, 3) * f64::from(*radius));
        }
        next
    }

    /// What moves cost, as the lower triangle of a matrix.
    pub fn cost(&self, layers: &[Layer], stiffness: Stiffness) -> Lower {
        let mut cost = Lower::new();
        for (index, layer) in layers.iter().enumerate().filter(|(i, _)| !self.handles[*i].is_empty()) {
            self.cloth_cost(index, layer, stiffness, &mut cost);
            self.part_cost(index, layer, &mut cost);
            self.follow_cost(index, layer, &mut cost);
        }
        cost
    }

    /// The size of the move of cloth and its change, as of a membrane and of a thin plate (with M the areas and L the
    /// cotangents, d·Md + a² d·(−L)d + b⁴ d·LM⁻¹Ld; Botsch & Sorkine, “On linear variational surface deformation
    /// methods”, 2008), over the mean area.
    fn cloth_cost(&self, index: usize, layer: &Layer, stiffness: Stiffness, cost: &mut Lower) {
        let free = |v: usize| match self.handles[index][v] {
            Handle::Free(first, count) => first..first + count,
            _ => 0..0,
        };
        let laplacian = Laplacian::new(&layer.rest, &layer.topology.triangles, &layer.topology.neighbours);
        let mut scratch = vec![0.0; layer.rest.len()];
        let moving: Vec<usize> = (0..layer.rest.len()).filter(|v| !free(*v).is_empty()).collect();
        let mean = moving.iter().map(|v| laplacian.masses[*v]).sum::<f64>() / moving.len().max(1) as f64;
        let (membrane, plate) = match stiffness {
            Stiffness::ByLengths(s) => (MEMBRANE.powi(2) * MOVE * s / mean, PLATE.powi(4) * MOVE * s / mean),
            Stiffness::ByEdges(s) => {
                let scale = MOVE * s / mean_diagonal(&laplacian, &moving, &mut scratch);
                (scale, scale)
            }
        };
        let mut add = |a: u32, b: u32, value: f64| {
            if a >= b {
                let alike = self.ways[a as usize].dot(self.ways[b as usize]);
                cost.push((a, b, value * f64::from(alike)));
            }
        };
        for &v in &moving {
            let row = laplacian.weighed_row(v, membrane, plate, &mut scratch);
            let size = match stiffness {
                Stiffness::ByLengths(_) => laplacian.masses[v] / mean,
                Stiffness::ByEdges(_) => 1.0,
            };
            for own in free(v) {
                add(own, own, size * if own == free(v).start { MOVE } else { ACROSS });
                row.iter().for_each(|(w, q)| free(*w).for_each(|other| add(own, other, *q)));
            }
        }
    }

    /// Adds what it costs that moves along rows of cloth bend: the square of the second difference of the moves of
    /// three vertices in a line (Eilers & Marx, “Flexible smoothing with B-splines and penalties”, 1996). A row that
    /// goes as a whole, or tilts, costs nothing.
    pub fn add_cost_of_rows(&self, layers: &[Layer], cost: &mut Lower) {
        for (index, layer) in layers.iter().enumerate().filter(|(i, _)| !self.handles[*i].is_empty()) {
            let free = |v: &usize| matches!(self.handles[index][*v], Handle::Free(..));
            for v in (0..layer.rest.len()).filter(free) {
                for [u, w] in in_line(&layer.rest, layer.topology.neighbours.row(v), v) {
                    for axis in [Vec3::X, Vec3::Y, Vec3::Z] {
                        let mut entries = Vec::with_capacity(9);
                        for (at, times) in [(u, 1.0), (v as u32, -2.0), (w, 1.0)] {
                            self.add(index, at, layer.rest[at as usize], axis * times, &mut entries);
                        }
                        square(&entries, ROWS, cost);
                    }
                }
            }
        }
    }

    /// A stiff part costs by how far its vertices go, on the mean.
    fn part_cost(&self, index: usize, layer: &Layer, cost: &mut Lower) {
        let mut sizes: BTreeMap<u32, usize> = BTreeMap::new();
        for handle in &self.handles[index] {
            if let Handle::Part(part) = handle {
                *sizes.entry(*part).or_default() += 1;
            }
        }
        for (v, handle) in self.handles[index].iter().enumerate() {
            let Handle::Part(part) = handle else { continue };
            let size = sizes[part] as f64;
            for axis in [Vec3::X, Vec3::Y, Vec3::Z] {
                self.add_square(index, v as u32, layer.rest[v], axis, MOVE * size.min(PART) / size, cost);
            }
        }
    }

    fn add_square(&self, layer: usize, v: u32, rest: Vec3, axis: Vec3, weight: f64, cost: &mut Lower) {
        let mut entries = Vec::with_capacity(6);
        self.add(layer, v, rest, axis, &mut entries);
        square(&entries, weight, cost);
    }

    /// Buttons go with their cloth.
    fn follow_cost(&self, index: usize, layer: &Layer, cost: &mut Lower) {
        let handles = &self.handles[index];
        let cloth: Vec<u32> =
            (0..handles.len() as u32).filter(|v| !matches!(handles[*v as usize], Handle::Part(_))).collect();
        if layer.stiff || cloth.is_empty() || !handles.iter().any(|h| matches!(h, Handle::Part(_))) {
            return;
        }
        let places: Vec<Vec3> = cloth.iter().map(|v| layer.rest[*v as usize]).collect();
        let tree = Bvh::over_points(&places);
        for (v, handle) in handles.iter().enumerate() {
            let Handle::Part(_) = handle else { continue };
            let Some(hit) = tree.closest(layer.rest[v], CARRIES) else { continue };
            let below = cloth[hit.triangle as usize];
            for axis in [Vec3::X, Vec3::Y, Vec3::Z] {
                let mut entries = Vec::with_capacity(9);
                self.add(index, v as u32, layer.rest[v], axis, &mut entries);
                self.add(index, below, layer.rest[below as usize], -axis, &mut entries);
                square(&entries, FOLLOW, cost);
            }
        }
    }
}

/// The pairs of neighbours of a vertex that lie on one line with it, each the straightest on for the other.
fn in_line(rest: &[Vec3], neighbours: &[u32], v: usize) -> Vec<[u32; 2]> {
    let way = |u: u32| (rest[u as usize] - rest[v]).normalize_or_zero();
    let straight = |u: u32, w: u32| -way(u).dot(way(w));
    let on = |u: u32| -> Option<u32> {
        let next = neighbours.iter().copied().max_by(|a, b| straight(u, *a).total_cmp(&straight(u, *b)))?;
        (straight(u, next) > STRAIGHT).then_some(next)
    };
    let pair = |u: u32| on(u).filter(|w| u < *w && on(*w) == Some(u)).map(|w| [u, w]);
    neighbours.iter().copied().filter_map(pair).collect()
}

/// The measured vertex that each goes with; empty when all are measured.
pub(super) fn partners_of(layer: &Layer) -> Vec<u32> {
    let two = layer.walls.away_from_body.is_some() && !layer.stiff;
    if two {
        layer.walls.towards_body.measured_partners(&layer.rest)
    } else {
        Vec::new()
    }
}

/// Adds weight·(e·x)².
fn square(entries: &[(u32, f64)], weight: f64, cost: &mut Lower) {
    for &(a, g) in entries {
        cost.extend(entries.iter().filter(|e| e.0 <= a).map(|e| (a, e.0, weight * g * e.1)));
    }
}
