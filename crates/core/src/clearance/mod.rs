//! Clearance: what pokes through what, by how many millimetres, in a pose.
//!
//! The definitions:
//! * an inner vertex is *covered* by an outer piece when, bound and at rest, its outward ray
//!   meets the outer piece within reach, or it already pokes through it by at most 20 mm;
//! * its *clearance* in a pose is the signed distance to the nearest point of the posed outer
//!   piece whose outward normal agrees with its own (dot > 0), positive when it lies beneath;
//!   a nearest point on an open edge (hem, cuff) does not count, nor does one more than twice
//!   as far away as such an edge;
//! * an outer vertex is *sunk* when it lies inside the inner layer by the same signed distance;
//! * where the sign says sunk, the winding number of the inner layer must agree: a point that
//!   it does not wrap is not inside it;
//! * a poking or sunk vertex that other cloth or skin hides from every side (the layers
//!   together wrap it by one half or more, folds of the pair's own layers included) is *buried*
//!   and counted apart;
//! * a double-walled piece is measured by the wall that faces what lies beneath.

mod cause;
mod coverage;
mod measure;
mod outfit;
mod side;
mod snag;
mod strain;
mod walls;

pub use cause::{rank_causes, Cause};
pub use coverage::{covered_vertices, CoverageSettings, Covering};
pub use measure::{
    measure_pose, measure_pose_pairs, Asked, Buffers, PairMeasure, PairPoints, PoseMeasure, Settings, Spot,
};
pub use outfit::{BufferPool, Layer, Outfit, Pair};
pub use side::{PosedSide, Side};
pub use snag::{snags, Snag};
pub use strain::{stiffness_error, worst_strain};
pub use walls::{settle_walls, Walls};
