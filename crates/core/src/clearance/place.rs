//! Places at which two layers are asked how they lie to each other, again and again while one of them changes.

use super::edge_penetration::PARTS;
use super::penetration_depth::{depth_in, way_out, WayOut};
use super::{AtRest, EdgeSpot, InPose, Outfit, Pair, Settings, Side};
use glam::Vec3;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// Where two layers are asked.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub enum Place {
    /// A covered vertex of a pair, by its place in the list.
    Covered {
        /// Index of the pair.
        pair: usize,
        /// Index in [`Coverage::covered`](super::Coverage::covered).
        at: usize,
    },
    /// A vertex of the outer layer over the inner one.
    Over {
        /// Index of the pair.
        pair: usize,
        /// Index in [`Coverage::over`](super::Coverage::over).
        at: usize,
    },
    /// A place of an edge, in 65,536ths of its length.
    Edge {
        /// Index of the pair.
        pair: usize,
        /// True when the edge is of the outer layer.
        on_outer: bool,
        /// Its welded vertices.
        edge: [u32; 2],
        /// From the first to the second.
        share: u16,
    },
    /// A vertex that lies, or has lain, in a layer which it did not lie over at rest.
    Inside {
        /// Its layer, and the one that it lies in.
        layers: (usize, usize),
        /// Its number.
        vertex: u32,
    },
}

impl Place {
    /// True of what lies in its own layer, as cloth does in a fold.
    pub fn is_in_itself(&self) -> bool {
        matches!(self, Self::Inside { layers: (own, other), .. } if own == other)
    }
}

/// How two layers lie to each other at a place, in a pose.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PlaceGap {
    /// Metres; below 0 where they are in each other.
    pub gap: f32,
    /// Unit direction in the pose in which the place must go to widen it; what lies there must go against it.
    pub way: Vec3,
    /// The layer of the place, and the vertices that it goes with, by shares.
    pub own: (usize, [(u32, f32); 2]),
    /// The layer that lies there, the corners of its nearest face, and the shares of the place on it.
    pub other: (usize, [u32; 3], [f32; 3]),
}

impl InPose<'_> {
    /// Asks a place; nothing where nothing lies within `within` metres, or what lies there does not count (an open
    /// edge, what is behind and not inside).
    pub fn gap(&self, place: &Place, settings: Settings, within: f32) -> Option<PlaceGap> {
        let settings = Settings { sunk_reach: within.min(settings.sunk_reach), ..settings };
        match *place {
            Place::Covered { pair, at } => {
                let view = self.view(pair, settings);
                let asked = view.ask_inner(at, within)?;
                if asked.clearance < -settings.tolerance && view.is_beneath_its_cover(at) {
                    return None;
                }
                let v = view.pair.coverage.covered[at];
                let corners = view.outer_side().topology.triangles[asked.triangle as usize];
                Some(PlaceGap {
                    gap: asked.clearance,
                    way: -asked.normal,
                    own: (view.pair.inner, [(v, 1.0), (v, 0.0)]),
                    other: (view.pair.outer, corners, asked.barycentric),
                })
            }
            Place::Over { pair, at } => {
                let view = self.view(pair, settings);
                let asked = view.ask_outer(at)?;
                let v = view.pair.coverage.over[at];
                let corners = view.inner_side().topology.triangles[asked.triangle as usize];
                Some(PlaceGap {
                    gap: asked.clearance,
                    way: asked.normal,
                    own: (view.pair.outer, [(v, 1.0), (v, 0.0)]),
                    other: (view.pair.inner, corners, asked.barycentric),
                })
            }
            Place::Edge { pair, on_outer, edge, share } => {
                self.edge_gap(pair, settings, on_outer, edge, f32::from(share) / PARTS)
            }
            Place::Inside { layers: (layer, other), vertex } => self.inside_gap(layer, other, vertex, within),
        }
    }

    fn edge_gap(
        &self,
        pair: usize,
        settings: Settings,
        on_outer: bool,
        edge: [u32; 2],
        share: f32,
    ) -> Option<PlaceGap> {
        let view = self.view(pair, settings);
        let (positions, normals) = match on_outer {
            true => (&view.outer().positions, &view.outer().towards_body.normals),
            false => (&view.inner().positions, &view.inner().outside().normals),
        };
        let mix = |of: &[Vec3]| of[edge[0] as usize].lerp(of[edge[1] as usize], share);
        let (p, n) = (mix(positions), mix(normals).normalize_or(Vec3::Y));
        let own = [(edge[0], 1.0 - share), (edge[1], share)];
        let gap = match on_outer {
            true => {
                let asked = view.ask_outer_at(p, n, u32::MAX)?;
                let corners = view.inner_side().topology.triangles[asked.triangle as usize];
                let other = (view.pair.inner, corners, asked.barycentric);
                PlaceGap { gap: asked.clearance, way: asked.normal, own: (view.pair.outer, own), other }
            }
            false => {
                let asked = view.ask_inner_at(p, n, settings.sunk_reach, u32::MAX)?;
                let corners = view.outer_side().topology.triangles[asked.triangle as usize];
                let other = (view.pair.outer, corners, asked.barycentric);
                PlaceGap { gap: asked.clearance, way: -asked.normal, own: (view.pair.inner, own), other }
            }
        };
        Some(gap)
    }

    /// Of a vertex that is out of the other layer, how far: what has come out is not to go back in.
    fn inside_gap(&self, layer: usize, other: usize, vertex: u32, within: f32) -> Option<PlaceGap> {
        let depth = depth_in(&self.hiding, layer, other, vertex);
        let p = self.buffers.positions(layer)[vertex as usize];
        let WayOut { corners, shares } = match depth {
            Some(_) => way_out(self.outfit, self.buffers, layer, other, vertex)?,
            None if layer == other => return None,
            None => {
                let hit = self.buffers.whole(other).closest(p, within)?;
                let corners = self.outfit.layers[other].topology.triangles[hit.triangle as usize];
                WayOut { corners, shares: hit.barycentric }
            }
        };
        let positions = self.buffers.positions(other);
        let surface: Vec3 = (0..3).map(|k| positions[corners[k] as usize] * shares[k]).sum();
        let to_surface = (surface - p).try_normalize()?;
        let (gap, way) = match depth {
            Some(depth) => (-depth, to_surface),
            None => (p.distance(surface), -to_surface),
        };
        Some(PlaceGap {
            gap,
            way,
            own: (layer, [(vertex, 1.0), (vertex, 0.0)]),
            other: (other, corners, shares),
        })
    }
}

