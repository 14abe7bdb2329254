//! Push-out: cloth is moved off what pokes through it, for all trial poses together.
//!
//! Each needed displacement, found in a pose, is carried back to rest through the blended
//! transform of the very vertices it moves (the transpose of the linear map, as it is used to
//! measure), so that one rest shape serves every pose. The demands of all poses are met
//! together, the field is smoothed over the cloth and they are met again. Then everything is
//! measured anew; the best state seen is kept.

use super::best_shift::best_shift;
use super::kaczmarz::{meet, Demand};
use super::rigid::{keep_rigid, move_with_partners};
use super::swelling::{smooth, swell};
use crate::clearance::{ask_pairs, Asked, Buffers, Outfit, PairPoints, Settings};
use crate::deform::blended_matrix;
use glam::{Mat3, Mat4, Vec3};
use rayon::prelude::*;

/// Cloth goes at most this far in one round, metres: far moves are made in measured steps.
const LONGEST_STEP: f32 = 0.008;

/// A pose to mend for.
#[derive(Clone, Debug)]
pub struct TrialPose {
    /// Skin matrices, one a joint.
    pub matrices: Vec<Mat4>,
    /// Amounts of the body's driven shapes.
    pub amounts: Vec<f32>,
}

/// How to push.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PushSettings {
    /// What counts as trouble.
    pub measure: Settings,
    /// Clearance wished where cloth is moved, metres.
    pub margin: f32,
    /// No vertex moves further than this from where it was, metres.
    pub limit: f32,
    /// Most rounds of moving and measuring for each piece.
    pub rounds: usize,
}

impl Default for PushSettings {
    fn default() -> Self {
        Self { measure: Settings::default(), margin: 0.001, limit: 0.02, rounds: 6 }
    }
}

/// How far the mending is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct MendProgress {
    /// Index of the layer being moved.
    pub layer: usize,
    /// Share of the whole work done, 0 to 1.
    pub share: f32,
}

/// What became of one piece.
#[derive(Clone, Debug, PartialEq)]
pub struct PieceReport {
    /// Index of the layer in the outfit.
    pub layer: usize,
    /// Vertices moved by more than 0.01 mm.
    pub moved: usize,
    /// Furthest move, metres.
    pub furthest: f32,
    /// Deepest visible poke-through or sinking over all poses before, metres.
    pub deepest_before: f32,
    /// The same after.
    pub deepest_after: f32,
    /// Poking and sunk vertices over all poses before.
    pub count_before: usize,
    /// The same after.
    pub count_after: usize,
    /// Why something is left, in plain words; `None` when nothing is.
    pub left: Option<String>,
}

/// New rest shapes and what they bring.
#[derive(Clone, Debug)]
pub struct Mended {
    /// Rest positions of each layer of the outfit (welded), changed or not.
    pub rest: Vec<Vec<Vec3>>,
    /// One for each piece that could be moved.
    pub pieces: Vec<PieceReport>,
}

/// Pushes the pieces `movable` (layer indices, from the inside out) off what lies beneath them
/// in all `poses`. `progress` is told how far it is and answers whether to go on; `None` comes
/// back when it says no. Stiff pieces move as a whole, and only when that helps.
///
/// ```
/// use tin_cloak_core::mend::{push_out, PushSettings, TrialPose};
/// use tin_cloak_core::shapes::{moved, outfit, sphere};
/// use tin_cloak_core::glam::{Mat4, Vec3};
///
/// let shirt = moved(sphere(0.105, 32), Vec3::Z * -0.008);
/// let outfit = outfit(&sphere(0.1, 32), &[shirt]);
/// let rest = TrialPose { matrices: vec![Mat4::IDENTITY; 2], amounts: Vec::new() };
/// let mended = push_out(&outfit, &[1], &[rest], PushSettings::default(), &|_| true).unwrap();
/// let told = &mended.pieces[0];
/// assert!(told.deepest_before > 0.002 && told.deepest_after == 0.0, "{told:?}");
/// ```
pub fn push_out(
    outfit: &Outfit,
    movable: &[usize],
    poses: &[TrialPose],
    settings: PushSettings,
    progress: &(dyn Fn(MendProgress) -> bool + Sync),
) -> Option<Mended> {
    let mut outfit = outfit.clone();
    let mut pieces = Vec::new();
    for (done, &layer) in movable.iter().enumerate() {
        let share = |part: f32| (done as f32 + part) / movable.len() as f32;
        let tell = |part: f32| progress(MendProgress { layer, share: share(part) });
        let mut work = Work::new(&outfit, layer, poses, settings);
        let report = work.run(&tell)?;
        outfit.layers[layer].rest = work.outfit.layers[layer].rest.clone();
        pieces.push(report);
    }
    let rest = outfit.layers.into_iter().map(|l| l.rest).collect();
    Some(Mended { rest, pieces })
}

