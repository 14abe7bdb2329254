//! Easing a piece off the layer beneath, or drawing it in.

use crate::clearance::{Covering, Side};
use crate::mend::keep_rigid;
use crate::mesh::even_out;
use crate::mesh::{vertex_normals_into, Topology};
use crate::query::WindingField;
use glam::Vec3;
use rayon::prelude::*;

/// How far a moved vertex may go beyond what it needs, so that the change is smooth, metres.
const EXTRA: f32 = 0.0015;
/// What is let pass, metres.
const HAIR: f32 = 2e-5;

/// The clearance wished, metres.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct GapWish {
    /// At least.
    pub least: f32,
    /// At most; infinite when nothing is to be drawn in.
    pub most: f32,
}

/// The gap of a vertex to the layer beneath.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Gap {
    /// Metres, negative when the vertex is inside the layer beneath.
    pub clearance: f32,
    /// Outward unit normal there.
    pub normal: Vec3,
}

impl Covering<'_> {
    /// The gap of a vertex at `p` with outward unit normal `n`, to the nearest face looking the
    /// same way within `reach` metres; none when there is none, or only an open edge.
    pub fn gap(&self, p: Vec3, n: Vec3, reach: f32) -> Option<Gap> {
        let hit = self.posed.tree.closest_facing(p, reach, n, 0.0)?;
        if self.side.on_open_edge(&hit) {
            return None;
        }
        let (depth, normal) = self.side.signed_depth(self.positions, p, &hit);
        Some(Gap { clearance: -depth, normal })
    }

    /// The gap of each vertex of a piece; `normals` zero where it has no measured face. Inside
    /// means wrapped: a vertex that is only behind the nearest face (winding number below 0.4, as
    /// in the poses) has no gap to tell.
    pub fn gaps(&self, positions: &[Vec3], normals: &[Vec3], reach: f32) -> Vec<Option<Gap>> {
        let one = |(p, n): (&Vec3, &Vec3)| if *n == Vec3::ZERO { None } else { self.gap(*p, *n, reach) };
        let mut gaps: Vec<Option<Gap>> =
            positions.par_iter().zip(normals).with_min_len(256).map(one).collect();
        let is_behind = |g: &Option<Gap>| g.is_some_and(|g| g.clearance < 0.0);
        if gaps.iter().any(is_behind) {
            let field = WindingField::new(&self.posed.tree);
            let behind = gaps.par_iter_mut().zip(positions).with_min_len(256);
            behind.filter(|(g, p)| is_behind(g) && field.at(**p) < 0.4).for_each(|(g, _)| *g = None);
        }
        gaps
    }
}

/// A piece (welded) that is eased or lifted: where its vertices are at first (metres), its measured faces, its
/// topology, and by vertex the stiff part that it is of (see [`keep_rigid`]; empty for none).
#[derive(Clone, Copy)]
pub struct PieceSurface<'a> {
    /// Where its vertices are at first.
    pub start: &'a [Vec3],
    /// Its measured faces.
    pub side: &'a Side,
    /// All its faces.
    pub topology: &'a Topology,
    /// By vertex the stiff part.
    pub rigid: &'a [u32],
}

/// Moves the `chosen` vertices of a piece until their
/// clearance over `beneath` is as wished. Each goes straight along the normal beneath by what it
/// lacks; the field of moves is evened out over the cloth by at most 1.5 mm more, never less, so
/// that folds and seams keep their shape. Vertices with nothing beneath within `reach` stay; stiff
/// parts go as one each.
///
/// ```
/// use tin_cloak_core::clearance::{Covering, Side};
/// use tin_cloak_core::{mesh::Topology, seat::{ease, GapWish, PieceSurface}, shapes::sphere};
///
/// // A shirt 2 mm off the body is eased to 8 mm.
/// let (body, shirt) = (sphere(0.1, 24), sphere(0.102, 24));
/// let topology = Topology::of_welded(shirt.0.len(), &shirt.1);
/// let (own, side) = (Side::new(shirt.0.len(), &shirt.1), Side::new(body.0.len(), &body.1));
/// let posed = side.pose(&body.0);
/// let beneath = Covering { side: &side, posed: &posed, positions: &body.0 };
/// let wish = GapWish { least: 0.008, most: f32::INFINITY };
/// let piece = PieceSurface { start: &shirt.0, side: &own, topology: &topology, rigid: &[] };
/// let eased = ease(piece, &vec![true; shirt.0.len()], beneath, wish, 0.05);
/// assert!(eased.iter().all(|p| (0.1075..0.1105).contains(&p.length())));
/// ```
pub fn ease(piece: PieceSurface, chosen: &[bool], beneath: Covering, wish: GapWish, reach: f32) -> Vec<Vec3> {
    const ROUNDS: usize = 12;
    let PieceSurface { start: positions, side, topology, rigid } = piece;
    let mut out = positions.to_vec();
    let mut normals = vec![Vec3::ZERO; out.len()];
    let follows = side.measured_partners(positions);
    for round in 0..ROUNDS {
        vertex_normals_into(&out, &side.topology.triangles, &side.topology.incident, &mut normals);
        let gaps = beneath.gaps(&out, &normals, reach);
        let needs: Vec<Vec3> = (0..out.len())
            .map(|v| if chosen[v] { need(&gaps[follows[v] as usize], wish) } else { Vec3::ZERO })
            .collect();
        if needs.iter().all(|n| n.length() < HAIR) {
            break;
        }
        // Evened out once; what is left after that is small and goes straight.
        let field = if round == 0 { evened(topology, &needs, chosen) } else { needs };
        out.iter_mut().zip(&field).for_each(|(p, d)| *p += *d);
        keep_rigid(rigid, positions, &mut out, f32::INFINITY);
    }
    out
}

/// What a vertex still lacks; aimed a hair beyond, so that the last round does not end short.
fn need(gap: &Option<Gap>, wish: GapWish) -> Vec3 {
    let Some(gap) = gap else { return Vec3::ZERO };
    if gap.clearance < wish.least {
        return gap.normal * (wish.least - gap.clearance + HAIR / 4.0);
    }
    if gap.clearance > wish.most {
        return gap.normal * (wish.most - gap.clearance - HAIR / 4.0);
    }
    Vec3::ZERO
}

pub(super) fn evened(topology: &Topology, needs: &[Vec3], chosen: &[bool]) -> Vec<Vec3> {
    let mut field = needs.to_vec();
    even_out(&topology.neighbours, &mut field, &[0.5; 12]);
    let one = |v: usize| {
        if !chosen[v] {
            return Vec3::ZERO;
        }
        let need = needs[v];
        let extra = (field[v] - need).clamp_length_max(EXTRA);
        // Evening out must not take from what is needed.
        let along = need.normalize_or_zero();
        need + extra - along * extra.dot(along).min(0.0)
    };
    (0..needs.len()).map(one).collect()
}
