//! Seating: putting a piece where it belongs before it is bound.

mod articulated_icp;
mod as_rigid_as_possible;
mod brush;
mod carry;
mod carry_shapes;
mod ease;
mod moving;
mod placement;

pub use articulated_icp::{covered_joints, find_pose, FoundPose, Sitting};
pub use as_rigid_as_possible::{relax, shape_change, Relaxed, Relaxing, ShapeChange};
pub use brush::{dab, Brush, Stroke};
pub use carry::{carry_to_rest, rest_from_pose};
pub use carry_shapes::{carry_shapes, OnTop};
pub(crate) use carry_shapes::{lifted, FindGaps};
pub use ease::{ease, Gap, GapWish, PieceSurface};
pub use moving::{
    in_a_mirror, mirror_places, moved_by, places_across, with_mirror_image, Fade, ImagePlace, Move,
};
pub use placement::Placement;