/// The mending of one layer.
struct Work<'a> {
    outfit: Outfit,
    layer: usize,
    /// Pairs in which the layer is the outer one: what it can be pushed off.
    over: Vec<usize>,
    /// Those and the pairs in which it lies beneath: what it can make better or worse.
    touching: Vec<usize>,
    start: Vec<Vec3>,
    /// The measured vertex that each goes with; empty when all are measured.
    partners: Vec<u32>,
    poses: &'a [TrialPose],
    settings: PushSettings,
}

/// The best known state round each vertex.
#[derive(Debug, Default)]
struct Held {
    cost: Vec<f32>,
    place: Vec<Vec3>,
    /// Moving it did not help.
    given_up: Vec<bool>,
}

/// What one pose brings: the score, demands, and what each vertex costs (metres).
type InPose = (Score, Vec<Demand>, Vec<(u32, f32)>);

/// What measuring all poses brings.
#[derive(Debug, Default)]
struct Found {
    score: Score,
    demands: Vec<Demand>,
    /// Summed depth round each vertex of the layer, metres.
    local: Vec<f32>,
    /// Poses in which something is out of tolerance.
    wrong: Vec<usize>,
}

impl Found {
    fn score_and_wrong(self) -> (Score, Vec<usize>) {
        (self.score, self.wrong)
    }
}

/// How bad things are over all poses.
#[derive(Clone, Copy, Debug, Default)]
struct Score {
    /// Sum of visible depths beyond tolerance over the pairs touched, metres.
    sum: f64,
    /// Deepest in the pairs the layer is over.
    deepest: f32,
    /// Vertices in those pairs.
    count: usize,
}

impl Score {
    /// Less in sum without being deeper anywhere by more than half a millimetre, or shallower
    /// by that without being more.
    fn is_better_than(&self, other: &Self) -> bool {
        const HAIR: f32 = 5e-4;
        let less = self.sum < other.sum && self.deepest <= other.deepest + HAIR;
        less || (self.deepest < other.deepest - HAIR && self.sum <= other.sum * 1.05)
    }
}

impl<'a> Work<'a> {
    fn new(outfit: &Outfit, layer: usize, poses: &'a [TrialPose], settings: PushSettings) -> Self {
        let pairs = outfit.pairs.iter().enumerate();
        let over = pairs.clone().filter(|(_, p)| p.outer == layer).map(|(i, _)| i).collect();
        let touching = pairs.filter(|(_, p)| p.outer == layer || p.inner == layer).map(|(i, _)| i).collect();
        let start = outfit.layers[layer].rest.clone();
        let walls = &outfit.layers[layer].walls;
        let two = walls.away_from_body.is_some();
        let partners = if two { walls.towards_body.measured_partners(&start) } else { Vec::new() };
        Self { outfit: outfit.clone(), layer, over, touching, start, partners, poses, settings }
    }

