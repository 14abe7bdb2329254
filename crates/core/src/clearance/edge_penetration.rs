//! What is through between vertices: stretches of edges.
//!
//! Where both layers are coarse an edge of the one may dip through a face of the other and come back, with
//! both its ends on the right side. Such a stretch is bounded by two places where the edge runs through the
//! other layer.

use super::ask::PairView;
use crate::query::ray_triangle;
use glam::Vec3;
use serde::{Deserialize, Serialize};

/// A stretch of an edge on the wrong side by more than the tolerance, between two places where the edge runs
/// through the other layer.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct EdgeSpot {
    /// True when the edge is of the outer layer, false for the inner.
    pub on_outer: bool,
    /// Its welded vertices, the lower first.
    pub edge: [u32; 2],
    /// The deepest place that was asked, in 65,536ths of the edge's length.
    pub share: u16,
    /// That place, metres.
    pub position: Vec3,
    /// Signed distance there, metres: negative.
    pub clearance: f32,
    /// Outward unit normal of the other layer there.
    pub normal: Vec3,
    /// Outward unit normal of the edge's own layer there.
    pub own_normal: Vec3,
}

/// Places of an edge are told in so many parts of its length.
pub(super) const PARTS: f32 = 65536.0;

/// A stretch is asked at these shares of its length.
const ASKED: [f32; 3] = [0.25, 0.5, 0.75];

/// A place where an edge runs through the other layer: the edge, and its share of the length as ordered bits.
type Pierced = ([u32; 2], u32);

impl PairView<'_, '_> {
    /// The stretches that are through; `meeting` are the faces of the two layers that meet.
    pub fn stretches(&self, meeting: &[(u32, u32)]) -> Vec<EdgeSpot> {
        let of = |on_outer: bool| {
            let pierced = self.pierced(on_outer, meeting);
            let edges = pierced.chunk_by(|a, b| a.0 == b.0);
            let between = edges.flat_map(|e| e.windows(2)).map(|w| (w[0].0, [w[0].1, w[1].1]));
            between
                .filter_map(|(edge, ends)| self.stretch(on_outer, edge, ends.map(f32::from_bits)))
                .collect()
        };
        let mut all: Vec<EdgeSpot> = of(false);
        all.extend::<Vec<_>>(of(true));
        all
    }

    /// Where edges between asked vertices run through the other layer, by edge and along it.
    fn pierced(&self, on_outer: bool, meeting: &[(u32, u32)]) -> Vec<Pierced> {
        let coverage = &*self.pair.coverage;
        let (list, layer, other) = match on_outer {
            true => (&coverage.over, self.pair.outer, self.pair.inner),
            false => (&coverage.covered, self.pair.inner, self.pair.outer),
        };
        let corners = |layer: usize, f: u32| self.outfit.layers[layer].topology.triangles[f as usize];
        let (own, theirs) = (self.buffers.positions(layer), self.buffers.positions(other));
        let mut found = Vec::new();
        for &(f, g) in meeting {
            let (own_face, their_face) = if on_outer { (f, g) } else { (g, f) };
            let t = corners(layer, own_face);
            let face = corners(other, their_face).map(|v| theirs[v as usize]);
            for (a, b) in [(t[0], t[1]), (t[1], t[2]), (t[2], t[0])] {
                let edge = [a.min(b), a.max(b)];
                let [p, q] = edge.map(|v| own[v as usize]);
                let at = ray_triangle(p, q - p, face).filter(|(at, _)| (0.0..=1.0).contains(at));
                found.extend(at.map(|(at, _)| (edge, at.to_bits())));
            }
        }
        found.sort_unstable();
        found.dedup();
        found.retain(|(edge, _)| edge.iter().all(|v| list.binary_search(v).is_ok()));
        found
    }

    fn stretch(&self, on_outer: bool, edge: [u32; 2], [from, to]: [f32; 2]) -> Option<EdgeSpot> {
        let (layer, normals) = match on_outer {
            true => (self.pair.outer, &self.outer().towards_body.normals),
            false => (self.pair.inner, &self.inner().outside().normals),
        };
        let positions = self.buffers.positions(layer);
        let mix = |of: &[Vec3], at: f32| of[edge[0] as usize].lerp(of[edge[1] as usize], at);
        let ask = |share: &f32| {
            // Just where it is asked again when it is mended.
            let share = ((from + (to - from) * share) * PARTS).min(PARTS - 1.0) as u16;
            let at = f32::from(share) / PARTS;
            let (position, own_normal) = (mix(positions, at), mix(normals, at).normalize_or(Vec3::Y));
            let asked = match on_outer {
                true => self.ask_outer_at(position, own_normal, u32::MAX)?,
                false => self.ask_inner_at(position, own_normal, f32::INFINITY, u32::MAX)?,
            };
            let (clearance, normal) = (asked.clearance, asked.normal);
            Some(EdgeSpot { on_outer, edge, share, position, clearance, normal, own_normal })
        };
        let deepest =
            ASKED.iter().filter_map(ask).reduce(|a, b| if b.clearance < a.clearance { b } else { a });
        deepest.filter(|s| s.clearance < -self.settings.tolerance)
    }
}
