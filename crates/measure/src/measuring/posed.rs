//! A fitting in a pose that is looked at: where everything is, and what was asked there.

use crate::measuring::at_rest::AtRestOfRoom;
use glam::{Mat4, Vec3};
use rayon::prelude::*;
use std::sync::Arc;
use tin_cloak_core::clearance::{Asked, InPose, Outfit, Pair, PairPoints, Settings};
use tin_cloak_core::mend::TrialPose;
use tin_cloak_core::units::from_mm;
use tin_cloak_model::dress::derived::Weighed;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::dress::trials::Trial;
use tin_cloak_model::dress::weighted::Weighted;
use tin_cloak_model::dress::worn::Worn;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::key::Key;
use tin_cloak_model::state::turn::Turn;

/// A pose that was looked at.
pub struct Posed {
    /// Matrices of the joints, and amounts of the body's driven shapes.
    pub pose: TrialPose,
    /// Welded positions of the body, metres.
    pub body: Vec<Vec3>,
    /// And of each piece of the dress.
    pub pieces: Vec<Vec<Vec3>>,
    /// True at rest: what is wrong there already is told there.
    pub is_rest: bool,
}

impl Posed {
    /// Welded positions of a piece or the body, metres.
    pub fn positions_of(&self, part: &Weighted) -> &[Vec3] {
        part.index().map_or(&self.body, |i| &self.pieces[i])
    }
}

impl Weighed for Posed {
    fn bytes(&self) -> usize {
        let vertices = self.body.len() + self.pieces.iter().map(Vec::len).sum::<usize>();
        vertices * 12 + self.pose.matrices.len() * std::mem::size_of::<Mat4>()
    }
}

/// What is through of every layer pair in a pose.
pub struct Points(pub Vec<PairPoints>);

/// A vertex on the wrong side of something: its layer, its number, and its signed distance, metres.
pub type Wrong = (usize, u32, f32);

impl Points {
    /// What of it is in sight.
    pub fn in_sight(&self, outfit: &Outfit) -> Vec<Wrong> {
        let of = |(pair, points): (&Pair, &PairPoints)| {
            let shown = |layer: usize, list: &[u32], points: &[Option<Asked>]| {
                let seen = |(v, asked): (&u32, &Option<Asked>)| {
                    asked.filter(|a| !a.buried).map(|a| (layer, *v, a.clearance))
                };
                list.iter().zip(points).filter_map(seen).collect::<Vec<_>>()
            };
            let mut all = shown(pair.outer, &pair.coverage.over, &points.outer);
            all.extend(shown(pair.inner, &pair.coverage.covered, &points.inner));
            all
        };
        outfit.pairs.iter().zip(&self.0).flat_map(of).collect()
    }
}

impl Weighed for Points {
    fn bytes(&self) -> usize {
        let asked: usize = self.0.iter().map(|p| p.inner.len() + p.outer.len()).sum();
        asked * std::mem::size_of::<Option<tin_cloak_core::clearance::Asked>>()
    }
}

/// What everything in a pose depends on.
fn key_of(room: &Room, pose: &TrialPose, is_rest: bool) -> Key {
    let made = room.state.body_made();
    let mut key = Key::begin("everything posed").and(&is_rest).and_key(room.contents.body_mesh).and(&made);
    for (index, shape) in room.contents.shapes.iter().enumerate() {
        let state = room.piece_state(index);
        let shapes = (&state.carried, &state.correctives, room.dress.shape_numbers(index));
        key = key.and_key(*shape).and(&(&state.bound, shapes));
    }
    key.and_bytes(bytemuck::cast_slice(&pose.matrices)).and_bytes(bytemuck::cast_slice(&pose.amounts)).end()
}

/// Asked of a room: a fitting in a pose that is looked at: where everything is, and what was asked there.
pub trait PosedOfRoom {
    /// What counts as trouble in a pair.
    fn settings_of(&self, worn: &Worn, pair: usize) -> Settings;

    /// What is let pass between two layers, millimetres.
    fn tolerance_mm_of(&self, worn: &Worn, outer: usize, inner: usize) -> f32;

    /// Everything in a trial pose with joints turned by hand.
    ///
    /// # Errors
    /// When the pose or a joint is not there.
    fn posed(&self, pose: usize, turns: &[Turn]) -> Result<Arc<Posed>, WorkshopError>;

