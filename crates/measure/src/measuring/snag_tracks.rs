//! Snags of an outfit, tied over the poses in which they come: made of the cells of the board.
//!
//! What is through in sight hangs together over the surface in a pose; spots of two poses that share a vertex
//! are one snag.

use crate::measuring::at_rest::AtRestOfRoom;
use crate::measuring::board::Board;
use crate::measuring::cells::{CountPlan, Kept, Known};
use std::collections::HashMap;
use std::sync::Arc;
use tin_cloak_core::clearance::Spot;
use tin_cloak_core::mesh::flood_fill;
use tin_cloak_core::units::to_mm;
use tin_cloak_model::dress::derived::Weighed;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::dress::worn::Worn;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::key::Key;
use tin_cloak_model::state::trial_plan::Counts;

/// A snag of an outfit.
#[derive(Clone, Debug, PartialEq)]
#[allow(missing_docs)]
pub struct SnagTrack {
    /// Outer and inner layer of the pile.
    pub layers: (usize, usize),
    pub outer: String,
    pub inner: String,
    /// True when its vertices are the outer layer's.
    pub on_outer: bool,
    /// Its vertices in any pose, ascending.
    pub vertices: Vec<u32>,
    /// The deepest of them, and in which pose.
    pub vertex: u32,
    pub pose: usize,
    pub deepest_mm: f32,
    pub area_cm2: f32,
    /// By pose, millimetres; 0 where it is not.
    pub depths_mm: Vec<f32>,
    /// Counted poses in which it is.
    pub counted: usize,
    /// True when rest has it already: each pose tells what it adds.
    pub at_rest: bool,
    /// Of a contact: where its deepest is in that pose.
    pub spot: Option<Spot>,
}

impl SnagTrack {
    /// What it weighs: deepest times area times how many counted poses have it.
    fn rank(&self) -> f32 {
        self.deepest_mm * self.area_cm2.max(0.01) * self.counted as f32
    }
}

/// The snags of an outfit, worst first.
pub struct SnagTracks(pub Vec<SnagTrack>);

impl Weighed for SnagTracks {
    fn bytes(&self) -> usize {
        self.0.iter().map(|s| 256 + s.vertices.len() * 4 + s.depths_mm.len() * 4).sum()
    }
}

/// A vertex that is through in sight in a pose, metres.
struct Seen {
    vertex: u32,
    pose: usize,
    depth: f32,
}

/// The snags of a room whose board is whole; none while it is not.
///
/// # Errors
/// When the store fails.
pub fn snag_tracks(room: &Room, board: &Board, kept: Kept) -> Result<Option<Arc<SnagTracks>>, WorkshopError> {
    if !board.is_whole() {
        return Ok(None);
    }
    let plan = CountPlan::new(room, kept)?;
    let key = Key::begin("tied snags").and_key(plan.whole).end();
    let made = kept.derived.try_get_or(key, || {
        let known = Known::new(&plan, kept)?;
        let worn = room.worn();
        let mut all = Vec::new();
        for (row, pair) in plan.rows.iter().enumerate() {
            let told = Telling { room, worn: &worn, board, row, layers: *pair };
            for on_outer in [false, true] {
                all.extend(told.of_layer(&known, on_outer));
            }
            all.extend(told.contact(&known, plan.tolerances[row], row < plan.covered));
        }
        all.retain(|s| s.counted > 0);
        all.sort_by(|a, b| b.rank().total_cmp(&a.rank()));
        Ok::<_, WorkshopError>(SnagTracks(all))
    })?;
    Ok(Some(made))
}

/// A row about to be told of.
struct Telling<'a> {
    room: &'a Room,
    worn: &'a Worn,
    board: &'a Board,
    row: usize,
    layers: (usize, usize),
}

