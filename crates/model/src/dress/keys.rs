//! What of a state settles which derived value. Every field is sorted here by name: one that is added does not
//! compile until it is, too.

use crate::dress::body::Body;
use crate::dress::figure_shapes::OwnShape;
use crate::state::corrective::Corrective;
use crate::state::fitting::{BodyPart, Cut, FittingState, PieceState};
use crate::state::key::Key;
use crate::state::names::{FileRef, PieceId};
use crate::state::own_joint::OwnJoint;
use crate::state::said_driver::SaidDriver;
use crate::state::trial_plan::TrialPlan;
use serde::Serialize;
use tin_cloak_core::intake::{JointRole, Up};
use tin_cloak_formats::PieceKind;
use tin_cloak_store::BlobId;

/// Where the body is at rest: its file, the parts of it, its size, the shapes that it wears.
#[derive(Serialize)]
pub(super) struct BodyRest<'a>(&'a FileRef, &'a [BodyPart], Option<(f32, Up)>, Option<&'a [f32]>);

/// What settles the body.
struct BodyFields<'a> {
    rest: BodyRest<'a>,
    skin: Option<&'a BlobId>,
    roles: &'a [(String, JointRole)],
    drivers: &'a [SaidDriver],
    joints: &'a [OwnJoint],
}

impl<'a> BodyFields<'a> {
    fn new(state: &'a FittingState) -> Self {
        let FittingState {
            body,
            body_parts,
            body_skin,
            body_size,
            body_amounts,
            body_drivers,
            roles,
            joints,
            // What was said of it, and what is chosen on it.
            body_by_hand: _,
            body_patches: _,
            // What hides it and draws it in goes into the keys of what is worn.
            masks: _,
            tucks: _,
            body_correctives: _,
            pieces: _,
            next_piece: _,
            // What it is tried in, and how that is judged.
            tolerance_mm: _,
            motions: _,
            poses: _,
            ranges: _,
            plan: _,
        } = state;
        let rest = BodyRest(body, body_parts, *body_size, body_amounts.as_deref());
        Self { rest, skin: body_skin.as_ref(), roles, drivers: body_drivers, joints }
    }
}

/// What settles a piece.
pub(super) struct PieceFields<'a> {
    /// Its vertices at rest.
    shape: (&'a FileRef, &'a Cut, [&'a Option<BlobId>; 3], &'a [f32]),
    /// How they move.
    pub moves: (&'a Option<BlobId>, &'a Option<BlobId>),
    /// What it does when joints are turned.
    pub correctives: &'a [Corrective],
    /// What it is taken for: its number, where it lies in the pile, and which parts of it are stiff.
    pub filed: (PieceId, u16, PieceKind, &'a [(u32, bool)], bool),
}

impl<'a> PieceFields<'a> {
    pub fn new(piece: &'a PieceState) -> Self {
        let PieceState {
            id,
            source,
            cut,
            layer,
            kind,
            shells,
            cage,
            amounts,
            shapes,
            carried,
            correctives,
            rest,
            bound,
            // What it is called is in the key of a plan; how it came to its weights is told, not measured.
            own_name: _,
            place: _,
            recipe: _,
            cleaned: _,
            patches: _,
            bound_on: _,
            took: _,
            follows: _,
            carried_on: _,
            // What it allows goes into the key of the trials.
            limits: _,
        } = piece;
        Self {
            shape: (source, cut, [rest, shapes, carried], amounts),
            moves: (bound, carried),
            correctives,
            filed: (*id, *layer, *kind, shells, *cage),
        }
    }
}

/// All that settles the body, its weights and the roles of its joints.
pub(super) fn body_key(state: &FittingState) -> Key {
    let BodyFields { rest, skin, roles, drivers, joints } = BodyFields::new(state);
    Key::hashed("body", &(rest, skin, roles, drivers, joints))
}

/// All that settles where the body is at rest.
pub(super) fn body_rest(state: &FittingState) -> BodyRest<'_> {
    BodyFields::new(state).rest
}

/// All that settles where the body is at rest, and its weights.
pub(super) fn body_mesh_key(state: &FittingState) -> Key {
    let BodyFields { rest, skin, .. } = BodyFields::new(state);
    Key::hashed("body mesh", &(rest, skin))
}

/// All that settles the shape of a piece and its walls, which go by the body at rest.
pub(super) fn shape_key(state: &FittingState, piece: &PieceState) -> Key {
    Key::hashed("piece", &(PieceFields::new(piece).shape, body_rest(state)))
}

/// All that settles the poses of a state.
pub(super) fn trials_key(state: &FittingState, body: &Body, own: &[OwnShape]) -> Key {
    let TrialPlan {
        frames,
        left_out,
        sweeps,
        random,
        combined,
        body_shapes,
        shapes_in_clips,
        driven_off,
        on_the_way,
        // How what is tried counts.
        counts: _,
        tolerances: _,
        hidden_counts: _,
        taken_off: _,
        ground: _,
    } = &state.plan;
    // Shapes go by number where they are tried, or keyed in a clip.
    let by_number = *body_shapes || *shapes_in_clips || body.clips.iter().any(|c| !c.shapes.is_empty());
    let shapes = if by_number { body.morphs.len() } else { 0 };
    let own = own.iter().filter(|_| by_number).collect::<Vec<_>>();
    let limits: Vec<_> = state.pieces.iter().map(|p| (p.id, &p.limits)).collect();
    let plan = (
        frames,
        left_out,
        sweeps,
        (random, combined),
        (body_shapes, shapes_in_clips),
        driven_off,
        on_the_way,
    );
    let moved = (&state.motions, &state.poses, &state.ranges, limits);
    Key::hashed("trials", &(body_rest(state), (&state.joints, &state.body_drivers), moved, plan, own, shapes))
}
