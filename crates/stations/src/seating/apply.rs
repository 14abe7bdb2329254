//! What steps on where a piece sits and what its shape is do.

use crate::making::doing::Doing;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::step::SeatingStep;

impl Doing<'_> {
    /// Changes the draft as `step` says; the answer is its sentence.
    pub fn apply_seating(&mut self, step: &SeatingStep) -> Result<String, WorkshopError> {
        match step {
            SeatingStep::Mirror { piece } => self.mirror(*piece),
            SeatingStep::CopyMirrored { piece } => self.copy_mirrored(*piece),
            SeatingStep::Place { piece, options } => self.place(*piece, *options),
            SeatingStep::FindPose { piece } => self.find_pose(*piece),
            SeatingStep::SeatFromPose { piece, pose, turns } => self.seat_from_pose(*piece, *pose, turns),
            SeatingStep::Ease { piece, chosen, options } => self.ease(*piece, chosen, *options),
            SeatingStep::Relax { piece, chosen, options, shape } => {
                self.relax(*piece, chosen, *options, shape.as_deref())
            }
            SeatingStep::MoveChosen { piece, chosen, options, in_pose, into_shape } => {
                self.move_chosen(*piece, chosen, *options, in_pose.as_ref(), into_shape.as_deref())
            }
            SeatingStep::OtherSide { piece, chosen, options } => self.other_side(*piece, chosen, options),
            SeatingStep::Brush { piece, stroke } => self.brush(*piece, stroke),
            SeatingStep::WearShape { piece, shape, amount } => self.wear_shape(*piece, *shape, *amount),
            SeatingStep::FollowShapes { pieces, follow, shapes } => {
                self.follow_shapes(pieces, *follow, shapes)
            }
        }
    }
}
