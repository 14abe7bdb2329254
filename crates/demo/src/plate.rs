//! Plates and small solids of tin.

use crate::remesh::Shape3;
use glam::Vec3;

/// Adds a closed plate: `grid` has places and outward normals on its inside, row by row from below,
/// each of `columns` from right to left as seen from outside.
pub(crate) fn add_plate(shape: &mut Shape3, grid: &[(Vec3, Vec3)], columns: usize, thickness: f32) {
    let first = shape.positions.len() as u32;
    let (across, up) = (columns - 1, grid.len() / columns - 1);
    shape.positions.extend(grid.iter().map(|g| g.0));
    shape.positions.extend(grid.iter().map(|g| g.0 + g.1 * thickness));
    let inner = |r: usize, c: usize| first + (r * columns + c) as u32;
    let outer = |r: usize, c: usize| inner(r, c) + grid.len() as u32;
    let mut quad = |[a, b, c, d]: [u32; 4]| shape.triangles.extend([[a, b, c], [a, c, d]]);
    for r in 0..up {
        for c in 0..across {
            quad([outer(r, c), outer(r, c + 1), outer(r + 1, c + 1), outer(r + 1, c)]);
            quad([inner(r, c + 1), inner(r, c), inner(r + 1, c), inner(r + 1, c + 1)]);
        }
    }
    for c in 0..across {
        quad([inner(0, c), inner(0, c + 1), outer(0, c + 1), outer(0, c)]);
        quad([inner(up, c + 1), inner(up, c), outer(up, c), outer(up, c + 1)]);
    }
    for r in 0..up {
        quad([inner(r + 1, 0), inner(r, 0), outer(r, 0), outer(r + 1, 0)]);
        quad([inner(r, across), inner(r + 1, across), outer(r + 1, across), outer(r, across)]);
    }
}

/// Adds a closed solid over an outline (counter-clockwise as seen from where `out` points to):
/// `thickness` along `out`, its face raised in the middle by `dome`.
pub(crate) fn add_tablet(shape: &mut Shape3, outline: &[Vec3], out: Vec3, thickness: f32, dome: f32) {
    let first = shape.positions.len() as u32;
    let count = outline.len() as u32;
    let middle = outline.iter().sum::<Vec3>() / count as f32;
    shape.positions.extend(outline);
    shape.positions.extend(outline.iter().map(|p| *p + out * thickness));
    shape.positions.extend([middle, middle + out * (thickness + dome)]);
    let (back, face) = (first + 2 * count, first + 2 * count + 1);
    for i in 0..count {
        let (a, b) = (first + i, first + (i + 1) % count);
        shape.triangles.extend([
            [face, a + count, b + count],
            [back, b, a],
            [a, b, b + count],
            [a, b + count, a + count],
        ]);
    }
}
