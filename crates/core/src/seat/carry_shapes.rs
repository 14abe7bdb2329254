//! Shapes of what lies beneath, carried onto a piece: what the body becomes, its clothes become.

use super::ease::{evened, PieceSurface};
use super::Gap;
use crate::bind::{fill_offsets, BindError, BindTarget, MatchSettings};
use crate::clearance::{Covering, Side};
use crate::mend::keep_rigid;
use crate::mesh::{mix, vertex_normals_into};
use glam::Vec3;
use rayon::prelude::*;

/// A piece that is to follow, at rest.
#[derive(Clone, Copy)]
pub struct OnTop<'a> {
    /// Its vertices and faces.
    pub target: &'a BindTarget<'a>,
    /// Its measured faces.
    pub side: &'a Side,
    /// Its stiff parts, as [`keep_rigid`] takes them.
    pub rigid: &'a [u32],
    /// In a shape it may come nearer to what lies beneath than at rest by so much, metres.
    pub tolerance: f32,
}

/// What lies further beneath a vertex than this need not be kept clear of, metres.
const REACH: f32 = 0.05;
/// Rounds of keeping clear.
const ROUNDS: usize = 8;

/// For each of `shapes` (an offset a vertex of what lies `beneath`, metres) the offsets of the piece's vertices: those
/// of the nearest place beneath where distance and normals agree, in between of the least bi-Laplacian energy, as
/// weights are matched and filled in (Abdrashitov et al., “Robust Skin Weights Transfer via Weight Inpainting”, 2023);
/// stiff parts go as one each. Then cloth is lifted along the normal beneath until, in each shape, no gap is narrower
/// than at rest by more than the tolerance. A shape that moves nothing beneath moves nothing.
///
/// ```
/// use tin_cloak_core::bind::BindTarget;
/// use tin_cloak_core::clearance::{Covering, Side};
/// use tin_cloak_core::seat::{carry_shapes, OnTop};
/// use tin_cloak_core::{mesh::Topology, shapes::sphere};
///
/// // A body that swells by a tenth takes its shirt along.
/// let (body, shirt) = (sphere(0.1, 24), sphere(0.102, 24));
/// let topology = Topology::of_welded(shirt.0.len(), &shirt.1);
/// let (side, under) = (Side::new(shirt.0.len(), &shirt.1), Side::new(body.0.len(), &body.1));
/// let target = BindTarget::new(&shirt.0, &topology);
/// let posed = under.pose(&body.0);
/// let beneath = Covering { side: &under, posed: &posed, positions: &body.0 };
/// let swells: Vec<_> = body.0.iter().map(|p| *p * 0.1).collect();
/// let piece = OnTop { target: &target, side: &side, rigid: &[], tolerance: 0.0 };
/// let carried = carry_shapes(piece, beneath, &[swells])?;
/// assert!(carried[0].iter().all(|o| (0.0099..0.0104).contains(&o.length())));
/// # Ok::<(), tin_cloak_core::bind::BindError>(())
/// ```
///
/// # Errors
/// When the system cannot be factored.
pub fn carry_shapes(
    piece: OnTop,
    beneath: Covering,
    shapes: &[Vec<Vec3>],
) -> Result<Vec<Vec<Vec3>>, BindError> {
    let OnTop { target, rigid, .. } = piece;
    let settings = MatchSettings::for_target(target);
    let triangles = &beneath.side.topology.triangles;
    let places = target.positions.par_iter().zip(&target.normals).with_min_len(256).map(|(&p, &normal)| {
        let hit = beneath.posed.tree.closest(p, f32::INFINITY)?;
        let corners = triangles[hit.triangle as usize];
        let there: Vec3 = mix(corners, hit.barycentric, |v| beneath.posed.normals[v as usize]);
        let near = hit.distance_squared <= settings.distance * settings.distance;
        let accepted = near && normal.dot(there.normalize_or_zero()) >= settings.min_cosine;
        Some((corners, hit.barycentric, accepted))
    });
    let places: Vec<_> = places.collect();
    let at = |shape: &Vec<Vec3>, place: &Option<([u32; 3], [f32; 3], bool)>| match place {
        Some((corners, shares, _)) => mix(*corners, *shares, |v| shape[v as usize]),
        None => Vec3::ZERO,
    };
    let mut carried: Vec<Vec<Vec3>> =
        shapes.iter().map(|shape| places.iter().map(|place| at(shape, place)).collect()).collect();
    let accepted = places.iter().map(|p| p.is_some_and(|p| p.2)).collect();
    fill_offsets(target, accepted, &mut carried)?;
    let rest_gaps = gaps(&piece, beneath, target.positions);
    carried.par_iter_mut().zip(shapes).for_each(|(offsets, shape)| {
        if shape.iter().all(|o| *o == Vec3::ZERO) {
            offsets.fill(Vec3::ZERO);
            return;
        }
        let mut shaped: Vec<Vec3> = target.positions.iter().zip(&*offsets).map(|(p, o)| *p + *o).collect();
        keep_rigid(rigid, target.positions, &mut shaped, f32::INFINITY);
        keep_clear(&piece, beneath, shape, &rest_gaps, &mut shaped);
        offsets.iter_mut().zip(&shaped).zip(target.positions).for_each(|((o, p), rest)| *o = *p - *rest);
    });
    Ok(carried)
}

