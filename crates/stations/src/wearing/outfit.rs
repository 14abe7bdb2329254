//! The step that puts the outfit of another body on.

use crate::intake::worn_on::WornOnOfRoom;
use crate::making::carried::{carried_along, Turned};
use crate::making::doing::{Doing, Phase};
use crate::wearing::joint_partners::JointPartners;
use crate::wearing::skin_map::SkinMap;
use crate::wearing::taken_over::TakenOver;
use glam::Vec3;
use std::collections::HashMap;
use tin_cloak_core::intake::Place;
use tin_cloak_core::query::Bvh;
use tin_cloak_core::skin::Skin;
use tin_cloak_core::trial::retarget::JointMap;
use tin_cloak_core::units::to_mm;
use tin_cloak_core::wear::{carry_piece, Beneath, Carried, StiffSize, Way, Worn};
use tin_cloak_core::JointId;
use tin_cloak_model::dress::body::Body;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::dress::stiff_parts::rigid_parts;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::blobs::pack_positions;
use tin_cloak_model::state::fitting::KeptPose;
use tin_cloak_model::state::names::PieceId;
use tin_cloak_model::state::own_joint::OwnJoint;
use tin_cloak_model::state::trial_plan::TrialPlan;
use tin_cloak_store::BlobId;

/// What notes begin with that tell of what was lost on the way.
pub const NOT_CARRIED: &str = "not carried: ";

/// Axes of joints are carried by a point so far along them, metres.
const AXIS: f32 = 0.02;

