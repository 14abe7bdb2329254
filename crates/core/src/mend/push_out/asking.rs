//! Asking: how all places lie to each other in all poses, and what is demanded of the moves there.

use super::{Mending, PushSettings, Trouble, Work, LONGEST_STEP};
use crate::clearance::{Buffers, InPose, Layer, Place, PlaceGap};
use crate::deform::TrialPose;
use crate::mend::finite_newton::Demands;
use rayon::prelude::*;
use std::collections::{HashMap, HashSet};
use std::sync::atomic::Ordering;

/// What is nearer than this must not come nearer by more than it may, metres.
const NEAR: f32 = 0.007;
/// What is through is looked for so deep, metres.
const DEEP: f32 = 0.15;
/// Deeper than so many times the furthest move is not curable by moving.
const HOPELESS: f32 = 1.5;
/// What lies this near to what is that deep, at rest, is of its spot, metres.
const DEEP_SPOT: f32 = 0.04;
/// What is no deeper than this between two sides of a fold lies at its lip and finds room, metres; and in a shape of a
/// turn, which goes further.
const LIP: f32 = 0.001;
const LIP_OF_SHAPE: f32 = 0.002;
/// A gap changes by no more than so many steps from round to round: two layers may move.
const JUMP: f32 = 2.5;
/// Of a place so many poses count, those in which it is nearest.
const POSES: usize = 6;

/// What is asked of a place in a pose.
#[derive(Clone)]
pub(super) struct Asked {
    pub pose: usize,
    pub place: Place,
    pub gap: PlaceGap,
}

/// A pose, two layers, and a box of a grid at rest.
type Spot = (usize, [usize; 2], [i32; 3]);

/// Where layers are deeper in each other than anything may go: what is less deep about there is of the same spot.
#[derive(Default)]
pub(super) struct Hopeless(HashSet<Spot>);

impl Hopeless {
    pub fn new(asked: &[Asked], reach: f32, layers: &[Layer]) -> Self {
        let deep = asked.iter().filter(|a| -a.gap.gap > reach * HOPELESS);
        let boxes = deep.flat_map(|a| {
            let (pose, pair, at) = spot_of(a, layers);
            let about = |n: i32| [n % 3 - 1, n / 3 % 3 - 1, n / 9 - 1];
            (0..27).map(move |n| (pose, pair, [0, 1, 2].map(|k| at[k] + about(n)[k])))
        });
        Self(boxes.collect())
    }

    pub fn has(&self, asked: &Asked, layers: &[Layer]) -> bool {
        self.0.contains(&spot_of(asked, layers))
    }
}

fn spot_of(Asked { pose, gap, .. }: &Asked, layers: &[Layer]) -> Spot {
    let pair = [gap.own.0.max(gap.other.0), gap.own.0.min(gap.other.0)];
    let at = layers[gap.own.0].rest[gap.own.1[0].0 as usize] / DEEP_SPOT;
    (*pose, pair, at.floor().as_ivec3().to_array())
}

/// What asking all places in all poses brings.
#[derive(Default)]
pub(super) struct Found {
    pub demands: Demands,
    pub short: f64,
    /// By layer the deepest that is left, metres.
    pub left: Vec<f32>,
}

/// The layers and vertices that lie in their own layer: what is through there lies between two sides of a fold.
pub fn folded(trouble: &Trouble) -> HashSet<(usize, u32)> {
    let own = |place: &Place| match *place {
        Place::Inside { layers: (own, other), vertex } if own == other => Some((own, vertex)),
        _ => None,
    };
    trouble.iter().filter_map(own).collect()
}

/// True of a place in its own layer where that can only be a fold: it has one part, or a shape of a turn is sought,
/// which parts no layer from itself.
pub(super) fn is_fold_for_sure(mending: &Mending, place: &Place) -> bool {
    let ((own, _), _) = mending.outfit.asked_at(place);
    place.is_in_itself() && (mending.shape.is_some() || mending.outfit.layers[own].topology.shells == 1)
}

