//! Seating: putting a piece where it belongs before it is bound.

mod brush;
mod carry;
mod carry_shapes;
mod ease;
mod find_pose;
mod placement;
mod relax;

pub use brush::{dab, Brush, Stroke};
pub use carry::{carry_to_rest, rest_from_pose};
pub use carry_shapes::{carry_shapes, OnTop};
pub use ease::{ease, Gap, GapWish};
pub use find_pose::{covered_joints, find_pose, FoundPose, Sitting};
pub use placement::Placement;
pub use relax::{relax, shape_change, Relaxed, Relaxing, ShapeChange};
