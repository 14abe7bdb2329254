//! Seating: where pieces lie at rest, and putting them where they belong.

use crate::{Chosen, Dress, Piece, PieceId, PieceKind, Room, ViewPart, WorkshopError};
use glam::Vec3;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::sync::{Arc, PoisonError};
use tin_cloak_core::clearance::{Covering, PosedSide, Side};
use tin_cloak_core::mesh::vertex_normals_into;
use tin_cloak_core::query::Tree;
use tin_cloak_core::seat::{
    covered_joints, ease, find_pose, rest_from_pose, FoundPose, Gap, GapWish, Placement, Sitting,
};
use tin_cloak_core::skeleton::Pose;
use tin_cloak_core::trial::{Humanoid, Limbs};
use tin_cloak_core::JointId;

/// Nothing further from a piece than this is what it lies on, metres.
const REACH: f32 = 0.08;
/// Upper ends of the bars of the gap histogram, millimetres; the first holds what is sunk.
pub const GAP_BARS: [f32; 8] = [0.0, 2.0, 4.0, 8.0, 12.0, 20.0, 40.0, 80.0];

/// The gap of each welded vertex of a piece.
pub(crate) type Gaps = Arc<Vec<Option<Gap>>>;

/// All that lies beneath a piece, at rest, as one surface.
pub struct Ground {
    side: Side,
    posed: PosedSide,
    positions: Vec<Vec3>,
}

impl Ground {
    /// The body and the pieces on layers below that of piece `index`.
    pub fn beneath(dress: &Dress, index: usize) -> Self {
        let body = &dress.body;
        let (mut positions, mut triangles) = (body.rest.clone(), body.topology.triangles.clone());
        let layer = dress.pieces[index].layer;
        for piece in dress.pieces.iter().filter(|p| p.layer < layer && !p.cage) {
            let first = positions.len() as u32;
            positions.extend(&piece.rest);
            let outside = &piece.walls().outside().topology.triangles;
            triangles.extend(outside.iter().map(|t| t.map(|v| v + first)));
        }
        let side = Side::new(positions.len(), &triangles);
        let posed = side.pose(&positions);
        Self { side, posed, positions }
    }

    fn covering(&self) -> Covering<'_> {
        Covering { side: &self.side, posed: &self.posed, positions: &self.positions }
    }

    /// The way from the nearest vertex of `piece` to the surface, metres.
    pub fn way_to(&self, piece: &Piece) -> Option<Vec3> {
        let way = |p: &Vec3| Some(self.posed.tree.closest(*p, f32::INFINITY)?.point - *p);
        let ways = piece.rest.par_iter().with_min_len(256).filter_map(way);
        ways.min_by(|a, b| a.length_squared().total_cmp(&b.length_squared()))
    }

    /// The gap of each vertex of the measured side of `piece`.
    pub fn gaps(&self, piece: &Piece) -> Vec<Option<Gap>> {
        self.gaps_at(piece, &piece.rest)
    }

    /// The same with the piece's vertices at `positions` (welded, metres).
    pub fn gaps_at(&self, piece: &Piece, positions: &[Vec3]) -> Vec<Option<Gap>> {
        self.covering().gaps(positions, &outward_normals(piece, positions), REACH)
    }

    /// The same of the vertices named, in their order.
    pub fn gaps_of(&self, piece: &Piece, positions: &[Vec3], vertices: &[usize]) -> Vec<Option<Gap>> {
        let normals = outward_normals(piece, positions);
        let pick = |list: &[Vec3]| vertices.iter().map(|&v| list[v]).collect::<Vec<_>>();
        self.covering().gaps(&pick(positions), &pick(&normals), REACH)
    }
}

/// Unit normals of a piece's measured side, away from the body; zero off that side.
fn outward_normals(piece: &Piece, positions: &[Vec3]) -> Vec<Vec3> {
    let side = &piece.walls().towards_body.topology;
    let mut normals = vec![Vec3::ZERO; positions.len()];
    vertex_normals_into(positions, &side.triangles, &side.incident, &mut normals);
    normals
}

/// How a piece sits at rest. Millimetres.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct SeatReport {
    /// Vertices with something beneath them.
    pub measured: usize,
    /// Those inside what lies beneath, beyond the tolerance.
    pub sunk: usize,
    pub deepest_mm: f32,
    pub mean_mm: f32,
    pub widest_mm: f32,
    /// Vertices a bar of [`GAP_BARS`].
    pub bars: [usize; 8],
}

