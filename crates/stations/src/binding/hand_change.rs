//! Changing weights by hand.

use glam::Vec3;
use std::collections::BTreeMap;
use std::sync::Arc;
use tin_cloak_core::bind::by_hand::{
    crease, crease_along, exchange, fade, gains, give, give_each, gradient, harden, mean_of, refill,
    smooth_joints, tabled, towards, Along, Amount, ByHand, Crease, CreaseAlong, Fade, Given, Gradient, Rest,
};
use tin_cloak_core::bind::clean::{BoundMesh, Row};
use tin_cloak_core::bind::BindError;
use tin_cloak_core::intake::mirror_partner;
use tin_cloak_core::mesh::vertex_normal;
use tin_cloak_core::query::Bvh;
use tin_cloak_core::skeleton::Pose;
use tin_cloak_core::skin::Skin;
use tin_cloak_core::units::from_mm;
use tin_cloak_core::JointId;
use tin_cloak_model::dress::beneath::Beneath;
use tin_cloak_model::dress::body::Body;
use tin_cloak_model::dress::chosen::soft_shares;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::error::WorkshopError;
use tin_cloak_model::state::by_hand::{HandAmount, HandChange, HandRest};
use tin_cloak_model::state::choice::What;
use tin_cloak_model::state::names::PieceId;
use tin_cloak_model::state::stroke::{Chosen, Reach};

/// Less than this in all is not told.
const LEAST_TOLD: f32 = 0.01;
/// More joints than this are not told one by one.
const TOLD: usize = 4;

/// Weights that others have, made when they are asked for: of what lies beneath, or of one part; none where that is not
/// bound.
pub type Source<'a> = &'a dyn Fn(Option<PieceId>) -> Option<Arc<Beneath>>;

/// A piece, the body it is on, and what lies beneath it, made when it is asked for.
#[derive(Clone, Copy)]
pub struct OnPiece<'a> {
    pub piece: &'a Piece,
    pub body: &'a Body,
    pub beneath: Source<'a>,
}

/// On what a change works, and how much of it each vertex gets.
#[derive(Clone, Copy)]
pub struct HowMuch<'a> {
    pub chosen: &'a Chosen,
    /// The share of a brush's radius that gets all of it, in percent, where it falls off.
    pub firm: Option<f32>,
    /// By vertex, of a change that fades beyond what is chosen.
    pub faded: Option<&'a [f32]>,
}

/// New weights of a bound piece after a change on what is chosen.
///
/// # Errors
/// When a joint or a vertex is not there, a number makes no sense, or the weight has nowhere to go.
pub fn changed_by_hand(
    on: OnPiece,
    bound: BoundMesh,
    change: &HandChange,
    how: HowMuch,
) -> Result<(Skin, Vec<String>), WorkshopError> {
    let OnPiece { piece, body, .. } = on;
    let fail = |source: BindError| WorkshopError::Bind { piece: piece.name.clone(), source };
    let by_number = match change {
        HandChange::Placed { joints, rows } => Some(by_number(piece, joints, rows)?),
        _ => None,
    };
    let change = by_number.as_ref().map_or(change, |found| &found.0);
    let mut told = ByHand { skin: bound.skin.clone(), full: 0, nowhere: 0 };
    for (change, shares) in passes(piece, body, change, how)? {
        let pass = made(on, BoundMesh { skin: &told.skin, ..bound }, &change, &shares)?.map_err(fail)?;
        told = ByHand { full: told.full + pass.full, nowhere: told.nowhere + pass.nowhere, skin: pass.skin };
    }
    let all = gains(bound.skin, &told.skin, body.skeleton.len());
    if all.is_empty() && told.skin == *bound.skin {
        return Err(nothing_changed(&told, piece));
    }
    let mut notes: Vec<String> =
        Some(gained(all, body)).filter(|told| !told.is_empty()).into_iter().collect();
    notes.extend(by_number.as_ref().and_then(|found| found.1.clone()));
    if told.full > 0 {
        notes.push(format!("{} vertices had all of it already", told.full));
    }
    if told.nowhere > 0 {
        notes.push(format!("at {} vertices the weight had nowhere to go: they keep theirs", told.nowhere));
    }
    Ok((told.skin, notes))
}

/// A place no further from a vertex than this is meant for it, millimetres.
const MEANT_MM: f32 = 1.0;

