//! Left and right of a body and of a piece.

use tin_cloak_core::bind::sides::{joint_sides, leaning, BodySide, SideMark};
use tin_cloak_core::units::from_mm;
use tin_cloak_model::dress::body::Body;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::state::recipe::Recipe;

/// The sides of the body's joints.
pub fn sides_of(body: &Body) -> Vec<BodySide> {
    joint_sides(&body.skeleton, body.plane())
}

/// How far each vertex of a piece leans to the left.
pub fn leaning_of(piece: &Piece, body: &Body, recipe: &Recipe, width_mm: f32) -> Vec<f32> {
    let marks: Vec<SideMark> = recipe
        .sides
        .iter()
        .map(|s| SideMark { vertex: s.vertex, side: s.side, reach: from_mm(s.reach_mm) })
        .collect();
    leaning(&piece.topology, &piece.rest, body.plane(), from_mm(width_mm), &marks)
}