    /// Works on the poses in which something is wrong, then measures all; poses that have gone
    /// wrong meanwhile join in. The best state measured in all poses is kept.
    fn run(&mut self, tell: &impl Fn(f32) -> bool) -> Option<PieceReport> {
        const PHASES: usize = 2;
        let all: Vec<usize> = (0..self.poses.len()).collect();
        let (before, mut wrong) = self.measure(&all).score_and_wrong();
        let mut best = (before, self.start.clone());
        let mut active: Vec<usize> = Vec::new();
        for phase in 0..PHASES {
            let known = active.len();
            active.extend(wrong.iter().filter(|p| !active.contains(p)).copied().collect::<Vec<_>>());
            if active.len() == known || best.0.count == 0 {
                break;
            }
            let from = phase as f32 / PHASES as f32;
            self.rounds(&active, &|share| tell(from + share / PHASES as f32))?;
            let (score, now_wrong) = self.measure(&all).score_and_wrong();
            if score.is_better_than(&best.0) {
                best = (score, self.outfit.layers[self.layer].rest.clone());
            }
            wrong = now_wrong;
        }
        self.outfit.layers[self.layer].rest = best.1;
        Some(self.report(before, best.0))
    }

    /// Moves and measures round by round in the poses `active`. Where a move made things worse,
    /// or changed nothing, it is taken back there alone and not tried again, so that a spot that
    /// cannot be cured does not hold up the others.
    fn rounds(&mut self, active: &[usize], tell: &impl Fn(f32) -> bool) -> Option<()> {
        let stiff = self.outfit.layers[self.layer].stiff;
        let rounds = if stiff { 2 } else { self.settings.rounds };
        let mut held = Held::default();
        for round in 0..=rounds {
            if !tell(round as f32 / (rounds + 1) as f32) {
                return None;
            }
            let mut found = self.measure(active);
            if !stiff {
                self.take_back_in_vain(&found.local, &mut held);
                let open = |d: &Demand| d.vertices.iter().all(|&v| !held.given_up[v as usize]);
                found.demands.retain(open);
            }
            if found.demands.is_empty() || found.score.count == 0 || round == rounds {
                break;
            }
            if stiff {
                self.shift(&found.demands);
            } else {
                self.push(&found.demands);
            }
        }
        Some(())
    }

    /// Both walls of a plate go together, and what is stiff keeps its shape.
    fn keep_whole(&mut self) {
        let layer = &mut self.outfit.layers[self.layer];
        move_with_partners(&self.partners, &self.start, &mut layer.rest);
        keep_rigid(&layer.rigid, &self.start, &mut layer.rest, self.settings.limit);
    }

    /// Compares the cost round each vertex with the best known; moves that did not help go back.
    fn take_back_in_vain(&mut self, local: &[f32], held: &mut Held) {
        const HAIR: f32 = 1e-6;
        let layer = &mut self.outfit.layers[self.layer];
        if held.cost.is_empty() {
            *held =
                Held { cost: local.to_vec(), place: layer.rest.clone(), given_up: vec![false; local.len()] };
            return;
        }
        let in_vain = |now: f32, then: f32| now > then + HAIR || (then > HAIR && now > then * 0.97);
        let mut share = vec![Vec3::ZERO; local.len()];
        for (v, s) in share.iter_mut().enumerate() {
            if in_vain(local[v], held.cost[v]) {
                *s = Vec3::ONE;
                held.given_up[v] = true;
            }
        }
        smooth(&layer.topology.neighbours, &mut share, 6);
        for (v, p) in layer.rest.iter_mut().enumerate() {
            let back = if held.given_up[v] { 1.0 } else { share[v].x };
            *p = p.lerp(held.place[v], back);
            if !held.given_up[v] {
                held.cost[v] = local[v];
                held.place[v] = *p;
            }
        }
        self.keep_whole();
    }