impl SeatReport {
    /// True when something lies beneath it and nothing of it is sunk.
    pub fn is_seated(&self) -> bool {
        self.measured > 0 && self.sunk == 0
    }

    pub(crate) fn of(gaps: &[Option<Gap>], tolerance_mm: f32) -> Self {
        let mut report = Self::default();
        let mut sum = 0.0;
        for gap in gaps.iter().flatten() {
            let mm = gap.clearance * 1000.0;
            report.measured += 1;
            sum += mm;
            report.widest_mm = report.widest_mm.max(mm);
            report.deepest_mm = report.deepest_mm.max(-mm);
            report.sunk += usize::from(mm < -tolerance_mm);
            let bar = GAP_BARS.iter().position(|end| mm < *end).unwrap_or(GAP_BARS.len() - 1);
            report.bars[bar] += 1;
        }
        report.mean_mm = sum / report.measured.max(1) as f32;
        report
    }
}

impl Room {
    /// What lies beneath piece `index`, kept.
    pub(crate) fn ground(&self, index: usize) -> Arc<Ground> {
        let known = |kept: &HashMap<usize, Arc<Ground>>| kept.get(&index).cloned();
        if let Some(ground) = known(&self.grounds.lock().unwrap_or_else(PoisonError::into_inner)) {
            return ground;
        }
        // Made without the lock: pieces are looked over side by side.
        let ground = Arc::new(Ground::beneath(&self.dress, index));
        self.grounds.lock().unwrap_or_else(PoisonError::into_inner).insert(index, Arc::clone(&ground));
        ground
    }

    /// The gaps of piece `index` at rest, kept.
    pub(crate) fn rest_gaps(&self, index: usize) -> Gaps {
        if let Some(kept) = self.gaps.lock().unwrap_or_else(PoisonError::into_inner).get(&index) {
            return Arc::clone(kept);
        }
        let gaps: Gaps = Arc::new(self.ground(index).gaps(&self.dress.pieces[index]));
        self.gaps.lock().unwrap_or_else(PoisonError::into_inner).insert(index, Arc::clone(&gaps));
        gaps
    }

    /// How piece `index` of the dress sits.
    pub fn seat_report(&self, index: usize) -> SeatReport {
        SeatReport::of(&self.rest_gaps(index), self.state.tolerance_mm)
    }

    /// A piece at rest as easing would leave it, with its gaps (millimetres),
    /// and how far it would move.
    ///
    /// # Errors
    /// As [`eased`], and when the piece is not there.
    pub fn ease_view(
        &self,
        piece: PieceId,
        chosen: &Chosen,
        options: EaseOptions,
    ) -> Result<(ViewPart, HowFar), WorkshopError> {
        let missing = WorkshopError::Missing { what: "piece", id: i64::from(piece) };
        let index = self.index_of(piece).ok_or(missing)?;
        let piece = &self.dress.pieces[index];
        let rest = eased(&self.dress, index, &chosen_vertices(piece, chosen)?, options)?;
        let gaps = self.ground(index).gaps_at(piece, &rest);
        Ok((self.rest_part(index, &rest, &gaps), HowFar::between(&piece.rest, &rest)))
    }

    /// A piece with its vertices at `rest`, coloured by its gaps.
    pub(crate) fn rest_part(&self, index: usize, rest: &[Vec3], gaps: &[Option<Gap>]) -> ViewPart {
        let piece = &self.dress.pieces[index];
        let map: Vec<f32> = gaps.iter().map(|g| g.map_or(f32::NAN, |g| g.clearance * 1000.0)).collect();
        let weld = &piece.topology.weld;
        let positions = weld.scatter(rest);
        let normals = piece.shading.normals(&positions);
        ViewPart { id: self.piece_state(index).id, positions, normals, map: Some(weld.scatter(&map)) }
    }
}

/// Where a piece goes, as people say it: millimetres, degrees and percent.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct PlaceOptions {
    /// To the left, up, forward.
    pub shift_mm: [f32; 3],
    /// About the axes to the left, up and forward, in that order.
    pub turn_degrees: [f32; 3],
    /// An axis each, before the turn.
    pub size_percent: [f32; 3],
    /// The joint about which it turns and grows; its own middle when none is named.
    pub about: Option<u16>,
    /// The joint to which its own middle is brought first.
    #[serde(default)]
    pub onto: Option<u16>,
}

