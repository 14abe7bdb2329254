//! Clearance: what pokes through what, by how many millimetres, in a pose.
//!
//! The definitions:
//! * an inner vertex is *covered* by an outer piece when, bound and at rest, its outward ray
//!   meets the outer piece within reach, or it already pokes through it by at most 20 mm;
//! * its *clearance* in a pose is the signed distance to the nearest point of the posed outer
//!   piece whose outward normal agrees with its own (dot > 0), positive when it lies beneath;
//!   a nearest point on an open edge (hem, cuff) does not count, and where it says that the
//!   vertex is out, neither does one further away than such an edge: beyond a hem the nearest
//!   agreeing point lies somewhere else on the piece;
//! * where the nearest agreeing point says that the vertex is out, but the place on the outer
//!   piece that covered it at rest is in its straight sight from the inside, it is beneath still
//!   and does not count (a hem that swings with the thigh while the belly folds behind it);
//! * an outer vertex is *sunk* when it lies inside the inner layer by the same signed distance;
//! * where the sign says sunk, the winding number of the inner layer must agree: a point that
//!   it does not wrap is not inside it; nor is one that has in its straight sight, from the outside,
//!   the middle of the face that was nearest at rest;
//! * a poking or sunk vertex that other cloth or skin hides from every side (the layers
//!   together wrap it by one half or more, folds of the pair's own layers included) is *buried*
//!   and counted apart; so is one to which no straight look leads (of 64 directions spread evenly
//!   over the sphere, those above the surface are tried; for a sunk vertex the inner surface over
//!   it is what would be seen);
//! * a poking or sunk vertex counts only where it is reached through a crossing: joined over vertices on
//!   the wrong side to faces of the two layers that run through each other, not round an open edge (a
//!   hand bent over its cuff); a part all of which lies on the wrong side counts too;
//! * a small part that was not asked at rest and is bounded by faces that cross (a spike through a big face)
//!   counts as far as it is from the other layer;
//! * a stretch of an edge between two places where it runs through the other layer is asked like a vertex:
//!   where both layers are coarse, what pokes may lie between vertices;
//! * what is wrong at rest already is told of rest; of another pose only what it adds to that;
//! * a double-walled piece is measured by the wall that faces what lies beneath.

mod ask;
mod bounded_parts;
mod cause;
mod coverage;
mod crossing;
mod edge_penetration;
mod face_kinds;
mod floor;
mod measure;
mod neighbourhood;
mod occlusion;
mod outfit;
mod outward;
mod patches;
mod penetration;
mod penetration_depth;
mod place;
mod posed_layers;
mod reached;
pub mod rigid_groups;
mod side;
mod snag;
mod strain;
mod visibility;
mod walls;

pub use ask::{ask_pairs, Asked, PairPoints};
pub use cause::{rank_causes, Cause};
pub use coverage::{covered_vertices, CoverageSettings, Covering};
pub use crossing::{meeting_faces, AtRest, Crossing, InsideSpot};
pub use edge_penetration::EdgeSpot;
pub use floor::{beneath, BelowFloor, Floor};
pub use measure::{measure_pose, stiffness, strain, PairMeasure, PoseMeasure, Settings, Spot};
pub use neighbourhood::Neighbourhood;
pub use occlusion::{faces_within, never_seen, HiddenBy, LookedAt, LookingAt};
pub use outfit::{pairs_to_ask, Coverage, Layer, Outfit, Pair};
pub use penetration::{sum_up, InPose, Penetration, PenetrationSpot, Sight};
pub use penetration_depth::{way_out, WayOut};
pub use place::{Place, PlaceGap};
pub use posed_layers::{Buffers, PosedLayer, FEW};
pub use side::{PosedSide, Side};
pub use snag::{snags, Snag};
pub use strain::{stiffness_error, vertex_strains, worst_strain};
pub(crate) use visibility::look_directions;
pub use visibility::looks;
pub use walls::{settle_walls, BodySurface, LayerFaces, Walls};
