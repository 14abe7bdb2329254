//! Intake: looking over what came in. Plain figures; the sentences are said elsewhere.

mod bends;
mod came_back;
mod pile;
mod place;
mod roles;
mod shells;
mod strays;
mod surface;
mod symmetry;
mod units;
mod unseen;
mod uvs;
mod weights;

pub use bends::{coarse_bends, CoarseBend, ROWS_WANTED};
pub use came_back::{came_back, CameBack, OldPlace, Shape};
pub use pile::{guess_layers, Piled};
pub use place::{guess_place, Place};
pub use roles::{joint_roles, mirror_partner, move_weight_off, JointFacts, JointRole, Moved};
pub use shells::{shells, Shell, ShellGuess};
pub use strays::strays;
pub use surface::{look_over, Opening, SurfaceFacts};
pub use symmetry::{symmetry, Symmetry};
pub use units::{guess_body_size, guess_units, UnitGuess, Up};
pub use unseen::unseen_faces;
pub use uvs::{look_over_uvs, UvFacts};
pub use weights::{mend_weights, WeightFaults};