impl PlaceOptions {
    /// Leaves the piece where it is.
    pub const NONE: Self = Self {
        shift_mm: [0.0; 3],
        turn_degrees: [0.0; 3],
        size_percent: [100.0; 3],
        about: None,
        onto: None,
    };

    /// The placement of `piece`.
    ///
    /// # Errors
    /// When a number is not one, a size is not above 0, or the joint is not there.
    pub fn placement(&self, dress: &Dress, piece: &Piece) -> Result<Placement, WorkshopError> {
        let all = self.shift_mm.iter().chain(&self.turn_degrees).chain(&self.size_percent);
        if !all.clone().all(|x| x.is_finite()) || self.size_percent.iter().any(|s| *s < 0.01 || *s > 1e6) {
            return Err(WorkshopError::BadPlacement);
        }
        let places = dress.body.skeleton.rest_positions();
        let joint = |joint: u16| {
            let missing = WorkshopError::Missing { what: "joint", id: i64::from(joint) };
            places.get(usize::from(joint)).copied().ok_or(missing)
        };
        let (low, high) = tin_cloak_core::mesh::bounds(&piece.rest);
        let own = (low + high) * 0.5;
        let middle = self.about.map_or(Ok(own), joint)?;
        let snap = self.onto.map_or(Ok(own), joint)? - own;
        let [x, y, z] = self.turn_degrees.map(f32::to_radians);
        Ok(Placement {
            middle,
            shift: Vec3::from(self.shift_mm) * 0.001 + snap,
            turn: glam::Quat::from_euler(glam::EulerRot::ZYX, z, y, x),
            scale: Vec3::from(self.size_percent) * 0.01,
        })
    }
}

/// Easing, in millimetres.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct EaseOptions {
    /// At least this much clearance.
    pub least_mm: f32,
    /// At most this much, when it is to be drawn in.
    pub most_mm: Option<f32>,
}

/// Which vertices of a piece are chosen.
///
/// # Errors
/// When the brush reaches nowhere.
pub(crate) fn chosen_vertices(piece: &Piece, chosen: &Chosen) -> Result<Vec<bool>, WorkshopError> {
    match chosen {
        Chosen::Everything => Ok(vec![true; piece.rest.len()]),
        Chosen::Around(reach) => reach.vertices(piece),
    }
}

/// New rest positions of piece `index` with its `chosen` vertices eased.
///
/// # Errors
/// When the piece is stiff or the wish makes no sense.
pub fn eased(
    dress: &Dress,
    index: usize,
    chosen: &[bool],
    options: EaseOptions,
) -> Result<Vec<Vec3>, WorkshopError> {
    let piece = &dress.pieces[index];
    if piece.kind == PieceKind::Stiff {
        return Err(WorkshopError::StiffIsNotEased { piece: piece.name.clone() });
    }
    let most = options.most_mm.unwrap_or(f32::INFINITY);
    let sane = options.least_mm.is_finite() && options.least_mm.abs() <= 200.0 && most >= options.least_mm;
    if !sane {
        return Err(WorkshopError::BadEase);
    }
    let wish = GapWish { least: options.least_mm * 0.001, most: most * 0.001 };
    let ground = Ground::beneath(dress, index);
    let side = &piece.walls().towards_body;
    Ok(ease(&piece.rest, &piece.topology, side, chosen, ground.covering(), wish, REACH))
}

/// How many vertices moved, and how far at most, millimetres.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
#[allow(missing_docs)]
pub struct HowFar {
    pub vertices: usize,
    pub most_mm: f32,
}

impl HowFar {
    fn between(before: &[Vec3], after: &[Vec3]) -> Self {
        let moves = before.iter().zip(after).map(|(a, b)| a.distance(*b)).filter(|d| *d > 1e-5);
        let (vertices, most) = moves.fold((0, 0.0f32), |(n, most), d| (n + 1, most.max(d)));
        Self { vertices, most_mm: most * 1000.0 }
    }
}

/// The same as a sentence.
pub(crate) fn moved_note(name: &str, before: &[Vec3], after: &[Vec3]) -> String {
    let HowFar { vertices, most_mm } = HowFar::between(before, after);
    format!("{name}: {vertices} vertices moved, at most {most_mm:.1} mm")
}