impl EdgeSpot {
    /// The place where it is deepest.
    pub fn place(&self, pair: usize) -> Place {
        let (edge, on_outer) = (self.edge, self.on_outer);
        Place::Edge { pair, on_outer, edge, share: self.share }
    }
}

impl Outfit {
    /// The place of a vertex of one layer of a pair; `None` when it is not asked.
    pub fn place_of(&self, pair: usize, on_outer: bool, vertex: u32) -> Option<Place> {
        let coverage = &self.pairs[pair].coverage;
        match on_outer {
            true => coverage.over.binary_search(&vertex).ok().map(|at| Place::Over { pair, at }),
            false => coverage.covered.binary_search(&vertex).ok().map(|at| Place::Covered { pair, at }),
        }
    }

    /// The places of a pair of which the vertex, or what it lay over or under at rest, is of those that `wanted` (layer
    /// and vertex) takes.
    pub fn places(&self, pair: usize, wanted: &dyn Fn(usize, u32) -> bool) -> Vec<Place> {
        let Pair { outer, inner, coverage } = &self.pairs[pair];
        let (above, below) = (&self.layers[*outer].walls.towards_body, self.layers[*inner].walls.outside());
        let any = |layer: usize, side: &Side, face: u32| {
            let corners = side.topology.triangles.get(face as usize);
            corners.is_some_and(|t| t.iter().any(|v| wanted(layer, *v)))
        };
        let covered = coverage.covered.iter().zip(&coverage.covers).enumerate();
        let covered = covered
            .filter(|(_, (v, cover))| wanted(*inner, **v) || any(*outer, above, cover.triangle))
            .map(|(at, _)| Place::Covered { pair, at });
        let over = coverage.over.iter().zip(&coverage.over_seeds).enumerate();
        let over = over
            .filter(|(_, (v, seed))| wanted(*outer, **v) || any(*inner, below, **seed))
            .map(|(at, _)| Place::Over { pair, at });
        covered.chain(over).collect()
    }

    /// The layer and a vertex of a place, and the layer that it is asked of.
    pub fn asked_at(&self, place: &Place) -> ((usize, u32), usize) {
        let of_pair = |at: usize| (self.pairs[at].outer, self.pairs[at].inner, &self.pairs[at].coverage);
        match *place {
            Place::Covered { pair, at } => {
                let (outer, inner, coverage) = of_pair(pair);
                ((inner, coverage.covered[at]), outer)
            }
            Place::Over { pair, at } => {
                let (outer, inner, coverage) = of_pair(pair);
                ((outer, coverage.over[at]), inner)
            }
            Place::Edge { pair, on_outer, edge, .. } => {
                let (outer, inner, _) = of_pair(pair);
                let (own, other) = if on_outer { (outer, inner) } else { (inner, outer) };
                ((own, edge[0]), other)
            }
            Place::Inside { layers: (own, other), vertex } => ((own, vertex), other),
        }
    }

    /// The layer and a vertex of a place, and of what lies there at rest; none within one layer.
    pub fn lying_at(&self, place: &Place) -> Option<[(usize, u32); 2]> {
        let ((own, v), other) = self.asked_at(place);
        if own == other {
            return None;
        }
        let beneath = self.nearest_at_rest(other, self.layers[own].rest[v as usize])?;
        Some([(own, v), (other, beneath)])
    }

    /// How deep a place is at rest already, metres; `at_rest` is one a pair, or empty.
    pub fn wrong_at_rest(&self, place: &Place, at_rest: &[Arc<AtRest>]) -> f32 {
        let of =
            |pair: usize, told: &dyn Fn(&AtRest) -> f32| at_rest.get(pair).map_or(0.0, |rest| told(rest));
        match *place {
            Place::Covered { pair, at } => {
                of(pair, &|rest| rest.depth(false, self.pairs[pair].coverage.covered[at]))
            }
            Place::Over { pair, at } => {
                of(pair, &|rest| rest.depth(true, self.pairs[pair].coverage.over[at]))
            }
            Place::Edge { pair, on_outer, edge, .. } => of(pair, &|rest| rest.edge_depth(on_outer, edge)),
            Place::Inside { .. } => 0.0,
        }
    }
}
