//! A cage made round layers: a closed shell at a distance.

use crate::mesh::{self, bounds, Topology};
use crate::query::{Bvh, WindingField};
use fast_surface_nets::ndshape::{RuntimeShape, Shape};
use fast_surface_nets::{surface_nets, SurfaceNetsBuffer};
use glam::Vec3;
use rayon::prelude::*;

/// How a cage is made.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct CageSize {
    /// How far off the layers it lies, metres.
    pub offset: f32,
    /// Size of its faces, metres.
    pub cell: f32,
}

/// What is inside the body no further than this from the layers is inside the cage, metres.
const WITHIN: f32 = 0.2;
/// Rounds of evening out.
const ROUNDS: usize = 3;
/// More cells than this are not sampled.
const MOST_CELLS: f32 = 8e6;

/// A closed mesh, even and coarse, round `layers` (positions in metres and triangles) and what they
/// cover of the `body`: nothing of it runs between a layer and the skin. None when `size` makes no
/// sense for them.
///
/// Surface nets (Gibson, “Constrained elastic surface nets”, 1998) of the distance to the layers.
///
/// ```
/// use tin_cloak_core::bind::{cage_around, CageSize};
/// use tin_cloak_core::shapes::sphere;
///
/// let (body, shirt) = (sphere(0.10, 24), sphere(0.11, 24));
/// let size = CageSize { offset: 0.02, cell: 0.01 };
/// let (cage, _) = cage_around(&[(&shirt.0, &shirt.1)], &body.0, &body.1, size).unwrap();
/// assert!(cage.iter().all(|p| (p.length() - 0.13).abs() < 0.005));
/// ```
pub fn cage_around(
    layers: &[(&[Vec3], &[[u32; 3]])],
    body: &[Vec3],
    body_triangles: &[[u32; 3]],
    size: CageSize,
) -> Option<(Vec<Vec3>, Vec<[u32; 3]>)> {
    let mut points = Vec::new();
    let mut triangles = Vec::new();
    for (positions, faces) in layers {
        let first = points.len() as u32;
        points.extend_from_slice(positions);
        triangles.extend(faces.iter().map(|t| t.map(|v| v + first)));
    }
    let (low, high) = bounds(&points);
    let margin = Vec3::splat(size.offset + 2.0 * size.cell);
    let extent = high - low + 2.0 * margin;
    let sane = size.cell > 1e-4 && size.offset > 0.0 && extent.is_finite();
    if !sane || triangles.is_empty() || (extent / size.cell).element_product() > MOST_CELLS {
        return None;
    }
    let layers = Bvh::build(&points, &triangles);
    let skin = Bvh::build(body, body_triangles);
    let inside = WindingField::new(&skin);
    let count = (extent / size.cell).ceil().as_uvec3() + 1;
    let shape = RuntimeShape::<u32, 3>::new(count.to_array());
    let origin = low - margin;
    let at = |i: [u32; 3]| origin + Vec3::new(i[0] as f32, i[1] as f32, i[2] as f32) * size.cell;
    let field = |p: Vec3| {
        let Some(hit) = layers.closest(p, WITHIN) else { return WITHIN };
        let off = hit.distance_squared.sqrt() - size.offset;
        // Within the body nothing is outside.
        if off > 0.0 && inside.at(p) > 0.5 {
            -size.cell
        } else {
            off
        }
    };
    // The body goes on where the layers end: the cage is closed there. The nets make no faces on
    // the last cells.
    let at_edge = |i: [u32; 3]| (0..3).any(|k| i[k] == 0 || i[k] + 2 >= count[k]);
    let sample = |i: u32| {
        let place = shape.delinearize(i);
        if at_edge(place) {
            1.0
        } else {
            field(at(place)) / size.cell
        }
    };
    let samples: Vec<f32> = (0..shape.size()).into_par_iter().map(sample).collect();
    let mut buffer = SurfaceNetsBuffer::default();
    surface_nets(&samples, &shape, [0; 3], (count - 1).to_array(), &mut buffer);
    let positions: Vec<Vec3> =
        buffer.positions.iter().map(|p| origin + Vec3::from_array(*p) * size.cell).collect();
    let triangles: Vec<[u32; 3]> = buffer.indices.chunks_exact(3).map(|t| [t[0], t[1], t[2]]).collect();
    let (mut positions, triangles) = without_crumbs(positions, triangles);
    even_out(&mut positions, &triangles);
    (!triangles.is_empty()).then_some((positions, triangles))
}

/// Without shells of less than a twentieth of the largest one's vertices.
fn without_crumbs(positions: Vec<Vec3>, triangles: Vec<[u32; 3]>) -> (Vec<Vec3>, Vec<[u32; 3]>) {
    let topology = Topology::of_welded(positions.len(), &triangles);
    let mut sizes = vec![0usize; topology.shells];
    topology.shell_of_vertex.iter().for_each(|&s| sizes[s as usize] += 1);
    let largest = sizes.iter().copied().max().unwrap_or(0);
    let stays = |v: u32| sizes[topology.shell_of_vertex[v as usize] as usize] * 20 >= largest;
    let mut new_of = vec![u32::MAX; positions.len()];
    let mut kept = Vec::new();
    for (v, p) in (0u32..).zip(positions).filter(|(v, _)| stays(*v)) {
        new_of[v as usize] = kept.len() as u32;
        kept.push(p);
    }
    let triangles = triangles.into_iter().filter(|t| stays(t[0]));
    (kept, triangles.map(|t| t.map(|v| new_of[v as usize])).collect())
}

/// Draws every vertex towards the mean of its neighbours and puts the size back (Taubin, “A signal
/// processing approach to fair surface design”, 1995).
fn even_out(positions: &mut Vec<Vec3>, triangles: &[[u32; 3]]) {
    let topology = Topology::of_welded(positions.len(), triangles);
    mesh::even_out(&topology.neighbours, positions, &[0.5, -0.53].repeat(ROUNDS));
}