impl Doing<'_> {
    /// Carries all pieces of the fitting whose state is `outfit` to the body of this one, and binds them by their
    /// recipes.
    pub fn wear_outfit(
        &mut self,
        outfit: &BlobId,
        of: &str,
        stiff: StiffSize,
    ) -> Result<String, WorkshopError> {
        let other = self.decoder.open(self.store, outfit)?;
        if other.dress.pieces.is_empty() {
            return Err(WorkshopError::NothingWorn { file: of.to_owned() });
        }
        let phase = Phase { job: self.job, from: 0.0, to: 0.5 };
        self.job.say("finding where its skin lies on this one".to_owned());
        let map = SkinMap::between(&other, self.room, &|s| phase.tell(s))?;
        self.draft.notes.push(map.sentence(of));
        let carried = self.carry_all(&other, &map, stiff)?;
        self.take_over(&other, &map, &carried)?;
        self.bind_taken_over(&other)?;
        let count = carried.len();
        let pieces = if count == 1 { "piece" } else { "pieces" };
        Ok(format!("Put the outfit of {of} on {}: {count} {pieces}", self.room.dress.body.name))
    }

    /// Each piece from the inside out.
    fn carry_all(
        &mut self,
        other: &Room,
        map: &SkinMap,
        stiff: StiffSize,
    ) -> Result<Vec<Carried>, WorkshopError> {
        let (from, to) = (&other.dress.body, &self.room.dress.body);
        let way = Way { matrices: &map.limbs.matrices, field: &map.field, scale: map.limbs.scale };
        let pieces = &other.dress.pieces;
        let mut done: Vec<Carried> = Vec::with_capacity(pieces.len());
        for (index, piece) in pieces.iter().enumerate() {
            if !self.job.tell(0.5 + 0.3 * index as f32 / pieces.len() as f32) {
                return Err(WorkshopError::Stopped);
            }
            self.job.say(piece.name.clone());
            let skin = moved_by(from, piece)?;
            let rigid = rigid_parts(piece);
            let hangs = matches!(other.place_of(index), Place::Held | Place::Hung);
            let worn = Worn {
                rest: &piece.rest,
                topology: &piece.topology,
                side: &piece.walls().towards_body,
                skin: &skin,
                rigid: &rigid,
                stiff: if hangs { StiffSize::Kept } else { stiff },
            };
            let mut beneath = vec![Beneath {
                outside: (from.walls().outside(), &from.rest),
                carried: (to.walls().outside(), &to.rest),
                drift: &[],
            }];
            let lower = pieces.iter().zip(&done).filter(|(p, _)| p.layer < piece.layer && !p.cage);
            beneath.extend(lower.map(|(p, carried)| Beneath {
                outside: (p.walls().outside(), &p.rest),
                carried: (p.walls().outside(), &carried.rest),
                drift: &carried.drift,
            }));
            let fail = |source| WorkshopError::Bind { piece: piece.name.clone(), source };
            let carried = carry_piece(&worn, way, &beneath).map_err(fail)?;
            self.draft.notes.push(told(&piece.name, &carried));
            done.push(carried);
        }
        Ok(done)
    }

    /// What was settled there, here.
    fn take_over(&mut self, other: &Room, map: &SkinMap, carried: &[Carried]) -> Result<(), WorkshopError> {
        let (from, to) = (&other.dress.body, &self.room.dress.body);
        let mut joints = JointPartners::between(from, to, &map.limbs);
        let taken: Vec<&OwnJoint> =
            other.state.joints.iter().filter(|j| to.skeleton.find(&j.name).is_none()).collect();
        taken.iter().for_each(|j| joints.keep(&j.name));
        // On a bare body pieces keep their numbers.
        let more = self.draft.state.next_piece - 1;
        let pieces: HashMap<PieceId, PieceId> =
            other.state.pieces.iter().map(|p| (p.id, p.id + more)).collect();
        self.draft.state.next_piece = other.state.next_piece + more;
        let own = |name: &String| other.state.joints.iter().any(|j| j.name == *name);
        let same_joints =
            from.skeleton.names.iter().filter(|n| !own(n)).all(|n| to.skeleton.find(n).is_some());
        let over = TakenOver { joints: &joints, same_joints, pieces: &pieces };
        for (index, carried) in carried.iter().enumerate() {
            let worn = &other.dress.pieces[index];
            let mut piece = over.piece(other.piece_state(index), &mut self.draft.notes);
            let bare = worn.clone().carrying(None, from);
            let bare = match Turned::Locally.offsets(&bare, &carried.rest) {
                None => bare.without_shapes(&carried.rest),
                Some(offsets) => {
                    piece.shapes = Some(self.draft.keep(pack_positions(&offsets)));
                    bare.with_offsets(&offsets).without_shapes(&carried.rest)
                }
            };
            piece.rest = Some(self.draft.keep(pack_positions(&bare)));
            let own = taken.iter().filter(|j| j.piece == worn.id);
            let own: Vec<OwnJoint> = own.filter_map(|j| joint_carried(j, worn, carried, &over)).collect();
            self.draft.state.joints.extend(own);
            self.draft.state.pieces.push(piece);
        }
        for joint in other.state.joints.iter().filter(|j| to.skeleton.find(&j.name).is_some()) {
            let note =
                format!("{NOT_CARRIED}the joint {} of a piece: the body has one of that name", joint.name);
            self.draft.notes.push(note);
        }
        let lost = [
            (other.state.masks.is_empty(), "what was hidden: hide it again (Mending)"),
            (other.state.tucks.is_empty(), "where the body was drawn in: draw it in again (Mending)"),
            (other.state.body_correctives.is_empty(), "correctives of the body: make them again (Mending)"),
        ];
        let lost = lost.into_iter().filter(|(none, _)| !none);
        self.draft.notes.extend(lost.map(|(_, what)| format!("{NOT_CARRIED}{what}")));
        self.take_over_trials(other, &over);
        Ok(())
    }

    /// Ranges, poses and what else it is tried in.
    fn take_over_trials(&mut self, other: &Room, over: &TakenOver) {
        let (theirs, to) = (&other.state, &self.room.dress.body.skeleton);
        let draft = &mut self.draft.state;
        if self.room.state.pieces.is_empty() {
            draft.tolerance_mm = theirs.tolerance_mm;
            if draft.plan == TrialPlan::default() {
                draft.plan = theirs.plan.clone();
            }
        }
        for range in &theirs.ranges {
            let mut range = range.clone();
            if over.range(&mut range) && draft.ranges.iter().all(|r| r.joint != range.joint) {
                draft.ranges.push(range);
            }
        }
        let from = &other.dress.body.skeleton;
        let Some(map) = JointMap::between(from, to) else { return };
        for kept in &theirs.poses {
            if draft.poses.iter().all(|p| p.name != kept.name) {
                let pose = map.carry(from, to, &kept.pose);
                draft.poses.push(KeptPose { name: kept.name.clone(), pose });
            }
        }
        if !theirs.motions.is_empty() {
            self.draft
                .notes
                .push(format!("{NOT_CARRIED}motions of other files: try them here, too (Trials)"));
        }
    }

    /// Binds what was bound there.
    fn bind_taken_over(&mut self, other: &Room) -> Result<(), WorkshopError> {
        self.job.say("binding".to_owned());
        let blob = |id: &_| self.draft.blob(self.store, id);
        let room = self.decoder.build(self.store, self.draft.state.clone(), &blob)?;
        let more = self.room.state.next_piece - 1;
        let bound = other.state.pieces.iter().filter(|p| p.bound.is_some());
        let bound: Vec<usize> = bound.map(|p| room.find(p.id + more)).collect::<Result<_, _>>()?;
        let Self { store, decoder, job, .. } = *self;
        let mut later = Doing { store, decoder, room: &room, draft: self.draft, job };
        later.bind_in_order(bound, HashMap::new()).map(|_| ())
    }
}

