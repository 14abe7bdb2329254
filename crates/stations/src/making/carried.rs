//! Points carried along with a surface that moves.

use glam::{Mat3, Vec3};
use tin_cloak_core::mesh::Alignment;
use tin_cloak_model::dress::piece::Piece;

/// What becomes of the shapes of a piece that is moved.
pub enum Turned {
    /// They stay as they are: the piece was shifted, or its surface changed a little.
    Not,
    /// All of the piece was turned and sized.
    By(Mat3),
    /// Each vertex as its surroundings were.
    Locally,
}

impl Turned {
    /// The offsets of all shapes of `piece` with its vertices at `rest`, shape by shape; none when they
    /// are what they were.
    pub fn offsets(&self, piece: &Piece, rest: &[Vec3]) -> Option<Vec<Vec3>> {
        let about = |v: u32| match self {
            Self::By(linear) => *linear,
            _ => local_turn(piece, v, rest),
        };
        let unchanged = match self {
            Self::Not => true,
            Self::By(linear) => *linear == Mat3::IDENTITY,
            Self::Locally => false,
        };
        if unchanged || piece.shapes.is_empty() {
            return None;
        }
        let turned = piece.shapes.iter().map(|s| s.turned(|v, offset| about(v) * offset));
        Some(turned.flat_map(|s| s.to_dense(rest.len())).collect())
    }
}

/// The turn and size that take a vertex and its neighbours closest to where they go.
fn local_turn(piece: &Piece, v: u32, rest: &[Vec3]) -> Mat3 {
    let around = piece.topology.neighbours.row(v as usize).iter().chain([&v]);
    let near: Vec<usize> = around.map(|n| *n as usize).collect();
    let pick = |list: &[Vec3]| -> Vec<Vec3> { near.iter().map(|&n| list[n]).collect() };
    Mat3::from_mat4(Alignment::between(&pick(&piece.rest), &pick(rest)).matrix())
}

/// Where a point goes with vertices that move: as the similarity (turn, size and shift) that takes
/// the nearest of them closest to where they go.
pub fn carried_along(point: Vec3, before: &[Vec3], after: &[Vec3]) -> Vec3 {
    const NEAREST: usize = 24;
    let mut near: Vec<u32> = (0..before.len() as u32).collect();
    let far = |v: &u32| before[*v as usize].distance_squared(point);
    if near.len() > NEAREST {
        near.select_nth_unstable_by(NEAREST, |a, b| far(a).total_cmp(&far(b)).then(a.cmp(b)));
        near.truncate(NEAREST);
        near.sort_unstable();
    }
    let pick = |list: &[Vec3]| -> Vec<Vec3> { near.iter().map(|&v| list[v as usize]).collect() };
    let (from, to) = (pick(before), pick(after));
    if from == to {
        return point;
    }
    Alignment::between(&from, &to).matrix().transform_point3(point)
}
