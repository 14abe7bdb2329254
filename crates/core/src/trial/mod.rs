//! Trials: the poses an outfit is tried in.

mod aim;
mod clip;
mod combined;
mod driver_fit;
mod hand;
mod humanoid;
mod motion_range;
mod names;
mod pull;
mod range;
pub mod retarget;
mod swing;
mod where_on_body;

pub use aim::PoseBuilder;
pub use clip::{Clip, Interpolation, ShapeTrack, Track, TrackValues};
pub use combined::combined_poses;
pub use driver_fit::{fit_driver, FittedDriver};
pub use hand::Hand;
pub use humanoid::{Humanoid, Limbs};
pub use motion_range::{JointRange, MotionRanges, FREE};
pub use names::{read_name, Helper, NameParts, Role, SideOfBody};
pub use pull::{Pulled, Pulling};
pub use range::{range_poses, NamedPose, RangePoses};
pub use swing::{random_poses, swing_poses, Swing, SwingAxis, UNKNOWN};