impl Telling<'_> {
    fn name(&self, layer: usize) -> String {
        self.room.dress.layer_name(self.worn.piece_of[layer]).to_owned()
    }

    /// How a pose of the pair counts.
    fn counts(&self, pose: usize) -> Counts {
        let plan = &self.room.state.plan;
        let (outer, inner) = self.layers;
        let of_row = plan.of_row(&self.name(outer), &self.name(inner), outer == inner);
        self.board.poses[pose].counts.max(of_row)
    }

    fn of_layer(&self, known: &Known, on_outer: bool) -> Vec<SnagTrack> {
        let seen = seen_in(known, self.row, on_outer);
        if seen.is_empty() {
            return Vec::new();
        }
        let (outer, inner) = self.layers;
        let layer = &self.worn.outfit.layers[if on_outer { outer } else { inner }];
        let mut vertices: Vec<u32> = seen.iter().map(|s| s.vertex).collect();
        vertices.sort_unstable();
        vertices.dedup();
        // Two vertices that are next to each other and through in one pose are of one snag.
        let mut poses_of: HashMap<u32, Vec<usize>> = HashMap::new();
        seen.iter().for_each(|s| poses_of.entry(s.vertex).or_default().push(s.pose));
        let poses_of = &poses_of;
        let next = |i: u32| {
            let v = vertices[i as usize];
            let own = &poses_of[&v];
            let shares =
                move |n: &u32| poses_of.get(n).is_some_and(|p| p.iter().any(|pose| own.contains(pose)));
            let around = layer.topology.neighbours.row(v as usize).iter().copied().filter(shares);
            around.filter_map(|n| vertices.binary_search(&n).ok()).map(|i| i as u32).collect::<Vec<_>>()
        };
        let (group, groups) = flood_fill(vertices.len(), next);
        let areas = layer.topology.vertex_areas(&layer.rest);
        let mut list: Vec<GatheredSnags> =
            (0..groups).map(|_| GatheredSnags::new(self.board.poses.len())).collect();
        for (v, g) in vertices.iter().zip(&group) {
            list[*g as usize].vertices.push(*v);
            list[*g as usize].area += areas[*v as usize];
        }
        for s in &seen {
            let at = vertices.binary_search(&s.vertex).unwrap_or(0);
            list[group[at] as usize].take(s);
        }
        list.into_iter().map(|g| self.told(g, on_outer)).collect()
    }

    fn told(&self, gathered: GatheredSnags, on_outer: bool) -> SnagTrack {
        let GatheredSnags { vertices, area, depths_mm, vertex, pose, deepest_mm } = gathered;
        let counted = (0..depths_mm.len()).filter(|p| depths_mm[*p] > 0.0);
        let counted = counted.filter(|p| self.counts(*p) == Counts::Counted).count();
        let rest = self.room.at_rest(self.worn, &[self.layers]);
        SnagTrack {
            layers: self.layers,
            outer: self.name(self.layers.0),
            inner: self.name(self.layers.1),
            on_outer,
            at_rest: vertices.iter().any(|v| rest[0].depth(on_outer, *v) > 0.0),
            vertices,
            vertex,
            pose,
            deepest_mm,
            area_cm2: area * 1e4,
            depths_mm,
            counted,
            spot: None,
        }
    }

    /// Of layers that are in each other as they were not at rest.
    fn contact(&self, known: &Known, tolerance_mm: f32, is_covered: bool) -> Option<SnagTrack> {
        let mut gathered = GatheredSnags::new(self.board.poses.len());
        let mut place = None;
        for pose in 0..self.board.poses.len() {
            let Some(cell) = &known.through[pose][self.row] else { continue };
            let depth = cell.crossing.depth;
            if to_mm(depth) <= tolerance_mm || !cell.through.is_empty() {
                continue;
            }
            // What came out of what lies over it is told where somebody sees it.
            let is_seen = known.sight[pose][self.row].as_ref().is_some_and(|s| s.crossing);
            if is_covered && !is_seen {
                continue;
            }
            let spot = cell.crossing.spot?;
            gathered.take(&Seen { vertex: spot.vertex, pose, depth });
            if gathered.pose == pose {
                place = Some((spot, &cell.crossing.inside));
            }
        }
        // Of the pose in which it is deepest, the side that is: the other lies over it.
        let (spot, inside) = place?;
        let own = inside.iter().filter(|s| s.on_outer == spot.on_outer);
        gathered.vertices = own.map(|s| s.vertex).collect();
        let layer = &self.worn.outfit.layers[if spot.on_outer { self.layers.0 } else { self.layers.1 }];
        let areas = layer.topology.vertex_areas(&layer.rest);
        gathered.area = gathered.vertices.iter().map(|v| areas[*v as usize]).sum();
        Some(SnagTrack { spot: Some(spot), ..self.told(gathered, spot.on_outer) })
    }
}

/// A snag as it is put together.
struct GatheredSnags {
    vertices: Vec<u32>,
    /// Square metres.
    area: f32,
    depths_mm: Vec<f32>,
    vertex: u32,
    pose: usize,
    deepest_mm: f32,
}

impl GatheredSnags {
    fn new(poses: usize) -> Self {
        let depths_mm = vec![0.0; poses];
        Self { vertices: Vec::new(), area: 0.0, depths_mm, vertex: 0, pose: 0, deepest_mm: 0.0 }
    }

    fn take(&mut self, seen: &Seen) {
        let mm = (seen.depth * 1e5).round() / 100.0;
        let at = &mut self.depths_mm[seen.pose];
        *at = at.max(mm);
        if mm > self.deepest_mm {
            (self.deepest_mm, self.vertex, self.pose) = (mm, seen.vertex, seen.pose);
        }
    }
}

/// All of a row that is through in sight, of one layer of its two.
fn seen_in(known: &Known, row: usize, on_outer: bool) -> Vec<Seen> {
    let mut seen = Vec::new();
    for pose in 0..known.through.len() {
        let (Some(cell), Some(sight)) = (&known.through[pose][row], &known.sight[pose][row]) else {
            continue;
        };
        for (spot, buried) in cell.through.spots.iter().zip(&sight.buried) {
            if spot.on_outer == on_outer && !buried {
                seen.push(Seen { vertex: spot.vertex, pose, depth: -spot.clearance });
            }
        }
    }
    seen
}
