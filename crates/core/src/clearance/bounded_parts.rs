//! Parts of a layer that have come out through another one without a vertex of theirs being asked: a spike through a
//! big face. Such a part is bounded by the faces that run through each other, and small against its layer.
//!
//! What was covered at rest has its own answer (see [`super::ask_pairs`]) and is left to that.

use super::ask::PairView;
use super::InsideSpot;
use crate::mesh::{face_normal, Topology};
use glam::Vec3;

/// A part of more than this share of its layer is not what has come out: the curve round it is open, at a hem.
const SHARE: usize = 8;
/// A layer of few vertices may have so many out, however few those are.
const FEW: usize = 4;
/// So many vertices of what came out are asked how far they are.
const MOST_ASKED: usize = 512;
/// What is out by less than this is no part that came out, but the edge of what is asked, metres.
const SHALLOW: f32 = 0.005;

/// Flags of what bounds the parts, and where they begin.
struct Bounds {
    /// Corners of crossing faces that lie on the right side.
    wall: Vec<bool>,
    /// Those on the wrong side.
    front: Vec<u32>,
}

impl PairView<'_, '_> {
    /// The vertices of bounded parts of the inner layer that are out of the outer one, and of the outer one that are in
    /// the inner one, where none of a part was asked at rest; `meeting` are the faces of both that meet.
    pub fn come_out(&self, meeting: &[(u32, u32)]) -> Vec<InsideSpot> {
        let mut spots = self.beyond(false, meeting);
        spots.extend(self.beyond(true, meeting));
        if spots.iter().all(|s| s.depth < SHALLOW) {
            spots.clear();
        }
        spots
    }

    fn beyond(&self, on_outer: bool, meeting: &[(u32, u32)]) -> Vec<InsideSpot> {
        let (own, asked) = match on_outer {
            true => (self.pair.outer, &self.pair.coverage.over),
            false => (self.pair.inner, &self.pair.coverage.covered),
        };
        let topology = &*self.outfit.layers[own].topology;
        let bounds = self.bounds(on_outer, topology, meeting);
        let unasked = parts(topology, bounds, &|v| asked.binary_search(&v).is_ok());
        // Of much, so many places spread evenly over it say how deep it is.
        let each = unasked.len().div_ceil(MOST_ASKED).max(1);
        unasked.into_iter().step_by(each).filter_map(|v| self.spot_beyond(on_outer, v)).collect()
    }

    /// Tells the corners of the crossing faces of one layer apart by the side of the other one's face that they lie on.
    fn bounds(&self, on_outer: bool, topology: &Topology, meeting: &[(u32, u32)]) -> Bounds {
        let (own, other) = match on_outer {
            true => (self.outer(), self.inner()),
            false => (self.inner(), self.outer()),
        };
        let of_other = match on_outer {
            true => &self.outfit.layers[self.pair.inner].topology,
            false => &self.outfit.layers[self.pair.outer].topology,
        };
        let outward = if on_outer { &other.outside().normals } else { &other.towards_body.normals };
        let mut wall = vec![false; topology.vertices()];
        let mut front = Vec::new();
        for &(f, g) in meeting {
            let (face, against) = if on_outer { (f, g) } else { (g, f) };
            let corners = of_other.triangles[against as usize];
            let plane = face_normal(&other.positions, corners);
            let out: Vec3 = corners.iter().map(|c| outward[*c as usize]).sum();
            let normal = if plane.dot(out) < 0.0 { -plane } else { plane };
            for v in topology.triangles[face as usize] {
                let height = (own.positions[v as usize] - other.positions[corners[0] as usize]).dot(normal);
                let is_wrong = if on_outer { height < 0.0 } else { height > 0.0 };
                match is_wrong {
                    true => front.push(v),
                    false => wall[v as usize] = true,
                }
            }
        }
        front.retain(|v| !wall[*v as usize]);
        Bounds { wall, front }
    }

    fn spot_beyond(&self, on_outer: bool, v: u32) -> Option<InsideSpot> {
        let (own, other) = match on_outer {
            true => (self.outer(), self.pair.inner),
            false => (self.inner(), self.pair.outer),
        };
        let p = own.positions[v as usize];
        let depth = self.buffers.whole(other).closest(p, f32::INFINITY)?.point.distance(p);
        Some(InsideSpot { on_outer, vertex: v, depth })
    }

    /// Where what came out shows, and the outward normal there: of what is sunk it is the inner surface over it.
    pub fn where_it_came_out(&self, spot: &InsideSpot) -> (Vec3, Vec3) {
        let v = spot.vertex as usize;
        let inner = self.inner();
        if !spot.on_outer {
            return (inner.positions[v], inner.outside().normals[v]);
        }
        let p = self.outer().positions[v];
        match self.buffers.whole(self.pair.inner).closest(p, f32::INFINITY) {
            Some(hit) => (hit.point, (hit.point - p).normalize_or(Vec3::Y)),
            None => (p, Vec3::Y),
        }
    }
}

/// The vertices of all small parts that are joined to the front and end at the wall, but those that were `asked`;
/// ascending.
fn parts(topology: &Topology, Bounds { wall, front }: Bounds, asked: &dyn Fn(u32) -> bool) -> Vec<u32> {
    if front.is_empty() {
        return Vec::new();
    }
    let most = (topology.vertices() / SHARE).max(FEW);
    let mut of_shell = vec![0usize; topology.shells];
    topology.shell_of_vertex.iter().for_each(|shell| of_shell[*shell as usize] += 1);
    // Round an open curve it comes to nearly all of a scale; of a body with faces left out it ends at an open edge.
    let is_bounded = |part: &[u32]| {
        let shell = of_shell[topology.shell_of_vertex[part[0] as usize] as usize];
        part.len() * 2 < shell && part.iter().all(|v| !topology.on_boundary[*v as usize])
    };
    let mut seen = wall;
    let mut all = Vec::new();
    for begin in front {
        if std::mem::replace(&mut seen[begin as usize], true) {
            continue;
        }
        let mut part = vec![begin];
        let mut next = 0;
        while next < part.len() {
            for &n in topology.neighbours.row(part[next] as usize) {
                if !std::mem::replace(&mut seen[n as usize], true) {
                    part.push(n);
                }
            }
            next += 1;
        }
        if part.len() <= most && is_bounded(&part) && !part.iter().any(|v| asked(*v)) {
            all.extend(part);
        }
    }
    all.sort_unstable();
    all
}