fn gaps(piece: &OnTop, beneath: Covering, positions: &[Vec3]) -> Vec<Option<Gap>> {
    let side = &piece.side.topology;
    let mut normals = vec![Vec3::ZERO; positions.len()];
    vertex_normals_into(positions, &side.triangles, &side.incident, &mut normals);
    beneath.gaps(positions, &normals, REACH)
}

/// Lifts the piece until its gaps over what lies beneath in its shape are as at rest.
fn keep_clear(piece: &OnTop, beneath: Covering, shape: &[Vec3], rest: &[Option<Gap>], shaped: &mut [Vec3]) {
    let positions: Vec<Vec3> = beneath.positions.iter().zip(shape).map(|(p, o)| *p + *o).collect();
    let posed = beneath.side.pose(&positions);
    let beneath = Covering { side: beneath.side, posed: &posed, positions: &positions };
    let wanted: Vec<Option<f32>> = rest.iter().map(|g| g.map(|g| g.clearance - piece.tolerance)).collect();
    let OnTop { target, side, rigid, .. } = *piece;
    let own = PieceSurface { start: target.positions, side, topology: target.topology, rigid };
    let everywhere = vec![true; shaped.len()];
    lifted(own, &|at| gaps(piece, beneath, at), &wanted, &everywhere, shaped);
}

/// The gaps of a piece with its vertices elsewhere.
pub(crate) type FindGaps<'a> = &'a dyn Fn(&[Vec3]) -> Vec<Option<Gap>>;

/// Lifts the `chosen` vertices of a piece along the normal beneath until no gap that `find` finds is narrower than
/// `wanted`.
pub(crate) fn lifted(
    piece: PieceSurface,
    find: FindGaps,
    wanted: &[Option<f32>],
    chosen: &[bool],
    shaped: &mut [Vec3],
) {
    let PieceSurface { start, side, topology, rigid } = piece;
    let follows = side.measured_partners(start);
    for round in 0..ROUNDS {
        let now = find(shaped);
        let need = |(v, measured): (usize, &u32)| match (wanted[*measured as usize], now[*measured as usize])
        {
            (Some(wanted), Some(is)) if chosen[v] => is.normal * (wanted - is.clearance).max(0.0),
            _ => Vec3::ZERO,
        };
        let needs: Vec<Vec3> = follows.iter().enumerate().map(need).collect();
        if needs.iter().all(|n| n.length() < 1e-5) {
            break;
        }
        let field = if round == 0 { evened(topology, &needs, chosen) } else { needs };
        shaped.iter_mut().zip(&field).for_each(|(p, d)| *p += *d);
        keep_rigid(rigid, start, shaped, f32::INFINITY);
    }
}
