//! The connected parts of a piece, with a guess what each is.

use super::surface::is_open;
use crate::mesh::{bounds, triangle_area, Topology};
use glam::Vec3;

/// What a part looks like.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ShellGuess {
    /// Open, or thin and large: bends with the body.
    Cloth,
    /// Closed with walls: a plate, a frame.
    Stiff,
    /// Closed and small: a button, a buckle, a rivet.
    Button,
}

/// A connected part.
#[derive(Clone, Debug, PartialEq)]
pub struct Shell {
    /// Its vertices.
    pub vertices: usize,
    /// Its faces.
    pub faces: usize,
    /// Area, square metres.
    pub area: f32,
    /// Size of its box, metres.
    pub size: Vec3,
    /// Middle of its box, metres.
    pub middle: Vec3,
    /// True when it has no open edge.
    pub closed: bool,
    /// What it looks like.
    pub guess: ShellGuess,
}

/// A closed part no larger than this in any direction is taken for a button, metres.
const BUTTON: f32 = 0.04;

/// The parts of a piece (`positions` welded, metres), in the order of their numbers.
///
/// ```
/// use tin_cloak_core::intake::{shells, ShellGuess};
/// use tin_cloak_core::shapes::{joined, moved, sphere, tube};
/// use tin_cloak_core::{glam::Vec3, mesh::Topology};
///
/// // A sleeve with a button.
/// let button = moved(sphere(0.008, 8), Vec3::X * 0.07);
/// let (positions, triangles) = joined(tube(0.06, -0.2, 0.2, 16, 16, 1.0), button);
/// let parts = shells(&Topology::of_welded(positions.len(), &triangles), &positions);
/// assert_eq!((parts[0].closed, parts[1].closed), (false, true));
/// assert_eq!((parts[0].guess, parts[1].guess), (ShellGuess::Cloth, ShellGuess::Button));
/// ```
pub fn shells(topology: &Topology, positions: &[Vec3]) -> Vec<Shell> {
    let mut members: Vec<Vec<Vec3>> = vec![Vec::new(); topology.shells];
    for (v, p) in positions.iter().enumerate() {
        members[topology.shell_of_vertex[v] as usize].push(*p);
    }
    let mut list: Vec<Shell> = members
        .iter()
        .map(|points| {
            let (low, high) = bounds(points);
            let (size, middle) = (high - low, (low + high) * 0.5);
            let guess = ShellGuess::Cloth;
            Shell { vertices: points.len(), faces: 0, area: 0.0, size, middle, closed: true, guess }
        })
        .collect();
    for (t, across) in topology.triangles.iter().zip(&topology.across) {
        let shell = &mut list[topology.shell_of_vertex[t[0] as usize] as usize];
        shell.faces += 1;
        shell.area += triangle_area(positions, *t);
        shell.closed &= !is_open(across);
    }
    for shell in &mut list {
        shell.guess = match shell.closed {
            true if shell.size.max_element() <= BUTTON => ShellGuess::Button,
            true => ShellGuess::Stiff,
            false => ShellGuess::Cloth,
        };
    }
    list
}
