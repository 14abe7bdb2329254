//! Correctives by hand: begun empty at a pose, called up from another turn on, more or less of them, and the same on
//! the other side.

use crate::making::doing::Doing;
use crate::mending::correct::CalledUp;
use glam::{Mat3, Vec3};
use tin_cloak_core::deform::{Driver, Morph};
use tin_cloak_core::intake::mirror_partner;
use tin_cloak_core::mend::turns_of;
use tin_cloak_core::seat::{in_a_mirror, mirror_places};
use tin_cloak_core::skeleton::{Pose, Skeleton};
use tin_cloak_core::JointId;
use tin_cloak_model::dress::worn::used_joints;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::corrective::Corrective;
use tin_cloak_model::state::names::{PieceId, BODY};
use tin_cloak_model::state::turn::Turn;

/// A shape that is begun by hand comes in over this share of the turn: sooner it jumps.
const COMES_IN: f32 = 0.5;
/// Less between beginning and whole is a jump, degrees.
const LEAST_SPAN: f32 = 0.5;

impl Doing<'_> {
    /// Gives a part an empty shape that the furthest turn in a pose calls up, of the joints that move it, or that of a
    /// joint.
    pub fn begin_corrective(
        &mut self,
        part: PieceId,
        pose: usize,
        turns: &[Turn],
        joint: Option<&str>,
    ) -> Result<String, WorkshopError> {
        let (bound, _) = self.bound_parts(&[part])?;
        let piece = bound.first().copied();
        let (room, skeleton) = (self.room, &self.room.dress.body.skeleton);
        let said = self.in_pose(Some(pose).filter(|p| *p < room.trials.trials.len()), turns);
        let pose = room.pose_of(pose, turns)?;
        let only = match joint {
            None => None,
            Some(name) => {
                let missing = || WorkshopError::NoSuchJoint { joint: name.to_owned() };
                Some(skeleton.find(name).ok_or_else(missing)?)
            }
        };
        let on = room.weighted(part)?;
        let moves = |joint: &JointId| {
            let moved = skeleton.hanging_from(*joint);
            on.bound.as_ref().is_some_and(|b| used_joints(&b.skin).into_iter().any(|j| moved[j]))
        };
        let may = |(joint, _): &(JointId, Vec3)| only.map_or_else(|| moves(joint), |only| only == *joint);
        let furthest = turns_of(&pose).into_iter().filter(may);
        let furthest = furthest.max_by(|a, b| a.1.length().total_cmp(&b.1.length()).then(b.0.cmp(&a.0)));
        let name = room.dress.layer_name(piece).to_owned();
        let (joint, turn) = furthest.ok_or_else(|| WorkshopError::NoTurnThere { part: name.clone() })?;
        let full = turn.length();
        let driver = Driver { joint, axis: turn / full, from: COMES_IN * full, full };
        let offsets = vec![(piece, vec![Vec3::ZERO; on.rest.len()])];
        *self.draft = self.with_corrective(room, self.draft.clone(), &CalledUp { driver, offsets })?;
        let joint = &skeleton.names[joint.index()];
        self.draft.notes.push(format!(
            "{joint} calls it up, from {:.0}° to {:.0}°: work on it with the brush (Seating), which changes the \
             corrective then",
            driver.from.to_degrees(),
            full.to_degrees()
        ));
        Ok(format!("Begin a corrective of {name}{said}"))
    }

    /// From which turn on a corrective is there, and at which in full, degrees: of all that have it.
    pub fn turn_corrective(
        &mut self,
        name: &str,
        from_degrees: f32,
        full_degrees: f32,
    ) -> Result<String, WorkshopError> {
        let is_sane =
            from_degrees >= 0.0 && from_degrees + LEAST_SPAN <= full_degrees && full_degrees <= 180.0;
        if !is_sane {
            return Err(WorkshopError::BadTurnOfShape);
        }
        let mut known = false;
        let state = &mut self.draft.state;
        let of_pieces = state.pieces.iter_mut().flat_map(|p| &mut p.correctives);
        for made in of_pieces.chain(&mut state.body_correctives).filter(|c| is_turned(c, name)) {
            (made.from, made.full) = (from_degrees.to_radians(), full_degrees.to_radians());
            known = true;
        }
        match known {
            true => {
                Ok(format!("The corrective {name} comes in from {from_degrees:.0}° to {full_degrees:.0}°"))
            }
            false => Err(WorkshopError::NoCorrective { name: name.to_owned() }),
        }
    }

    /// So much of a corrective of a part, 1 for all; none of it takes it away.
    pub fn change_corrective(
        &mut self,
        part: PieceId,
        name: &str,
        share: f32,
    ) -> Result<String, WorkshopError> {
        if !(0.0..=2.0).contains(&share) {
            return Err(WorkshopError::BadAmount);
        }
        let piece = (part != BODY).then(|| self.room.find(part)).transpose()?;
        let of = self.room.dress.layer_name(piece).to_owned();
        let list = self.draft.correctives_of(part)?;
        let mut known = false;
        for made in list.iter_mut().filter(|c| is_turned(c, name)) {
            (made.amount, known) = (share, true);
        }
        list.retain(|c| c.amount > 0.0 || !is_turned(c, name));
        match (known, share) {
            (false, _) => Err(WorkshopError::NoSuchCorrective { piece: of, name: name.to_owned() }),
            (_, 0.0) => Ok(format!("Take the corrective {name} off {of}")),
            _ => Ok(format!("{:.0} % of the corrective {name} on {of}", share * 100.0)),
        }
    }

    /// Whatever has a corrective does the same on its other side, in the turn of the joint there.
    pub fn mirror_corrective(&mut self, name: &str) -> Result<String, WorkshopError> {
        let (room, dress) = (self.room, &self.room.dress);
        let (skeleton, plane) = (&dress.body.skeleton, dress.body.plane());
        let of_body = dress.body.made_shapes().iter().find(|m| m.name == name).map(|m| (None, m));
        let of_pieces = dress.pieces.iter().enumerate().filter_map(|(i, p)| {
            let made = p.correctives.iter().find(|m| m.name == name)?;
            Some((Some(i), &**made))
        });
        let turned = |m: &(Option<usize>, &Morph)| m.1.driver.is_some_and(|d| !d.is_always());
        let list: Vec<(Option<usize>, &Morph)> =
            of_body.into_iter().chain(of_pieces).filter(turned).collect();
        let driver = list.first().and_then(|m| m.1.driver);
        let driver = driver.ok_or_else(|| WorkshopError::NoCorrective { name: name.to_owned() })?;
        let driver = mirrored_driver(skeleton, driver);
        let mut offsets = Vec::new();
        for (piece, shape) in list {
            let (rest, topology) = match piece {
                None => (&dress.body.rest[..], &dress.body.topology),
                Some(i) => (&dress.pieces[i].rest[..], &dress.pieces[i].topology),
            };
            let moves = in_a_mirror(&mirror_places(rest, topology, plane), &shape.to_dense(rest.len()));
            match moves.iter().any(|m| *m != Vec3::ZERO) {
                true => offsets.push((piece, moves)),
                false => self.draft.notes.push(format!(
                    "{} has no mirror image of it: it is on one side only",
                    dress.layer_name(piece)
                )),
            }
        }
        if offsets.is_empty() {
            return Err(WorkshopError::NoMirrorImage { name: name.to_owned() });
        }
        *self.draft = self.with_corrective(room, self.draft.clone(), &CalledUp { driver, offsets })?;
        Ok(format!("Mirror the corrective {name} to {}", skeleton.names[driver.joint.index()]))
    }
}

/// True of a corrective of a name that a turn calls up.
fn is_turned(made: &Corrective, name: &str) -> bool {
    made.by.is_empty() && made.name == name
}

/// The same turn in a mirror, of the joint on the other side; of one in the middle its own.
fn mirrored_driver(skeleton: &Skeleton, driver: Driver) -> Driver {
    let other = mirror_partner(skeleton, driver.joint).unwrap_or(driver.joint);
    let world = skeleton.world(&Pose::rest(skeleton.len()));
    let frame = |joint: JointId| {
        let Mat3 { x_axis, y_axis, z_axis } = Mat3::from_mat4(world[joint.index()]);
        Mat3::from_cols(x_axis.normalize_or_zero(), y_axis.normalize_or_zero(), z_axis.normalize_or_zero())
    };
    let axis = frame(driver.joint) * driver.axis;
    // In a mirror that exchanges left and right a turn goes the other way about what lies in it.
    let axis = Vec3::new(axis.x, -axis.y, -axis.z);
    let axis = (frame(other).transpose() * axis).normalize_or(driver.axis);
    Driver { joint: other, axis, ..driver }
}