/// The weights that a piece goes along by: its own, else those of the skin nearest to it.
fn moved_by(body: &Body, piece: &Piece) -> Result<Skin, WorkshopError> {
    if let Some(bound) = &piece.bound {
        return Ok(bound.skin.clone());
    }
    let tree = Bvh::build(&body.rest, &body.topology.triangles);
    let row = |p: &Vec3| match tree.closest(*p, f32::INFINITY) {
        Some(hit) => body.welded_skin.at(body.topology.triangles[hit.triangle as usize], hit.barycentric),
        None => vec![(JointId(0), 1.0)],
    };
    let rows: Vec<_> = piece.rest.iter().map(row).collect();
    let fail = |e: tin_cloak_core::skin::SkinError| WorkshopError::Bind {
        piece: piece.name.clone(),
        source: e.into(),
    };
    Skin::from_rows(&rows, body.skeleton.len()).map_err(fail)
}

/// What became of a piece, in words.
fn told(name: &str, carried: &Carried) -> String {
    let Carried { gaps_off: [mean, high], edges: [short, long], newly_sunk, .. } = carried;
    let sunk = match newly_sunk {
        0 => "nothing is sunk that was not".to_owned(),
        1 => "one vertex is sunk that was not".to_owned(),
        n => format!("{n} vertices are sunk that were not"),
    };
    let (mean, high) = (to_mm(*mean), to_mm(*high));
    format!(
        "{name}: gaps {mean:.1} mm off on the mean, {high:.1} mm at 95 %; edges {short:.2} to {long:.2} of what they \
         were; {sunk}"
    )
}

/// A joint of a piece's own, taken along; none where what it hangs from is not here.
fn joint_carried(joint: &OwnJoint, worn: &Piece, carried: &Carried, over: &TakenOver) -> Option<OwnJoint> {
    let parent = over.joints.of(&joint.parent)?.clone();
    let along = |p: Vec3| carried_along(p, &worn.rest, &carried.rest);
    let (place, tip) = (along(joint.place), along(joint.tip));
    let axis = (along(joint.place + joint.axis * AXIS) - place).try_normalize().unwrap_or(joint.axis);
    let piece = over.pieces.get(&joint.piece).copied()?;
    Some(OwnJoint { parent, piece, place, tip, axis, ..joint.clone() })
}