    /// The same with shapes called up by hand: number and amount.
    ///
    /// # Errors
    /// When the pose, a joint or a shape is not there.
    fn posed_with(
        &self,
        pose: usize,
        turns: &[Turn],
        shapes: &[(usize, f32)],
    ) -> Result<Arc<Posed>, WorkshopError>;

    /// What is through in every layer pair in a pose; see [`InPose::points_through`].
    fn points(&self, worn: &Worn, posed: &Posed) -> Arc<Points>;

    /// The same of layers that are posed, of the pairs (outer, inner) that are `wanted` alone.
    fn points_in(
        &self,
        worn: &Worn,
        in_pose: &InPose,
        is_rest: bool,
        wanted: impl Fn((usize, usize)) -> bool + Sync,
    ) -> Points;

    /// The key of something asked of all that is worn in a pose.
    fn asked_key(&self, what: &str, worn: &Worn, posed: &Posed) -> Key;
}

impl PosedOfRoom for Room {
    fn settings_of(&self, worn: &Worn, pair: usize) -> Settings {
        let Pair { outer, inner, .. } = worn.outfit.pairs[pair];
        Settings { tolerance: from_mm(self.tolerance_mm_of(worn, outer, inner)), ..Settings::default() }
    }

    fn tolerance_mm_of(&self, worn: &Worn, outer: usize, inner: usize) -> f32 {
        let name = |layer: usize| self.dress.layer_name(worn.piece_of[layer]);
        let own = self.state.plan.tolerance_of(name(outer), name(inner));
        own.unwrap_or(self.state.tolerance_mm)
    }

    fn posed(&self, pose: usize, turns: &[Turn]) -> Result<Arc<Posed>, WorkshopError> {
        self.posed_with(pose, turns, &[])
    }

    fn posed_with(
        &self,
        pose: usize,
        turns: &[Turn],
        shapes: &[(usize, f32)],
    ) -> Result<Arc<Posed>, WorkshopError> {
        let trial = self.trials.trials.get(pose);
        let is_rest = trial.is_some_and(Trial::is_rest) && turns.is_empty() && shapes.is_empty();
        let pose = self.pose_with(pose, turns, shapes)?;
        let body = &self.dress.body;
        Ok(self.derived.get_or(key_of(self, &pose, is_rest), || Posed {
            body: body.posed(&pose.matrices, &pose.amounts),
            pieces: (0..self.dress.pieces.len()).map(|i| self.dress.posed_piece(i, &pose)).collect(),
            pose,
            is_rest,
        }))
    }

    fn points(&self, worn: &Worn, posed: &Posed) -> Arc<Points> {
        self.derived.get_or(self.asked_key("points", worn, posed), || {
            self.with_buffers(&worn.outfit, |buffers| {
                buffers.pose(&worn.outfit, &posed.pose.matrices, &posed.pose.amounts);
                self.points_in(worn, &InPose::new(&worn.outfit, buffers), posed.is_rest, |_| true)
            })
        })
    }

    fn points_in(
        &self,
        worn: &Worn,
        in_pose: &InPose,
        is_rest: bool,
        wanted: impl Fn((usize, usize)) -> bool + Sync,
    ) -> Points {
        let pairs = &worn.outfit.pairs;
        let layers: Vec<(usize, usize)> = pairs.iter().map(|p| (p.outer, p.inner)).collect();
        let rest = self.at_rest(worn, &layers);
        let one = |pair: usize| {
            if !wanted(layers[pair]) {
                return PairPoints::default();
            }
            let meeting = in_pose.meeting(pairs[pair].outer, pairs[pair].inner, &rest[pair]);
            let beyond = (!is_rest).then_some(&*rest[pair]);
            in_pose.points_through(pair, self.settings_of(worn, pair), &meeting, beyond)
        };
        Points((0..pairs.len()).into_par_iter().map(one).collect())
    }

    fn asked_key(&self, what: &str, worn: &Worn, posed: &Posed) -> Key {
        let mut key =
            Key::begin(what).and(&(self.state.tolerance_mm, &self.state.plan.tolerances, posed.is_rest));
        for facts in &worn.facts {
            key = key.and_key(facts.posed(&posed.pose)).and(&(facts.piece, facts.layer));
        }
        key.and(&worn.outfit.off).end()
    }
}