/// The joints whose pose is searched for, from the trunk out: limbs that the piece covers, legs
/// only when cloth goes between them, as trousers do and skirts do not.
fn limbs_to_search(dress: &Dress, sitting: &Sitting, piece: &Piece) -> Vec<JointId> {
    let person = Humanoid::find(&dress.body.skeleton);
    let covered = covered_joints(sitting);
    let places = dress.body.skeleton.rest_positions();
    let tree = Tree::build(&piece.rest, &piece.topology.triangles);
    let middle =
        |a: Option<JointId>, b: Option<JointId>| Some((places[a?.index()] + places[b?.index()]) * 0.5);
    let cloth_between = |a: Option<Vec3>, b: Option<Vec3>| {
        let (Some(a), Some(b)) = (a, b) else { return false };
        tree.ray(a, b - a, (0.0, 1.0), |_, _| true).is_some()
    };
    let (l, r) = (&person.left, &person.right);
    let mut limbs = vec![l.upper_arm, r.upper_arm, l.lower_arm, r.lower_arm];
    let thigh = |s: &Limbs| middle(s.upper_leg, s.lower_leg);
    if cloth_between(thigh(l), thigh(r)) {
        limbs.extend([l.upper_leg, r.upper_leg, l.lower_leg, r.lower_leg]);
    }
    limbs.into_iter().flatten().filter(|j| covered.contains(j)).collect()
}

/// The pose of the body in which piece `index` was modelled.
///
/// # Errors
/// When the piece covers no limb, or `progress` says no.
pub fn pose_of_piece(
    dress: &Dress,
    index: usize,
    progress: &(dyn Fn(f32) -> bool + Sync),
) -> Result<(FoundPose, Vec<JointId>), WorkshopError> {
    let (body, piece) = (&dress.body, &dress.pieces[index]);
    let normals = outward_normals(piece, &piece.rest);
    let sitting = Sitting {
        skeleton: &body.skeleton,
        rest: &body.rest,
        triangles: &body.topology.triangles,
        incident: &body.topology.incident,
        skin: &body.welded_skin,
        piece: &piece.rest,
        normals: &normals,
    };
    let joints = limbs_to_search(dress, &sitting, piece);
    if joints.is_empty() {
        return Err(WorkshopError::NoLimbCovered { piece: piece.name.clone() });
    }
    let start = Pose::rest(body.skeleton.len());
    let found = find_pose(&sitting, &joints, &start, progress).ok_or(WorkshopError::Stopped)?;
    Ok((found, joints))
}

/// Rest positions of piece `index`, modelled round the body in `pose`.
///
/// # Errors
/// When its weights cannot be solved for.
pub fn carried_to_rest(dress: &Dress, index: usize, pose: &Pose) -> Result<Vec<Vec3>, WorkshopError> {
    let (body, piece) = (&dress.body, &dress.pieces[index]);
    let surface = (body.rest.as_slice(), body.topology.triangles.as_slice(), &body.welded_skin);
    let matrices = body.skeleton.skin_matrices(pose);
    let carried = rest_from_pose(surface, &matrices, (&piece.rest, &piece.topology), 4);
    let fail = |source| WorkshopError::Bind { piece: piece.name.clone(), source };
    Ok(carried.map_err(fail)?.0)
}

/// What was found, for people.
pub(crate) fn pose_notes(dress: &Dress, found: &FoundPose, joints: &[JointId]) -> Vec<String> {
    let mm = |metres: f32| metres * 1000.0;
    let names = &dress.body.skeleton.names;
    let turned: Vec<String> = joints
        .iter()
        .map(|j| (j, found.pose.rotations[j.index()].angle_between(glam::Quat::IDENTITY).to_degrees()))
        .filter(|(_, degrees)| *degrees >= 1.0)
        .map(|(j, degrees)| format!("{} {degrees:.0}°", names[j.index()]))
        .collect();
    let turned = if turned.is_empty() { "at rest".to_owned() } else { turned.join(", ") };
    vec![
        format!("modelled with {turned}"),
        format!(
            "typical gap {:.1} mm, uneven by {:.1} mm (was {:.1}), deepest sunk {:.1} mm",
            mm(found.typical_gap),
            mm(found.unevenness),
            mm(found.unevenness_before),
            mm(found.deepest_sunk)
        ),
    ]
}
