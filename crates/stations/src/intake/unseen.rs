//! Faces of a piece that nobody will see.

use crate::intake::finding::{Finding, Grade};
use tin_cloak_core::intake::unseen_faces;
use tin_cloak_model::dress::body::Body;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::state::step::{IntakeStep, Step};

/// Faces of a piece, by their number there, that nobody will see.
pub fn unseen(body: &Body, piece: &Piece) -> Vec<u32> {
    unseen_faces(&piece.topology, &piece.rest, &body.rest, &body.topology.triangles)
}

/// Fewer than this share of the faces are not worth a step.
const WORTH_LEAVING_OUT: f32 = 0.05;

pub fn unseen_of(body: &Body, piece: &Piece, id: u32) -> Option<Finding> {
    let faces = unseen(body, piece);
    let all = piece.topology.triangles.len();
    let share = faces.len() as f32 / all as f32;
    if share < WORTH_LEAVING_OUT || faces.len() == all {
        return None;
    }
    let text = format!(
        "{} of its {all} faces ({:.0} %) are hidden at rest by the body or the piece itself, and only make \
         work: poses may bare some of them",
        faces.len(),
        share * 100.0
    );
    let place = piece.rest[piece.topology.triangles[faces[0] as usize][0] as usize];
    let step = Step::Intake(IntakeStep::LeaveOutUnseen { piece: id });
    Some(Finding::new(Grade::Note, text).at(place).cured_by("Leave them out", step))
}
