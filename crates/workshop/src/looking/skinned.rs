//! What the graphics card needs to pose a fitting by itself: parts at rest with their weights once, and
//! matrices for every pose. It draws with them; every figure is the server's.

use crate::dress::room::Room;
use crate::error::WorkshopError;
use crate::history::workshop::Workshop;
use crate::looking::maps::MapKind;
use crate::looking::view::ViewRequest;
use crate::measuring::cells::{cells_of, PoseCells};
use crate::state::fitting::FittingState;
use crate::state::key::Key;
use crate::state::trial_plan::{Frames, TrialPlan};
use crate::state::turn::Turn;
use glam::Vec3;
use tin_cloak_core::deform::Morph;
use tin_cloak_core::mend::TrialPose;
use tin_cloak_core::mesh::Weld;
use tin_cloak_core::skin::Skin;

/// Most joints that move a vertex as it is drawn.
const MOST_JOINTS: usize = 8;

/// A part at rest, vertex by vertex of its file.
#[derive(Clone, Debug)]
pub struct SkinnedPart {
    /// Metres.
    pub positions: Vec<Vec3>,
    /// Unit.
    pub normals: Vec<Vec3>,
    /// Its weights; none when it is not bound and stays as it is.
    pub skin: Option<Skin>,
    /// Shapes that poses drive: vertices, and how far each goes, metres.
    pub shapes: Vec<(Vec<u32>, Vec<Vec3>)>,
}

/// A motion to be played: seconds, and the pose then.
pub type Played = Vec<(f32, TrialPose)>;

/// The number of a part, and the value of each vertex of its file where it has a map.
pub type PartMap = (u32, Option<Vec<f32>>);

/// So many poses of a motion are sent a second, and at most in all.
const RATE: u32 = 30;
const MOST_POSES: usize = 2400;

/// Still poses follow each other in this time, seconds.
const STILL_STEP: f32 = 0.25;

impl Room {
    /// A part by number, 0 for the body.
    ///
    /// # Errors
    /// When it is not there.
    pub fn skinned_part(&self, part: u32) -> Result<SkinnedPart, WorkshopError> {
        let body = &self.dress.body;
        if part == 0 {
            let weld = &body.topology.weld;
            let positions = weld.scatter(&body.rest);
            return Ok(SkinnedPart {
                normals: body.shading.normals(&positions),
                positions,
                skin: Some(drawn(&body.welded_skin.scatter(weld))),
                shapes: body.welded_morphs.iter().map(|m| drawn_shape(m, weld)).collect(),
            });
        }
        let piece = &self.dress.pieces[self.find(part)?];
        let weld = &piece.topology.weld;
        let positions = weld.scatter(&piece.rest);
        Ok(SkinnedPart {
            normals: piece.shading.normals(&positions),
            positions,
            skin: piece.bound.as_ref().map(|b| drawn(&b.skin.scatter(weld))),
            shapes: self.dress.shapes_of(self.find(part)?).iter().map(|m| drawn_shape(m, weld)).collect(),
        })
    }

    /// Tells one rest shape with its weights from another.
    pub fn skin_key(&self, index: Option<usize>) -> String {
        let key = match index {
            None => {
                let tucks: Vec<_> = self.state.tucks_on().collect();
                Key::begin("drawn").and_key(self.contents.body_mesh).and(&tucks)
            }
            Some(i) => {
                let state = self.piece_state(i);
                let key = Key::begin("drawn").and_key(self.contents.shapes[i]);
                key.and(&(&state.bound, &state.carried, &state.correctives, self.dress.shape_numbers(i)))
            }
        };
        key.end().bytes()[..8].iter().map(|b| format!("{b:02x}")).collect()
    }

    /// Matrices and amounts of a trial pose with joints turned by hand.
    ///
    /// # Errors
    /// When the pose or a joint is not there.
    pub fn joints_in(&self, pose: usize, turns: &[Turn]) -> Result<TrialPose, WorkshopError> {
        let (turned, body) = (self.pose_of(pose, turns)?, &self.dress.body);
        let amounts = self.trials.trials[pose].amounts(body, &turned);
        Ok(TrialPose { matrices: body.skeleton.skin_matrices(&turned), amounts })
    }