/// A table by places as one by vertices, and what of it did not fit. Of several places for one vertex the nearest
/// counts.
fn by_number(
    piece: &Piece,
    joints: &[String],
    rows: &[([f32; 3], Vec<f32>)],
) -> Result<(HandChange, Option<String>), WorkshopError> {
    let tree = Bvh::over_points(&piece.rest);
    let mut nearest: BTreeMap<u32, (f32, usize)> = BTreeMap::new();
    for (at, (place, _)) in rows.iter().enumerate() {
        let Some(hit) = tree.closest(Vec3::from(*place), from_mm(MEANT_MM)) else { continue };
        let known = nearest.entry(hit.triangle).or_insert((f32::INFINITY, at));
        if hit.distance_squared < known.0 {
            *known = (hit.distance_squared, at);
        }
    }
    if nearest.is_empty() {
        let (piece, rows) = (piece.name.clone(), rows.len());
        return Err(WorkshopError::NoPlaceFits { piece, rows, mm: MEANT_MM });
    }
    let (fit, left) = (nearest.len(), piece.rest.len() - nearest.len());
    let unlike = rows.len() - fit;
    let note = (unlike + left > 0).then(|| {
        format!(
            "{fit} places fit a vertex within {MEANT_MM} mm; {unlike} fit none, {left} vertices keep theirs"
        )
    });
    let table = nearest.into_iter().map(|(v, (_, at))| (v, rows[at].1.clone())).collect();
    Ok((HandChange::Table { joints: joints.to_vec(), rows: table }, note))
}

/// A change with how much of it each vertex gets; of a brush on both sides the other side's joints do there what
/// the named ones do here.
fn passes(
    piece: &Piece,
    body: &Body,
    change: &HandChange,
    HowMuch { chosen, firm, faded }: HowMuch,
) -> Result<Vec<(HandChange, Vec<f32>)>, WorkshopError> {
    let on_other_side = |change: &HandChange| {
        let mut other = change.clone();
        for name in other.joints_mut() {
            let partner = body.skeleton.find(name).and_then(|j| mirror_partner(&body.skeleton, j));
            *name = partner.map_or_else(|| name.clone(), |j| body.skeleton.names[j.index()].clone());
        }
        other
    };
    if let Some(shares) = faded {
        return Ok(vec![(change.clone(), shares.to_vec())]);
    }
    let Chosen::Around(reach) = chosen else {
        let everywhere = vec![1.0; piece.rest.len()];
        let mirrored =
            matches!(chosen, Chosen::Picks(picks) if picks.iter().any(|p| p.what == What::Mirrored));
        let Some(side) = side_of(body, change).filter(|_| mirrored) else {
            return Ok(vec![(change.clone(), everywhere)]);
        };
        // What was chosen on both sides changes on each by the joints of that side.
        let plane = body.plane();
        let here = |p: &Vec3| f32::from((p.x - plane) * side >= 0.0);
        let own: Vec<f32> = piece.rest.iter().map(here).collect();
        let across = own.iter().map(|share| 1.0 - share).collect();
        return Ok(vec![(change.clone(), own), (on_other_side(change), across)]);
    };
    let firm = firm.unwrap_or(100.0);
    let own = Reach { mirrored: false, ..reach.clone() };
    let mut passes = vec![(change.clone(), soft_shares(piece, &own, firm)?)];
    if reach.mirrored {
        passes.push((
            on_other_side(change),
            soft_shares(piece, &reach.image(&piece.rest, piece.plane)?, firm)?,
        ));
    }
    Ok(passes)
}

/// On which side of the body the first joint lies that a change names and that has a partner on the other: 1 where x is
/// larger than in the middle, else −1.
fn side_of(body: &Body, change: &HandChange) -> Option<f32> {
    let skeleton = &body.skeleton;
    let places = skeleton.world(&Pose::rest(skeleton.len()));
    let x = |j: JointId| places[j.index()].w_axis.x;
    let sided = |name: &String| {
        let joint = skeleton.find(name)?;
        let partner = mirror_partner(skeleton, joint).filter(|p| *p != joint)?;
        Some((x(joint) - x(partner)).signum())
    };
    change.clone().joints_mut().into_iter().find_map(|name| sided(name))
}

fn nothing_changed(told: &ByHand, piece: &Piece) -> WorkshopError {
    match (told.full, told.nowhere) {
        (0, 0) => WorkshopError::NothingToClean { piece: piece.name.clone() },
        (full, nowhere) if full >= nowhere => WorkshopError::HasAllOfIt { piece: piece.name.clone() },
        _ => WorkshopError::NowhereToGo { piece: piece.name.clone() },
    }
}

