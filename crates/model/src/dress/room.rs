//! A state, decoded.

use crate::dress::derived::{Derived, Weighed};
use crate::dress::dressed::Dress;
use crate::dress::motions::{excesses, limits_of, range_row, used_by_clips, RangeRow, SaidRanges};
use crate::dress::trials::{Trial, TrialSet};
use crate::error::WorkshopError;
use crate::state::fitting::{FittingState, PieceState};
use crate::state::key::Key;
use crate::state::recipe::Recipe;
use glam::Vec3;
use std::sync::Arc;
use tin_cloak_core::clearance::{Buffers, Outfit, Settings};
use tin_cloak_core::trial::{JointRange, MotionRanges};
use tin_cloak_core::units::from_mm;
use tin_cloak_core::JointId;

/// A fitting's state, decoded. What is derived from it is kept by content, so that a room costs
/// what its step has changed.
pub struct Room {
    /// The state it was made from.
    pub state: FittingState,
    /// Body and pieces.
    pub dress: Dress,
    /// Where each piece of the state stands in the dress (sorted by layer).
    pub order: Vec<usize>,
    /// The poses.
    pub trials: Arc<TrialSet>,
    pub contents: Contents,
    pub derived: Arc<Derived>,
}

/// Keys of what a room was decoded from.
#[derive(Clone)]
pub struct Contents {
    /// The body with its roles and all joints.
    pub body: Key,
    /// What its vertices are and how they move.
    pub body_mesh: Key,
    /// The shape of each piece of the dress.
    pub shapes: Vec<Key>,
}

impl Weighed for Room {
    fn bytes(&self) -> usize {
        // Meshes and weights are counted where they are made.
        4096 + self.dress.pieces.len() * 1024
    }
}

impl Room {
    pub fn new(
        state: FittingState,
        order: Vec<usize>,
        dress: Dress,
        trials: Arc<TrialSet>,
        contents: Contents,
        derived: Arc<Derived>,
    ) -> Self {
        Self { state, dress, order, trials, contents, derived }
    }

    /// The same in other poses.
    pub fn in_trials(&self, trials: TrialSet) -> Self {
        self.with(Arc::new(trials), Arc::clone(&self.derived))
    }

    /// The same with everything to be derived anew.
    pub fn with_nothing_derived(&self) -> Self {
        self.with(Arc::clone(&self.trials), Arc::default())
    }

    fn with(&self, trials: Arc<TrialSet>, derived: Arc<Derived>) -> Self {
        let Self { state, order, dress, contents, .. } = self;
        Self::new(state.clone(), order.clone(), dress.clone(), trials, contents.clone(), derived)
    }

    /// What counts as trouble.
    pub fn settings(&self) -> Settings {
        Settings { tolerance: from_mm(self.state.tolerance_mm), ..Settings::default() }
    }

    /// True when anything worn is bound: there is something to measure.
    pub fn is_measurable(&self) -> bool {
        self.dress.pieces.iter().any(|p| p.bound.is_some() && !p.cage)
    }

    /// Runs `work` with buffers that are kept from call to call, one set for all rooms of a cache.
    pub fn with_buffers<T>(&self, outfit: &Outfit, work: impl FnOnce(&mut Buffers) -> T) -> T {
        let mut buffers = self.derived.lend_buffers(outfit);
        let answer = work(&mut buffers);
        self.derived.take_back(buffers);
        answer
    }

    /// The range of motion of a joint, when it is a known part of a person, and what the clips
    /// use of it.
    pub fn range_of(&self, ranges: &MotionRanges, joint: JointId) -> Option<(RangeRow, Option<JointRange>)> {
        let row = range_row(ranges, &self.dress.body.skeleton, &SaidRanges::new(&self.state), joint)?;
        Some((row, used_by_clips(ranges, &self.trials, joint)))
    }

    /// Joints of a pose that is tried which are turned beyond their range by more than a degree, and by how many.
    pub fn joints_beyond(&self, trial: &Trial) -> Vec<(String, f32)> {
        let skeleton = &self.dress.body.skeleton;
        let ranges = MotionRanges::new(skeleton);
        let limits = limits_of(&ranges, skeleton, &SaidRanges::new(&self.state));
        let named = |(joint, by): (JointId, f32)| (skeleton.names[joint.index()].clone(), by);
        excesses(&ranges, trial, &limits).into_iter().map(named).collect()
    }

    /// Where a joint of a piece's own would be: at the vertex picked, else at its top in the middle.
    ///
    /// # Errors
    /// When the piece or the vertex is not there.
    pub fn place_for_joint(&self, piece: u32, vertex: Option<u32>) -> Result<Vec3, WorkshopError> {
        let rest = &self.dress.pieces[self.find(piece)?].rest;
        if let Some(v) = vertex {
            let missing = WorkshopError::Missing { what: "vertex", id: i64::from(v) };
            return rest.get(v as usize).copied().ok_or(missing);
        }
        let (low, high) = tin_cloak_core::mesh::bounds(rest);
        Ok(Vec3::new((low.x + high.x) * 0.5, high.y, (low.z + high.z) * 0.5))
    }

    /// How a piece is to be bound.
    ///
    /// # Errors
    /// When it is not there.
    pub fn recipe_of(&self, piece: u32) -> Result<Recipe, WorkshopError> {
        Ok(self.piece_state(self.find(piece)?).recipe.clone())
    }

    /// Numbers of the pieces that are not bound.
    pub fn unbound_pieces(&self) -> Vec<u32> {
        self.state.pieces.iter().filter(|p| p.bound.is_none()).map(|p| p.id).collect()
    }

    /// Position in the dress of a piece of the state.
    pub fn index_of(&self, piece: u32) -> Option<usize> {
        let at = self.state.pieces.iter().position(|p| p.id == piece)?;
        self.order.iter().position(|&o| o == at)
    }

    /// The same where it must be there.
    ///
    /// # Errors
    /// When it is not.
    pub fn find(&self, piece: u32) -> Result<usize, WorkshopError> {
        let missing = WorkshopError::Missing { what: "piece", id: i64::from(piece) };
        self.index_of(piece).ok_or(missing)
    }

    /// The state of the piece at a position of the dress.
    pub fn piece_state(&self, index: usize) -> &PieceState {
        &self.state.pieces[self.order[index]]
    }
}