    /// The same with shapes of the body called up by hand: number and amount.
    ///
    /// # Errors
    /// When the pose, a joint or a shape is not there, or an amount makes no sense.
    pub fn pose_with(
        &self,
        pose: usize,
        turns: &[Turn],
        shapes: &[(usize, f32)],
    ) -> Result<TrialPose, WorkshopError> {
        let mut pose = self.joints_in(pose, turns)?;
        let own = self.dress.body.own_shapes().len();
        for &(shape, amount) in shapes {
            if shape >= own {
                return Err(WorkshopError::Missing { what: "shape", id: shape as i64 });
            }
            if !(-1.0..=2.0).contains(&amount) {
                return Err(WorkshopError::BadAmount);
            }
            pose.amounts.resize(pose.amounts.len().max(own), 0.0);
            pose.amounts[shape] += amount;
        }
        Ok(pose)
    }

    /// The map of each part in a pose, vertex by vertex of its file: its number, and the values.
    fn maps_in(
        &self,
        request: &ViewRequest,
        known: Option<&PoseCells>,
    ) -> Result<Vec<PartMap>, WorkshopError> {
        let maps = self.welded_maps(request, known)?;
        let one = |(i, map): (usize, Option<Vec<f32>>)| match i.checked_sub(1) {
            None => (0, map.map(|m| self.dress.body.topology.weld.scatter(&m))),
            Some(p) => {
                let weld = &self.dress.pieces[p].topology.weld;
                (self.piece_state(p).id, map.map(|m| weld.scatter(&m)))
            }
        };
        Ok(maps.into_iter().enumerate().map(one).collect())
    }
}

fn drawn_shape(shape: &Morph, weld: &Weld) -> (Vec<u32>, Vec<Vec3>) {
    let dense = weld.scatter(&shape.to_dense(weld.count()));
    (0u32..).zip(dense).filter(|(_, offset)| *offset != Vec3::ZERO).unzip()
}

fn drawn(skin: &Skin) -> Skin {
    if skin.stride() > MOST_JOINTS {
        skin.limit(MOST_JOINTS)
    } else {
        skin.clone()
    }
}

impl Workshop {
    /// The map of each part of a fitting (as of a step) in a pose: its number, and the values. What the board
    /// knows of the pose is not asked again.
    ///
    /// # Errors
    /// When the fitting, the pose or the joint is not there.
    pub fn maps(
        &self,
        fitting: i64,
        step: Option<i64>,
        request: &ViewRequest,
    ) -> Result<Vec<PartMap>, WorkshopError> {
        let room = self.room(fitting, step)?;
        let may_know = request.map == MapKind::Clearance && request.is_as_tried() && room.is_measurable();
        let known = may_know.then(|| cells_of(&room, self.kept(), request.pose)).transpose()?.flatten();
        room.maps_in(request, known.as_ref())
    }

    /// The poses of a group as a motion: a clip at 30 poses a second, still poses one after the other.
    ///
    /// # Errors
    /// When the fitting is not there or a file cannot be read.
    pub fn played(&self, fitting: i64, group: &str) -> Result<Played, WorkshopError> {
        let room = self.room(fitting, None)?;
        let body = &room.dress.body;
        let is_still = room.trials.trials.iter().any(|t| t.group == group && t.is_still);
        let set = if is_still {
            room.trials.clone()
        } else {
            let plan = TrialPlan { frames: Frames::Rate(RATE), ..room.state.plan.clone() };
            let state = FittingState { plan, ..room.state.clone() };
            self.decoder.trials(&self.store, &state, (body, &[]))?
        };
        let trials: Vec<_> = set.trials.iter().filter(|t| t.group == group).collect();
        let step = trials.len().div_ceil(MOST_POSES).max(1);
        let one = |(n, t): (usize, &&crate::dress::trials::Trial)| {
            let matrices = body.skeleton.skin_matrices(&t.pose);
            let time = if is_still { n as f32 * STILL_STEP } else { t.time };
            (time, TrialPose { matrices, amounts: t.amounts(body, &t.pose) })
        };
        Ok(trials.iter().enumerate().step_by(step).map(one).collect())
    }
}