/// Which joints gained and lost how much, most first.
fn gained(mut all: Vec<(JointId, f32)>, body: &Body) -> String {
    all.sort_by(|a, b| b.1.abs().total_cmp(&a.1.abs()));
    let one = |&(j, w): &(JointId, f32)| {
        format!("{} {}{:.2}", body.skeleton.names[j.index()], if w < 0.0 { "−" } else { "+" }, w.abs())
    };
    all.retain(|e| e.1.abs() >= LEAST_TOLD);
    let mut told: Vec<String> = all.iter().take(TOLD).map(one).collect();
    if all.len() > TOLD {
        told.push(format!("and {} more", all.len() - TOLD));
    }
    told.join(", ")
}

type Made = Result<Result<ByHand, BindError>, WorkshopError>;

fn made(on: OnPiece, bound: BoundMesh, change: &HandChange, shares: &[f32]) -> Made {
    let OnPiece { piece, body, beneath } = on;
    let skeleton = &body.skeleton;
    let find = |name: &String| {
        let missing = || WorkshopError::NoSuchJoint { joint: name.clone() };
        skeleton.find(name).ok_or_else(missing)
    };
    let known = |v: u32| {
        let missing = WorkshopError::Missing { what: "vertex", id: i64::from(v) };
        if (v as usize) < piece.rest.len() {
            Ok(v)
        } else {
            Err(missing)
        }
    };
    let rest_of = |rest: &HandRest, joint: JointId| {
        Ok::<_, WorkshopError>(match rest {
            HandRest::Others => Rest::Others,
            HandRest::Joint(other) => Rest::Joint(find(other)?),
            HandRest::Parent => Rest::Joint(parent_of(body, joint)?),
        })
    };
    let sane =
        |x: f32, most: f32| if (0.0..=most).contains(&x) { Ok(x) } else { Err(WorkshopError::BadClean) };
    Ok(match change {
        HandChange::Give { joint, amount, rest } => {
            let joint = find(joint)?;
            let amount = match *amount {
                HandAmount::Set(to) => Amount::Set(sane(to, 1.0)?),
                HandAmount::Add(by) => Amount::Add(sane(by.abs(), 1.0)?.copysign(by)),
                HandAmount::Times(by) => Amount::Times(sane(by, 100.0)?),
            };
            let rest = rest_of(rest, joint)?;
            give(bound, Given { joint, amount, rest }, shares)
        }
        HandChange::Move { from, to, both } => exchange(bound, find(from)?, find(to)?, *both, shares),
        HandChange::Smooth { joints, strength, times } => {
            let joints: Vec<JointId> = joints.iter().map(find).collect::<Result<_, _>>()?;
            let times = if (1..=100).contains(times) { *times } else { return Err(WorkshopError::BadClean) };
            smooth_joints(bound, &joints, sane(*strength, 1.0)?, times, shares)
        }
        HandChange::Harden { strength } => harden(bound, sane(*strength, 10.0)?, shares),
        HandChange::Copy { vertex } => {
            let row: Row = bound.skin.row(known(*vertex)? as usize).collect();
            towards(bound, |_| Some(row.clone()), shares)
        }
        HandChange::Mean => {
            let row = mean_of(bound);
            towards(bound, |_| Some(row.clone()), shares)
        }
        HandChange::Beneath { share, fade_mm } => {
            sane(*fade_mm, 500.0)?;
            let share = sane(*share, 1.0)?;
            let beneath = beneath(None).ok_or(WorkshopError::BindFirst)?;
            let shares: Vec<f32> = shares.iter().map(|s| s * share).collect();
            towards(bound, |v| beneath.at(piece.rest[v]), &shares)
        }
        HandChange::TakenFrom { part, share, joint } => {
            if *part == piece.id {
                return Err(WorkshopError::FromItself { piece: piece.name.clone() });
            }
            let share = sane(*share, 1.0)?;
            let joint = joint.as_ref().map(find).transpose()?;
            let source = beneath(Some(*part)).ok_or(WorkshopError::BindFirst)?;
            let shares: Vec<f32> = shares.iter().map(|s| s * share).collect();
            let there = |v: usize| source.at(piece.rest[v]);
            let of =
                |row: &Row, joint: JointId| row.iter().filter(|e| e.0 == joint).map(|e| e.1).sum::<f32>();
            match joint {
                None => towards(bound, there, &shares),
                Some(joint) => {
                    let amount = |v: usize| there(v).map(|row| of(&row, joint));
                    give_each(bound, joint, amount, Rest::Others, &shares)
                }
            }
        }
        HandChange::Fade { from, to, ends, along_surface, along_rows, profile } => {
            let ends = [known(ends[0])?, known(ends[1])?];
            let (from, to) = (find(from)?, find(to)?);
            let along = along_of(*along_rows, *along_surface);
            fade(bound, Fade { from, to, ends, along, profile: *profile }, shares)
        }
        HandChange::Gradient { joint, amounts, ends, along_surface, along_rows, profile, rest } => {
            let ends = [known(ends[0])?, known(ends[1])?];
            let amounts = [sane(amounts[0], 1.0)?, sane(amounts[1], 1.0)?];
            let joint = find(joint)?;
            let (along, rest) = (along_of(*along_rows, *along_surface), rest_of(rest, joint)?);
            gradient(bound, Gradient { joint, amounts, ends, along, profile: *profile, rest }, shares)
        }
        HandChange::Refill => return Ok(refill(bound, shares)),
        HandChange::Crease { near, far, ends, width_mm, over } => {
            let ends = [known(ends[0])? as usize, known(ends[1])? as usize];
            let (near, far) = (find(near)?, find(far)?);
            let width = from_mm(sane(*width_mm, 500.0)?);
            let up = ends.map(|v| vertex_normal(&piece.rest, &piece.topology, v)).iter().sum();
            let towards = centre_of(bound, far) - centre_of(bound, near);
            let plane = Crease::plane(piece.rest[ends[0]], piece.rest[ends[1]], up, towards);
            let (point, towards_far) = plane.ok_or(WorkshopError::BadLine)?;
            crease(bound, Crease { near, far, point, towards_far, width, over: *over }, shares)
        }
        HandChange::CreaseAlong { near, far, width_mm, over } => {
            let (near, far) = (find(near)?, find(far)?);
            let width = from_mm(sane(*width_mm, 500.0)?);
            let is_line = |v: &u32| bound.chosen[*v as usize] && shares[*v as usize] >= 1.0;
            let line: Vec<u32> = (0..piece.rest.len() as u32).filter(is_line).collect();
            let all = vec![true; piece.rest.len()];
            let made = crease_along(
                BoundMesh { chosen: &all, ..bound },
                CreaseAlong { near, far, width, over: *over },
                &line,
            );
            made.transpose().ok_or(WorkshopError::NoLineChosen)?
        }
        HandChange::Table { joints, rows } => {
            let joints: Vec<JointId> = joints.iter().map(find).collect::<Result<_, _>>()?;
            for (v, weights) in rows {
                known(*v)?;
                if weights.len() != joints.len() {
                    return Err(WorkshopError::BadTable { vertex: *v });
                }
                let all = weights.iter().map(|w| sane(*w, 1.0)).collect::<Result<Vec<f32>, _>>();
                all.map_err(|_| WorkshopError::BadTable { vertex: *v })?;
            }
            tabled(bound, &joints, rows, shares)
        }
        // It was made one by vertices before.
        HandChange::Placed { .. } => return Err(WorkshopError::BadTable { vertex: 0 }),
    }
    .map_err(BindError::from))
}

fn along_of(rows: bool, surface: bool) -> Along {
    match (rows, surface) {
        (true, _) => Along::Rows,
        (false, true) => Along::Surface,
        (false, false) => Along::Axis,
    }
}

/// The middle of what a joint moves of the chosen vertices, metres.
fn centre_of(bound: BoundMesh, joint: JointId) -> Vec3 {
    let weights = bound.skin.column(joint);
    let own = |v: &usize| bound.chosen[*v];
    let sum: f32 = (0..weights.len()).filter(own).map(|v| weights[v]).sum();
    let all: Vec3 = (0..weights.len()).filter(own).map(|v| bound.positions[v] * weights[v]).sum();
    all / sum.max(f32::MIN_POSITIVE)
}

fn parent_of(body: &Body, joint: JointId) -> Result<JointId, WorkshopError> {
    let without = || WorkshopError::NoParent { joint: body.skeleton.names[joint.index()].clone() };
    body.skeleton.parents[joint.index()].ok_or_else(without)
}
