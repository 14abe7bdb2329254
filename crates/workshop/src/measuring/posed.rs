//! A fitting in a pose that is looked at: where everything is, and what was asked there.

use crate::dress::derived::Weighed;
use crate::dress::room::Room;
use crate::dress::trials::Trial;
use crate::dress::worn::Worn;
use crate::error::WorkshopError;
use crate::state::key::{Key, KeyMaker};
use crate::state::turn::Turn;
use glam::{Mat4, Vec3};
use std::sync::Arc;
use tin_cloak_core::clearance::{ask_pairs, Pair, PairPoints, Settings};
use tin_cloak_core::mend::TrialPose;

/// A pose that was looked at.
pub(crate) struct Posed {
    /// Matrices of the joints, and amounts of the body's driven shapes.
    pub pose: TrialPose,
    /// Welded positions of the body, metres.
    pub body: Vec<Vec3>,
    /// And of each piece of the dress.
    pub pieces: Vec<Vec<Vec3>>,
    /// True at rest: what is wrong there already is told there.
    pub is_rest: bool,
}

impl Weighed for Posed {
    fn bytes(&self) -> usize {
        let vertices = self.body.len() + self.pieces.iter().map(Vec::len).sum::<usize>();
        vertices * 12 + self.pose.matrices.len() * std::mem::size_of::<Mat4>()
    }
}

/// What was asked of every layer pair in a pose.
pub(crate) struct Points(pub Vec<PairPoints>);

impl Weighed for Points {
    fn bytes(&self) -> usize {
        let asked: usize = self.0.iter().map(|p| p.inner.len() + p.outer.len()).sum();
        asked * std::mem::size_of::<Option<tin_cloak_core::clearance::Asked>>()
    }
}

fn and_pose(key: KeyMaker, pose: &TrialPose) -> Key {
    key.and_bytes(bytemuck::cast_slice(&pose.matrices)).and_bytes(bytemuck::cast_slice(&pose.amounts)).end()
}

impl Room {
    /// What counts as trouble in a pair.
    pub(crate) fn settings_of(&self, worn: &Worn, pair: usize) -> Settings {
        let Pair { outer, inner, .. } = worn.outfit.pairs[pair];
        Settings { tolerance: self.tolerance_mm_of(worn, (outer, inner)) * 0.001, ..Settings::default() }
    }

    /// What is let pass between two layers, millimetres.
    pub(crate) fn tolerance_mm_of(&self, worn: &Worn, (outer, inner): (usize, usize)) -> f32 {
        let name = |layer: usize| self.dress.layer_name(worn.piece_of[layer]);
        let own = self.state.plan.tolerance_of(name(outer), name(inner));
        own.unwrap_or(self.state.tolerance_mm)
    }

    /// Everything in a trial pose with joints turned by hand.
    ///
    /// # Errors
    /// When the pose or a joint is not there.
    pub(crate) fn posed(&self, pose: usize, turns: &[Turn]) -> Result<Arc<Posed>, WorkshopError> {
        let trial = self.trials.trials.get(pose);
        let is_rest = trial.is_some_and(Trial::is_rest) && turns.is_empty();
        let pose = self.joints_in(pose, turns)?;
        let body = &self.dress.body;
        let mut key = Key::begin("everything posed").and(&is_rest).and_key(self.contents.body_mesh);
        for (index, shape) in self.contents.shapes.iter().enumerate() {
            key = key.and_key(*shape).and(&self.piece_state(index).bound);
        }
        Ok(self.derived.get_or(and_pose(key, &pose), || Posed {
            body: body.posed(&pose.matrices, &pose.amounts),
            pieces: self.dress.pieces.iter().map(|p| p.posed(&pose.matrices)).collect(),
            pose,
            is_rest,
        }))
    }

    /// What is asked of every layer pair in a pose.
    pub(crate) fn points(&self, worn: &Worn, posed: &Posed) -> Arc<Points> {
        let mut key =
            Key::begin("points").and(&(self.state.tolerance_mm, &self.state.plan.tolerances, posed.is_rest));
        for facts in &worn.facts {
            key = key.and_key(facts.posed(&posed.pose)).and(&(facts.piece, facts.layer));
        }
        self.derived.get_or(key.end(), || {
            let pairs = &worn.outfit.pairs;
            let all: Vec<_> = (0..pairs.len()).map(|pair| (pair, self.settings_of(worn, pair))).collect();
            let mut points = self.with_buffers(&worn.outfit, |buffers| {
                buffers.pose(&worn.outfit, &posed.pose.matrices, &posed.pose.amounts);
                ask_pairs(&worn.outfit, buffers, &all)
            });
            if !posed.is_rest {
                let layers: Vec<(usize, usize)> = pairs.iter().map(|p| (p.outer, p.inner)).collect();
                let rest = self.at_rest(worn, &layers);
                let each = points.iter_mut().zip(pairs).zip(&rest);
                each.for_each(|((points, pair), rest)| points.beyond(&pair.coverage, rest));
            }
            Points(points)
        })
    }
}
