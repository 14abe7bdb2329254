//! Which turn calls up a shape of the body: as a person says it, or as its clips tell.

use crate::making::doing::Doing;
use tin_cloak_core::deform::Morph;
use tin_cloak_core::skeleton::Pose;
use tin_cloak_core::trial::{fit_driver, FittedDriver};
use tin_cloak_model::dress::body::Body;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::said_driver::{CallingTurn, SaidDriver};

impl Doing<'_> {
    pub fn call_up_shape(
        &mut self,
        shape: &str,
        turn: Option<&CallingTurn>,
    ) -> Result<String, WorkshopError> {
        let body = &self.room.dress.body;
        let missing = || WorkshopError::NoShapeToFollow { body: body.name.clone(), shape: shape.to_owned() };
        let number = body.own_shapes().iter().position(|m| m.name == shape).ok_or_else(missing)?;
        if let Some(turn) = turn {
            if body.skeleton.find(&turn.joint).is_none() {
                return Err(WorkshopError::NoSuchJoint { joint: turn.joint.clone() });
            }
            turn.driver(&body.skeleton).ok_or(WorkshopError::BadCallingTurn)?;
            self.check_worn_by_nobody(number, shape)?;
        }
        let said = SaidDriver { shape: shape.to_owned(), turn: turn.cloned() };
        let all = &mut self.draft.state.body_drivers;
        all.retain(|known| known.shape != shape);
        all.push(said);
        Ok(match turn {
            Some(turn) => format!("{}, {shape} is called up by {}", body.name, turn.in_words()),
            None => format!("{}, {shape} is called up by no turn", body.name),
        })
    }

    /// What is part of rest would be added by the pose once more.
    fn check_worn_by_nobody(&self, number: usize, shape: &str) -> Result<(), WorkshopError> {
        let (body, pieces) = (&self.room.dress.body, &self.room.dress.pieces);
        let of_body = body.worn_amounts()[number] != 0.0;
        let own = |p: &&Piece| {
            let mut worn = p.shapes.iter().zip(&p.amounts);
            worn.any(|(m, amount)| m.name == shape && *amount != 0.0)
        };
        let by =
            of_body.then(|| body.name.clone()).or_else(|| pieces.iter().find(own).map(|p| p.name.clone()));
        match by {
            Some(by) => Err(WorkshopError::CalledUpIsWorn { shape: shape.to_owned(), by }),
            None => Ok(()),
        }
    }
}

/// A shape that a body's clips key, and the turn that goes with it.
#[derive(Clone, Debug, PartialEq)]
pub struct TurnOfClips {
    /// Name of the shape.
    pub shape: String,
    /// The turn.
    pub turn: CallingTurn,
    /// How far the clips' own amounts are off it.
    pub fitted: FittedDriver,
}

/// So many moments of all clips are looked at, at most.
const MOST_MOMENTS: usize = 1500;
/// Beyond this, root of the mean square as a share of the shape, no turn is said to call it up.
const CLOSE_ENOUGH: f32 = 0.08;

/// The turns that go with the shapes that clips key and no turn calls up so far.
pub fn turns_of_clips(body: &Body) -> Vec<TurnOfClips> {
    let free = body.own_shapes().iter().zip(&body.welded_morphs).filter(|(m, _)| m.driver.is_none());
    let of_shape = |(shape, welded): (&Morph, &Morph)| {
        let (poses, amounts) = keyed_moments(body, &shape.name);
        let fitted = fit_driver(&poses, &amounts, &shares(body, welded))?;
        let turn = CallingTurn::of(&fitted.driver, &body.skeleton)?;
        let sound = fitted.rms <= CLOSE_ENOUGH && turn.driver(&body.skeleton).is_some();
        sound.then(|| TurnOfClips { shape: shape.name.clone(), turn, fitted })
    };
    free.filter_map(of_shape).collect()
}

/// Poses and amounts of a shape in the clips that key it: at its keys and half-way between them.
fn keyed_moments(body: &Body, shape: &str) -> (Vec<Pose>, Vec<f32>) {
    let (mut poses, mut amounts) = (Vec::new(), Vec::new());
    for clip in &body.clips {
        for track in &clip.shapes {
            let mesh = body.meshes.iter().find(|m| m.part.mesh == track.mesh);
            let Some(at) = mesh.and_then(|m| m.shapes.iter().position(|s| s == shape)) else { continue };
            let half = track.times.windows(2).map(|w| 0.5 * (w[0] + w[1]));
            let moments = track.times.iter().copied().chain(half);
            for time in moments.take(MOST_MOMENTS - poses.len()) {
                poses.push(clip.sample(&body.skeleton, time));
                amounts.push(track.at(time).get(at).copied().unwrap_or(0.0));
            }
        }
    }
    (poses, amounts)
}

/// How much each joint moves of what a shape moves.
fn shares(body: &Body, shape: &Morph) -> Vec<f32> {
    let mut all = vec![0.0; body.skeleton.len()];
    for (v, offset) in shape.vertices.iter().zip(&shape.offsets) {
        for (joint, weight) in body.welded_skin.row(*v as usize) {
            all[joint.index()] += weight * offset.length();
        }
    }
    all
}
