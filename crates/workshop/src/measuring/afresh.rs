//! A board measured afresh, with nothing kept of one before.

use crate::dress::dressed::Dress;
use crate::dress::trials::{Trial, TrialSet};
use crate::error::WorkshopError;
use crate::measuring::board::{contacts, rows, Board, BoardPair};
use crate::measuring::cell::Cell;
use crate::measuring::floor_rows::FloorRows;
use crate::measuring::measured::{places_of, Measured};
use crate::state::names::PieceId;
use crate::state::trial_plan::{Counts, TrialPlan};
use rayon::prelude::*;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::Arc;
use tin_cloak_core::clearance::{
    stiffness, strain, sum_up, AtRest, Buffers, InPose, Outfit, Pair, Place, Settings, Sight, Through,
};
use tin_cloak_core::mend::{PoseCache, TrialPose};

/// Measures `dress` afresh in every pose of `trials`; rows of layers that nothing brings together are left
/// out. `progress` is told the share done and answers whether to go on.
///
/// # Errors
/// [`WorkshopError::Stopped`] when `progress` says no.
pub fn measure_board(
    dress: &Dress,
    trials: &TrialSet,
    tolerance: (f32, &TrialPlan),
    progress: &(dyn Fn(f32) -> bool + Sync),
) -> Result<Board, WorkshopError> {
    let mut board = board_of_every_pair(dress, trials, tolerance, progress)?.without_idle_rows();
    let ids: Vec<PieceId> = (1..=dress.pieces.len() as PieceId).collect();
    FloorRows::of((dress, &ids), trials, tolerance).add_to(&mut board);
    Ok(board)
}

/// The same dress as measured before in the same poses.
#[derive(Clone, Copy)]
pub(crate) struct Before<'a> {
    pub measured: &'a Measured,
    /// For each layer whether it lies as it did: how it lies in itself is known then.
    pub unmoved: &'a [bool],
}

/// Measures `dress` afresh in every pose of `trials`, every two layers, but for what is known from `before`; it is
/// posed in the layers of `cache`. `progress` is told the share done and answers whether to go on.
///
/// # Errors
/// [`WorkshopError::Stopped`] when `progress` says no.
pub(crate) fn measure_every_pair(
    dress: &Dress,
    trials: &TrialSet,
    tolerance: (f32, &TrialPlan),
    (before, cache): (Option<Before>, &PoseCache),
    progress: &(dyn Fn(f32) -> bool + Sync),
) -> Result<Measured, WorkshopError> {
    let (outfit, piece_of) = outfit_of(dress, tolerance.1);
    let asked = Asked::of(&outfit, before);
    let (board, places) =
        asked.board((dress, &outfit, &piece_of), trials, tolerance, (true, cache, progress))?;
    let counted = |(pose, rows): (usize, Vec<Vec<Place>>)| {
        let rows = rows.into_iter().enumerate();
        rows.filter(|(row, _)| board.counts(pose, *row) == Counts::Counted).flat_map(|r| r.1).collect()
    };
    let trouble = places.into_iter().enumerate().map(counted).collect();
    let at_rest = asked.of_outfit(&outfit);
    Ok(Measured { board: Arc::new(board), outfit, piece_of, at_rest, trouble })
}

/// The same, the figures alone: a long clip takes no more room for the places behind them.
///
/// # Errors
/// [`WorkshopError::Stopped`] when `progress` says no.
pub(crate) fn board_of_every_pair(
    dress: &Dress,
    trials: &TrialSet,
    tolerance: (f32, &TrialPlan),
    progress: &(dyn Fn(f32) -> bool + Sync),
) -> Result<Board, WorkshopError> {
    let (outfit, piece_of) = outfit_of(dress, tolerance.1);
    let asked = Asked::of(&outfit, None);
    Ok(asked.board((dress, &outfit, &piece_of), trials, tolerance, (false, &PoseCache::none(), progress))?.0)
}

fn outfit_of(dress: &Dress, plan: &TrialPlan) -> (Outfit, Vec<Option<usize>>) {
    let (mut outfit, piece_of) = dress.outfit();
    outfit.off = dress.taken_off(&piece_of, plan);
    (outfit, piece_of)
}

impl Before<'_> {
    /// The row of layers that are known: those in themselves that lie as they did.
    fn row_of(&self, (outer, inner): (usize, usize)) -> Option<usize> {
        let is_known = outer == inner && self.unmoved[outer];
        let of_layer = |p: &BoardPair| p.is_itself() && p.ids[0] == outer as PieceId;
        is_known.then(|| self.measured.board.pairs.iter().position(of_layer)).flatten()
    }

    /// What was told of them in a pose.
    fn told(&self, pose: usize, layers: (usize, usize)) -> Option<Told> {
        let row = self.row_of(layers)?;
        let is_there = |place: &&Place| matches!(place, Place::Inside { layers: own, .. } if *own == layers);
        let places = self.measured.trouble[pose].iter().filter(is_there).copied().collect();
        Some((self.measured.board.cells[pose][row].clone(), places))
    }
}

/// By pose, then row, what is through.
type Places = Vec<Vec<Vec<Place>>>;

/// What a cell says, and what is through there.
type Told = (Option<Cell>, Vec<Place>);