    /// Measures the poses `which`.
    fn measure(&self, which: &[usize]) -> Found {
        let pool = self.outfit.pool();
        let one = |&pose: &usize| pool.with(|buffers| self.measure_in(&self.poses[pose], buffers));
        let per_pose: Vec<InPose> = which.par_iter().map(one).collect();
        let layer = &self.outfit.layers[self.layer];
        let mut found = Found::default();
        let mut local = vec![Vec3::ZERO; layer.rest.len()];
        for (&pose, (score, demands, costs)) in which.iter().zip(per_pose) {
            if score.sum > 0.0 {
                found.wrong.push(pose);
            }
            found.score.sum += score.sum;
            found.score.deepest = found.score.deepest.max(score.deepest);
            found.score.count += score.count;
            found.demands.extend(demands);
            costs.into_iter().for_each(|(v, c)| local[v as usize].x += c);
        }
        smooth(&layer.topology.neighbours, &mut local, 8);
        found.local = local.iter().map(|c| c.x).collect();
        found
    }

    fn measure_in(&self, pose: &TrialPose, buffers: &mut Buffers) -> InPose {
        buffers.pose(&self.outfit, &pose.matrices, &pose.amounts);
        let asked: Vec<_> = self.touching.iter().map(|pair| (*pair, self.settings.measure)).collect();
        let measured = ask_pairs(&self.outfit, buffers, &asked);
        let (mut score, mut demands, mut costs) = (Score::default(), Vec::new(), Vec::new());
        let normals = buffers.normals_towards_body(self.layer);
        for (&pair, points) in self.touching.iter().zip(&measured) {
            self.add_score(pair, points, &mut score);
            self.add_costs(pair, points, &mut costs);
            if self.over.contains(&pair) {
                self.add_demands(pair, points, pose, normals, &mut demands);
            }
        }
        (score, demands, costs)
    }

    /// What each vertex of the layer has to do with: its own sinking, what pokes through its
    /// faces, and its poking through a layer above.
    fn add_costs(&self, pair: usize, points: &PairPoints, costs: &mut Vec<(u32, f32)>) {
        let p = &self.outfit.pairs[pair];
        let bad = |a: &Option<Asked>| a.filter(|a| self.is_violation(a));
        let triangles = |layer: usize, outside: bool| {
            let walls = &self.outfit.layers[layer].walls;
            &if outside { walls.outside() } else { &walls.towards_body }.topology.triangles
        };
        for (points, list, owner, faces) in [
            (&points.outer, &p.coverage.over, p.outer, triangles(p.inner, true)),
            (&points.inner, &p.coverage.covered, p.inner, triangles(p.outer, false)),
        ] {
            for (&v, asked) in list.iter().zip(points) {
                let Some(asked) = bad(asked) else { continue };
                if owner == self.layer {
                    costs.push((v, -asked.clearance));
                } else {
                    let corners = faces[asked.triangle as usize];
                    costs.extend((0..3).map(|k| (corners[k], -asked.clearance * asked.barycentric[k])));
                }
            }
        }
    }

    fn is_violation(&self, asked: &Asked) -> bool {
        !asked.buried && asked.clearance < -self.settings.measure.tolerance
    }

    fn add_score(&self, pair: usize, points: &PairPoints, score: &mut Score) {
        let tolerance = self.settings.measure.tolerance;
        let over = self.over.contains(&pair);
        for asked in points.inner.iter().chain(&points.outer).flatten().filter(|a| self.is_violation(a)) {
            score.sum += f64::from(-asked.clearance - tolerance);
            if over {
                score.deepest = score.deepest.max(-asked.clearance);
                score.count += 1;
            }
        }
    }

