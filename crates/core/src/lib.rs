//! The rules and the computation of Tin Cloak: meshes, skeletons, weights, posing,
//! binding, clearance and mending.
//!
//! Nothing here reads a file, opens a database or knows a request. Functions take slices
//! and return values; lengths are metres, angles radians and times seconds unless a name
//! says otherwise (`_mm`, `_deg`). The same input gives the same bytes on any number of
//! threads: parallel loops only ever write to the place their index names.

pub mod bind;
pub mod choose;
pub mod clearance;
pub mod deform;
mod driver;
pub mod ids;
pub mod intake;

pub mod mend;
pub mod mesh;
pub mod query;
pub mod regions;
pub mod seat;
pub mod shapes;
pub mod skeleton;
pub mod skin;
pub mod trial;
pub mod units;
pub mod wear;

pub use glam;
pub use ids::{JointId, LayerIndex};