/// What is asked of an outfit: every two layers.
struct Asked<'a> {
    /// Pairs of the outfit in the order of rows; they come first in `pairs`.
    order: Vec<usize>,
    /// Outer and inner layer of each row.
    pairs: Vec<(usize, usize)>,
    /// What rest has of each row.
    at_rest: Vec<Arc<AtRest>>,
    before: Option<Before<'a>>,
}

impl<'a> Asked<'a> {
    fn of(outfit: &Outfit, before: Option<Before<'a>>) -> Self {
        let order = rows(outfit);
        let pair = |&r: &usize| (outfit.pairs[r].outer, outfit.pairs[r].inner);
        let mut pairs: Vec<(usize, usize)> = order.iter().map(pair).collect();
        pairs.extend(contacts(outfit.layers.len(), &pairs));
        let still = outfit.buffers();
        let is_known = |p: &(usize, usize)| before.is_some_and(|b| b.row_of(*p).is_some());
        let of_pair = |p: &(usize, usize)| match is_known(p) {
            true => Arc::default(),
            false => Arc::new(AtRest::of(outfit, &still, *p)),
        };
        let at_rest = pairs.par_iter().map(of_pair).collect();
        Self { order, pairs, at_rest, before }
    }

    /// The cells of all poses, and what is through in them where that is wanted.
    fn board(
        &self,
        (dress, outfit, piece_of): (&Dress, &Outfit, &[Option<usize>]),
        trials: &TrialSet,
        (tolerance_mm, plan): (f32, &TrialPlan),
        (places, cache, progress): (bool, &PoseCache, &(dyn Fn(f32) -> bool + Sync)),
    ) -> Result<(Board, Places), WorkshopError> {
        let started = std::time::Instant::now();
        let number = |(layer, piece): (usize, &Option<usize>)| (layer as PieceId, dress.layer_name(*piece));
        let layers: Vec<(PieceId, &str)> = piece_of.iter().enumerate().map(number).collect();
        let mut board = Board::empty((&self.pairs, self.order.len()), &layers, trials, (tolerance_mm, plan));
        let tolerances: Vec<f32> = board.pairs.iter().map(|p| p.tolerance_mm).collect();
        let done = AtomicUsize::new(0);
        let poses = trials.poses(&dress.body);
        let one = |(number, (pose, trial)): (usize, (&TrialPose, &Trial))| {
            if !progress(done.fetch_add(1, Ordering::Relaxed) as f32 / poses.len() as f32) {
                return None;
            }
            cache.lend((number, outfit), |buffers| {
                buffers.pose(outfit, &pose.matrices, &pose.amounts);
                let (cells, found) = self.in_pose((outfit, buffers), &tolerances, (number, trial.is_rest()));
                Some((cells, if places { found } else { Vec::new() }))
            })
        };
        let measured: Option<Vec<_>> = poses.par_iter().zip(&trials.trials).enumerate().map(one).collect();
        let (cells, places) = measured.ok_or(WorkshopError::Stopped)?.into_iter().unzip();
        board.cells = cells;
        board.seconds_per_pose = started.elapsed().as_secs_f64() / poses.len().max(1) as f64;
        Ok((board, places))
    }

    /// All rows in the pose that `buffers` hold, with a tolerance a row (millimetres): cells, and what is through.
    fn in_pose(
        &self,
        (outfit, buffers): (&Outfit, &Buffers),
        tolerances: &[f32],
        (pose, is_rest): (usize, bool),
    ) -> (Vec<Option<Cell>>, Vec<Vec<Place>>) {
        let in_pose = InPose::new(outfit, buffers);
        let one = |l: usize| (strain(outfit, buffers, l), stiffness(outfit, buffers, l));
        let strains: Vec<(f32, f32)> = (0..outfit.layers.len()).into_par_iter().map(one).collect();
        let cell = |r: usize| {
            let (layers, rest, tolerance) = (self.pairs[r], &*self.at_rest[r], tolerances[r]);
            if let Some(known) = self.before.and_then(|before| before.told(pose, layers)) {
                return known;
            }
            let is_contact = r >= self.order.len();
            let meeting = in_pose.meeting(layers, rest);
            let crossing = in_pose.crossing(layers, &meeting, rest, is_contact);
            // Of layers that rest does not show together nothing is asked but whether they meet.
            let (through, sight) = match self.order.get(r) {
                None => (Through::default(), Sight::default()),
                Some(&pair) => {
                    let settings = Settings { tolerance: tolerance * 0.001, ..Settings::default() };
                    let beyond = (!is_rest).then_some(rest);
                    let through = in_pose.through(pair, settings, &meeting, beyond);
                    let sight = in_pose.see(pair, &through);
                    (through, sight)
                }
            };
            let (strain, stiffness) = strains[layers.0];
            let cell =
                Cell::of(&sum_up(&through, &sight, strain), &crossing, is_contact.then_some(tolerance));
            let pair = (self.order.get(r).copied(), layers);
            let places = places_of(outfit, pair, (&through, &sight, &crossing), tolerance * 0.001);
            (Some(cell.with_stiffness(stiffness)), places)
        };
        (0..self.pairs.len()).into_par_iter().map(cell).unzip()
    }

    /// What rest has of each pair of the outfit: every two layers have a row.
    fn of_outfit(&self, outfit: &Outfit) -> Vec<Arc<AtRest>> {
        let known = |p: &Pair| self.pairs.iter().position(|layers| *layers == (p.outer, p.inner));
        outfit.pairs.iter().filter_map(known).map(|row| Arc::clone(&self.at_rest[row])).collect()
    }
}
