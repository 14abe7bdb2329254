//! A carried piece kept off what lies beneath: its vertices, then its faces.

use crate::clearance::Covering;
use crate::mend::keep_rigid;
use crate::query::Bvh;
use crate::seat::{lifted, FindGaps, Gap, PieceSurface};
use glam::Vec3;
use rayon::prelude::*;

/// Vertices and faces are taken off by turns, so often at most.
const TURNS: usize = 12;
/// Nothing is asked to lie further off than this, metres.
pub(super) const LEAST: f32 = 0.0005;
/// A vertex beneath that is this far outside of a face at most is what has come through it, metres.
const THROUGH: f32 = 0.02;
/// It looks the way the face does: the cosine is above this.
const SAME_WAY: f32 = 0.3;
/// A face goes by no more than this at once, metres.
const STEP: f32 = 0.01;
/// Moves below this are none, metres.
pub(super) const STILL: f32 = 2e-5;

/// What a piece is kept off: all that lies beneath, as one surface.
pub(super) struct Off<'a> {
    pub beneath: Covering<'a>,
    /// The gap of each vertex on the first body: what was sunk there may stay so.
    pub before: &'a [Option<Gap>],
}

/// Lifts vertices of a piece along the normals beneath, then faces off the vertices that have come through them, by
/// turns until neither moves. Coarse cloth over fine skin is clear at each of its vertices long before it is.
pub(super) fn clear_of(piece: PieceSurface, off: &Off, find: FindGaps, now: &mut [Vec3]) {
    let wish = |gap: &Option<Gap>| Some(gap.map_or(LEAST, |g| g.clearance.min(LEAST)));
    let wanted: Vec<Option<f32>> = off.before.iter().map(wish).collect();
    let everywhere = vec![true; now.len()];
    let follows = piece.side.measured_partners(piece.start);
    for _ in 0..TURNS {
        lifted(piece, find, &wanted, &everywhere, now);
        let needs = faces_off(&piece, off, now);
        if needs.iter().all(|n| n.length() < STILL) {
            break;
        }
        now.iter_mut().zip(&follows).for_each(|(p, &v)| *p += needs[v as usize]);
        keep_rigid(piece.rigid, piece.start, now, f32::INFINITY);
    }
}

/// What each vertex of a piece lacks so that no vertex beneath is outside of a face.
pub(super) fn faces_off(piece: &PieceSurface, off: &Off, now: &[Vec3]) -> Vec<Vec3> {
    let triangles = &piece.side.topology.triangles;
    let tree = Bvh::build(now, triangles);
    let Covering { side, posed, positions } = off.beneath;
    let was_sunk = |v: &u32| off.before[*v as usize].is_some_and(|g| g.clearance < 0.0);
    let through = |&q: &u32| {
        let (p, n) = (positions[q as usize], posed.normals[q as usize]);
        let hit = tree.closest_facing(p, THROUGH, n, SAME_WAY)?;
        let corners = triangles[hit.triangle as usize];
        if piece.side.on_open_edge(&hit) || corners.iter().any(was_sunk) {
            return None;
        }
        let (depth, normal) = piece.side.signed_depth(now, p, &hit);
        let lacks = LEAST * 0.5 - depth;
        (lacks > STILL).then(|| (corners, hit.barycentric, normal * lacks.min(STEP)))
    };
    let found: Vec<_> = side.used.par_iter().with_min_len(256).filter_map(through).collect();
    let mut needs = vec![Vec3::ZERO; now.len()];
    for (corners, shares, way) in found {
        let even: f32 = shares.iter().map(|s| s * s).sum();
        for (v, share) in corners.iter().zip(shares) {
            let need = way * (share / even.max(1e-6));
            if need.length_squared() > needs[*v as usize].length_squared() {
                needs[*v as usize] = need.clamp_length_max(STEP);
            }
        }
    }
    needs
}