impl Work<'_> {
    /// Asks places of each pose, all poses in parallel.
    pub(super) fn ask(&self, places: impl Fn(usize) -> Vec<Place> + Sync) -> Vec<Asked> {
        let mending = &self.mending;
        let one = |pose: usize| {
            let places = places(pose);
            if places.is_empty() {
                return Vec::new();
            }
            let Self { cache, numbers, .. } = self;
            cache.with(numbers[pose], &self.outfit, |buffers, states| {
                self.pose(pose, &places, buffers, states);
                let in_pose = InPose::new(&self.outfit, buffers);
                let ask = |place: &Place| {
                    let deep = self.trouble[pose].contains(place) || matches!(place, Place::Inside { .. });
                    let within = if deep { DEEP } else { NEAR + mending.settings.step.max(LONGEST_STEP) };
                    let mut gap = in_pose.gap(place, mending.settings.measure, within)?;
                    let is_out = matches!(place, Place::Inside { .. }) && gap.gap > 0.0;
                    if is_out && !mending.settings.about_contacts {
                        return None;
                    }
                    if gap.gap < 0.0 {
                        gap.gap = (gap.gap + self.outfit.wrong_at_rest(place, mending.at_rest)).min(0.0);
                    }
                    Some(Asked { pose, place: *place, gap })
                };
                places.iter().filter_map(ask).collect::<Vec<_>>()
            })
        };
        (0..mending.poses.len()).into_par_iter().flat_map_iter(one).collect()
    }

    /// Poses the layers that the places are of, but for those that are posed as they are now.
    fn pose(&self, pose: usize, places: &[Place], buffers: &mut Buffers, states: &mut [u64]) {
        let TrialPose { matrices, amounts } = &self.mending.poses[pose];
        let mut wanted = vec![false; self.outfit.layers.len()];
        for place in places {
            let ((own, _), other) = self.outfit.asked_at(place);
            (wanted[own], wanted[other]) = (true, true);
        }
        let is_stale = |layer: usize| wanted[layer] && states[layer] != self.states[layer];
        let stale: Vec<usize> = (0..wanted.len()).filter(|layer| is_stale(*layer)).collect();
        buffers.pose_some(&self.outfit, |layer| stale.contains(&layer), matrices, amounts);
        stale.into_iter().for_each(|layer| states[layer] = self.states[layer]);
    }

    /// Asks all places in all poses, and makes demands of them.
    pub(super) fn ask_all(&mut self, is_first: bool) -> Found {
        let tolerance = self.mending.settings.measure.tolerance;
        let mut asked = self.ask(|pose| {
            let counts = |place: &&Place| match place {
                Place::Inside { .. } | Place::Edge { .. } => {
                    self.trouble[pose].contains(*place) || self.about[pose].contains(*place)
                }
                _ => !self.ignored[pose].contains(*place),
            };
            self.places.iter().filter(counts).copied().collect()
        });
        let jump = JUMP * self.mending.settings.step.max(LONGEST_STEP);
        // What jumps has found another face of what lies there, not moved.
        if !is_first {
            let last = |a: &Asked| self.last[a.pose].get(&a.place).copied();
            asked.retain(|a| last(a).is_none_or(|last| (a.gap.gap - last).abs() <= jump));
        }
        // What is on the wrong side counts when the board told of it, or when it was on the right one a round ago, near
        // by: what else is there is out of sight, or came there round an open edge.
        for Asked { pose, place, gap } in &asked {
            let came = self.last[*pose].get(place).is_some_and(|last| *last >= -tolerance);
            if gap.gap < -tolerance && !came && !self.trouble[*pose].contains(place) {
                self.ignored[*pose].insert(*place);
            }
        }
        asked.retain(|Asked { pose, place, .. }| !self.ignored[*pose].contains(place));
        self.last.iter_mut().for_each(HashMap::clear);
        for Asked { pose, place, gap } in &asked {
            self.last[*pose].insert(*place, gap.gap);
        }
        // What has come through since is trouble like the rest.
        for Asked { pose, place, .. } in asked.iter().filter(|a| a.gap.gap < -tolerance) {
            self.trouble[*pose].insert(*place);
        }
        if is_first {
            self.hopeless = Hopeless::new(&asked, self.mending.settings.reach, &self.outfit.layers);
            let deep: Vec<(usize, Place)> =
                asked.iter().filter(|a| self.is_fold(a)).map(|a| (a.pose, a.place)).collect();
            deep.into_iter().for_each(|(pose, place)| {
                self.deep_in_folds[pose].insert(place);
            });
        }
        asked.retain(|a| a.gap.gap < NEAR);
        self.found(asked)
    }

    fn found(&self, mut asked: Vec<Asked>) -> Found {
        let PushSettings { margin, measure, reach, .. } = self.mending.settings;
        let mut found = Found { left: vec![0.0; self.outfit.layers.len()], ..Found::default() };
        let is_hopeless =
            |a: &Asked| self.hopeless.has(a, &self.outfit.layers) || -a.gap.gap > reach || self.is_fold(a);
        for one in &asked {
            // What comes clear by less than the margin is not short of anything that shows.
            let (gap, deep) = (&one.gap, -one.gap.gap - measure.tolerance);
            if deep > 0.0 {
                found.short += if is_hopeless(one) { 0.0 } else { f64::from(deep) };
                for layer in [gap.own.0, gap.other.0].into_iter().filter(|_| !self.is_fold(one)) {
                    found.left[layer] = found.left[layer].max(-gap.gap);
                }
            }
        }
        // What cannot be cured asks for nothing: it would hold up what lies about it.
        asked.retain(|a| !is_hopeless(a));
        asked.sort_by(|a, b| {
            a.place.cmp(&b.place).then(a.gap.gap.total_cmp(&b.gap.gap)).then(a.pose.cmp(&b.pose))
        });
        for of_place in asked.chunk_by(|a, b| a.place == b.place) {
            for Asked { pose, place, gap } in of_place.iter().take(POSES) {
                let was_through = self.trouble[*pose].contains(place) || gap.gap < 0.0;
                let wish = if was_through { margin } else { margin.min(gap.gap) };
                self.demand(*pose, gap, wish - gap.gap, &mut found.demands);
            }
        }
        found
    }

    /// True where a part lies in itself, as cloth does in the pit of an arm, or something lies between two sides of
    /// such a fold: there is no room to push it to.
    pub(super) fn is_fold(&self, Asked { pose, place, gap }: &Asked) -> bool {
        let lip = if self.mending.shape.is_some() { LIP_OF_SHAPE } else { LIP };
        let lies_in_itself = |layer: usize, v: u32| self.folded[*pose].contains(&(layer, v));
        match place {
            Place::Inside { layers: (own, other), .. } => {
                let part = |v: u32| self.outfit.layers[*own].topology.shell_of_vertex[v as usize];
                own == other && part(gap.own.1[0].0) == part(gap.other.1[0])
            }
            _ if self.deep_in_folds[*pose].contains(place) => true,
            _ if gap.gap >= -lip => false,
            _ => {
                let is_between = gap.own.1.iter().any(|e| e.1 > 0.0 && lies_in_itself(gap.own.0, e.0))
                    || gap.other.1.iter().any(|v| lies_in_itself(gap.other.0, *v));
                self.meets_folds.fetch_or(is_between, Ordering::Relaxed);
                is_between && !self.mending.settings.in_folds
            }
        }
    }
}