    /// What the layer's vertices would have to do: for a violation, come clear by the margin;
    /// for a stiff piece also everything near, so that curing one side does not spoil another.
    fn add_demands(
        &self,
        pair: usize,
        points: &PairPoints,
        pose: &TrialPose,
        normals: &[Vec3],
        demands: &mut Vec<Demand>,
    ) {
        let layer = &self.outfit.layers[self.layer];
        let side = &layer.walls.towards_body;
        let linear = |v: u32| Mat3::from_mat4(blended_matrix(&layer.skin, v as usize, &pose.matrices));
        let wanted = |a: &Asked| self.is_violation(a) || (layer.stiff && !a.buried && a.clearance < 0.02);
        let margin = self.settings.margin;
        for asked in points.inner.iter().flatten().filter(|a| wanted(a)) {
            let vertices = side.topology.triangles[asked.triangle as usize];
            let gradients =
                [0, 1, 2].map(|k| linear(vertices[k]).transpose() * asked.normal * asked.barycentric[k]);
            demands.push(Demand { vertices, gradients, need: margin - asked.clearance });
        }
        for (&v, asked) in self.outfit.pairs[pair].coverage.over.iter().zip(&points.outer) {
            let Some(asked) = asked.filter(|a| wanted(a)) else { continue };
            // Out along the cloth's own normal: straight out of a limb that presses on it may lead
            // into the next one. Further then, by the slant.
            let way = if layer.stiff { asked.normal } else { normals[v as usize] };
            let slant = way.dot(asked.normal).max(0.4);
            let gradient = linear(v).transpose() * way;
            demands.push(Demand {
                vertices: [v; 3],
                gradients: [gradient, Vec3::ZERO, Vec3::ZERO],
                need: (margin - asked.clearance) / slant,
            });
        }
    }

    fn push(&mut self, demands: &[Demand]) {
        let layer = &mut self.outfit.layers[self.layer];
        let neighbours = &layer.topology.neighbours;
        let mut field = vec![Vec3::ZERO; layer.rest.len()];
        let near: Vec<Demand> =
            demands.iter().map(|d| Demand { need: d.need.min(LONGEST_STEP), ..*d }).collect();
        meet(&near, &mut field, 20);
        swell(neighbours, &near, &mut field);
        for ((f, p), start) in field.iter_mut().zip(&layer.rest).zip(&self.start) {
            *f += *p - *start;
        }
        smooth(neighbours, &mut field, 2);
        for ((p, start), d) in layer.rest.iter_mut().zip(&self.start).zip(&field) {
            *p = *start + d.clamp_length_max(self.settings.limit);
        }
        self.keep_whole();
    }

    fn shift(&mut self, demands: &[Demand]) {
        let layer = &mut self.outfit.layers[self.layer];
        let topology = &layer.topology;
        // Shells of one assembly go together.
        let parts = if layer.rigid.is_empty() { &topology.shell_of_vertex } else { &*layer.rigid };
        let mut of_part = vec![Vec::new(); topology.shells];
        demands.iter().for_each(|d| of_part[parts[d.vertices[0] as usize] as usize].push(*d));
        let shifts: Vec<Vec3> = of_part.iter().map(|d| best_shift(d)).collect();
        for (v, (p, start)) in layer.rest.iter_mut().zip(&self.start).enumerate() {
            let shift = shifts[parts[v] as usize];
            *p = *start + (*p + shift - *start).clamp_length_max(self.settings.limit);
        }
    }

    fn report(&self, before: Score, after: Score) -> PieceReport {
        let layer = &self.outfit.layers[self.layer];
        let moves: Vec<f32> = layer.rest.iter().zip(&self.start).map(|(p, s)| p.distance(*s)).collect();
        let furthest = moves.iter().copied().fold(0.0, f32::max);
        let at_limit = furthest >= self.settings.limit * 0.999;
        let left = (after.count > 0).then(|| {
            if layer.stiff {
                "it is stiff: no single move of the whole plate clears every pose".to_owned()
            } else if at_limit {
                format!("it reached the limit of {:.0} mm", self.settings.limit * 1000.0)
            } else {
                "pushing further clears one pose by spoiling another, or presses into the layer above"
                    .to_owned()
            }
        });
        PieceReport {
            layer: self.layer,
            moved: moves.iter().filter(|m| **m > 1e-5).count(),
            furthest,
            deepest_before: before.deepest,
            deepest_after: after.deepest,
            count_before: before.count,
            count_after: after.count,
            left,
        }
    }
}
