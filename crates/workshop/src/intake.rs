//! Looking over what came in: findings in plain sentences, with a place and, where there is
//! one, a cure that is a step.

use crate::seating::{PlaceOptions, SeatReport};
use crate::steps::Chosen;
use crate::{Body, Dress, EaseOptions, Piece, PieceKind, PieceState, Room, Step, TrialSet, WorkshopError};
use glam::Vec3;
use tin_cloak_core::deform::linear_blend;
use tin_cloak_core::intake::{
    coarse_bends, guess_body_size, guess_place, guess_units, look_over, look_over_uvs, move_weight_off,
    shells, symmetry, unseen_faces, JointRole, Place, ShellGuess, SurfaceFacts, UnitGuess, Up,
};
use tin_cloak_core::seat::Gap;
use tin_cloak_core::skin::Skin;
use tin_cloak_core::trial::{Humanoid, Limbs};
use tin_cloak_core::JointId;

/// How much a finding matters.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Grade {
    /// Work done now would be wasted.
    Trouble,
    /// Worth a look.
    Doubt,
    /// Good to know.
    Note,
}

/// What one press does about a finding.
#[derive(Clone, Debug, PartialEq)]
pub struct Cure {
    /// On the button.
    pub label: String,
    /// The step.
    pub step: Step,
}

/// Something found.
#[derive(Clone, Debug, PartialEq)]
pub struct Finding {
    /// How much it matters.
    pub grade: Grade,
    /// What was found, in one sentence.
    pub sentence: String,
    /// Where, in the rest pose, metres.
    pub place: Option<Vec3>,
    /// What can be done about it here.
    pub cure: Option<Cure>,
}

impl Finding {
    fn new(grade: Grade, sentence: impl Into<String>) -> Self {
        Self { grade, sentence: sentence.into(), place: None, cure: None }
    }

    fn at(mut self, place: Vec3) -> Self {
        self.place = Some(place);
        self
    }

    fn cured_by(mut self, label: impl Into<String>, step: Step) -> Self {
        self.cure = Some(Cure { label: label.into(), step });
        self
    }
}

fn counted(count: usize, one: &str, many: &str) -> String {
    if count == 1 {
        format!("1 {one}")
    } else {
        format!("{count} {many}")
    }
}

fn mm(metres: f32) -> String {
    let mm = metres * 1000.0;
    if mm.abs() < 10.0 {
        format!("{mm:.1} mm")
    } else {
        format!("{mm:.0} mm")
    }
}

/// Looks over the body of a dress.
pub fn look_over_body(body: &Body) -> Vec<Finding> {
    let mut found = Vec::new();
    found.extend(size_of_body(body));
    found.extend(controls_with_weight(body));
    found.extend(idle_limbs(body));
    found.extend(influences(body));
    found.extend(faulty_weights(body));
    let facts = look_over(&body.topology, &body.rest);
    found.extend(openings_of_body(&facts));
    found.extend(surface(&facts, &body.rest, &body.topology.triangles));
    if !facts.inside_out.is_empty() {
        let text =
            "the body's faces look inward: flip them where it was made, or clearance is measured backwards";
        found.push(Finding::new(Grade::Trouble, text));
    }
    let sides = symmetry(&body.rest);
    let all = body.rest.len();
    found.push(Finding::new(
        Grade::Note,
        format!(
            "{} of {all} vertices have a partner on the other side (plane at x = {}, off by at most {:.2} mm)",
            sides.paired,
            mm(sides.plane),
            sides.worst * 1000.0
        ),
    ));
    let driven: Vec<&str> =
        body.morphs.iter().filter(|m| m.driver.is_some()).map(|m| m.name.as_str()).collect();
    let free: Vec<&str> =
        body.morphs.iter().filter(|m| m.driver.is_none()).map(|m| m.name.as_str()).collect();
    if !driven.is_empty() {
        let text = format!("shapes that the pose calls up, which no piece has yet: {}", driven.join(", "));
        found.push(Finding::new(Grade::Note, text));
    }
    if !free.is_empty() {
        found.push(Finding::new(
            Grade::Note,
            format!("body shapes which no piece has yet: {}", free.join(", ")),
        ));
    }
    found.sort_by_key(|f| f.grade);
    found
}

fn size_of_body(body: &Body) -> Option<Finding> {
    let (scale, up) = guess_body_size(&body.rest)?;
    let (low, high) = tin_cloak_core::mesh::bounds(&body.rest);
    let tall = if up == Up::Z { (high - low).z } else { (high - low).y };
    let lies = if up == Up::Z { "lies on its back (Z is up in its file)" } else { "stands upright" };
    let text = match unit_words(scale) {
        _ if scale == 1.0 => format!("the body {lies}"),
        unit => format!("the body {lies} and is {tall:.2} m tall: it seems to be modelled {unit}"),
    };
    let step = Step::SizeBody { scale, up };
    Some(Finding::new(Grade::Trouble, text).cured_by("Bring the body to metres, Y up", step))
}

fn unit_words(scale: f32) -> String {
    let known = match scale {
        0.01 => "in centimetres",
        0.001 => "in millimetres",
        0.0254 => "in inches",
        0.3048 => "in feet",
        0.1 => "in decimetres",
        10.0 => "ten times too small",
        1.0 => "in metres",
        _ => return format!("at one to {scale}"),
    };
    known.to_owned()
}

fn controls_with_weight(body: &Body) -> Option<Finding> {
    let facts = body.joint_facts();
    let bad: Vec<usize> =
        (0..facts.len()).filter(|&j| facts[j].role == JointRole::Control && facts[j].vertices > 0).collect();
    let first = *bad.first()?;
    let names: Vec<&str> = bad.iter().map(|&j| body.skeleton.names[j].as_str()).collect();
    let vertices: usize = bad.iter().map(|&j| facts[j].vertices).sum();
    let text = format!(
        "weight on {} is carried by {}: control joints should move no skin",
        counted(vertices, "vertex", "vertices"),
        names.join(", ")
    );
    let moves = |v: &usize| body.welded_skin.row(*v).any(|(j, _)| j.index() == first);
    let place = (0..body.rest.len()).find(moves).map_or(Vec3::ZERO, |v| body.rest[v]);
    Some(
        Finding::new(Grade::Trouble, text)
            .at(place)
            .cured_by("Move it to joints that deform", Step::ClearControls),
    )
}

/// Limb joints that carry nothing while a twist joint beside them does.
fn idle_limbs(body: &Body) -> Option<Finding> {
    let facts = body.joint_facts();
    let person = Humanoid::find(&body.skeleton);
    let limbs = |l: &Limbs| [l.upper_arm, l.lower_arm, l.upper_leg, l.lower_leg];
    let twisted = |j: &JointId| {
        let child = |k: &usize| body.skeleton.parents[*k] == Some(*j) && facts[*k].role == JointRole::Twist;
        (0..facts.len()).filter(child).any(|k| facts[k].vertices > 0)
    };
    let all = limbs(&person.left).into_iter().chain(limbs(&person.right)).flatten();
    let idle: Vec<&str> = all
        .filter(|j| facts[j.index()].vertices == 0 && twisted(j))
        .map(|j| body.skeleton.names[j.index()].as_str())
        .collect();
    (!idle.is_empty()).then(|| {
        let text = format!("no weight on {}: their twist joints carry it, so paint those", idle.join(", "));
        Finding::new(Grade::Note, text)
    })
}

fn influences(body: &Body) -> Option<Finding> {
    let most = body.welded_skin.max_influences();
    let over =
        |limit: usize| (0..body.rest.len()).filter(|&v| body.welded_skin.row(v).count() > limit).count();
    let (four, eight) = (over(4), over(8));
    (four > 0).then(|| {
        let more = if eight > 0 { format!(", {eight} of them more than 8") } else { String::new() };
        let vertices = counted(four, "vertex follows", "vertices follow");
        Finding::new(Grade::Note, format!("{vertices} more than 4 joints (at most {most}){more}"))
    })
}

/// What was put right on reading, so that nobody is surprised.
fn faulty_weights(body: &Body) -> Vec<Finding> {
    let faults = &body.weight_faults;
    let mut found = Vec::new();
    if let Some(&first) = faults.weightless.first() {
        let vertices = counted(faults.weightless.len(), "vertex", "vertices");
        let text = format!("{vertices} had no weight at all: now moved as the nearest vertex that has some");
        found.push(Finding::new(Grade::Doubt, text).at(body.mesh.positions[first as usize]));
    }
    if faults.unnormalised > 0 {
        let vertices = counted(faults.unnormalised, "vertex", "vertices");
        let text = format!("weights at {vertices} did not sum to one: they have been normalised");
        found.push(Finding::new(Grade::Note, text));
    }
    found
}

fn openings_of_body(facts: &SurfaceFacts) -> Vec<Finding> {
    let large: Vec<_> = facts.openings.iter().filter(|o| o.width() > 0.015).collect();
    let one = |o: &&&tin_cloak_core::intake::Opening| {
        let text = format!(
            "the body is open: a hole about {} wide ({} edges); cloth over it falls in",
            mm(o.width()),
            o.vertices.len()
        );
        Finding::new(Grade::Doubt, text).at(o.middle)
    };
    let mut found: Vec<Finding> = large.iter().take(4).map(|o| one(&o)).collect();
    if large.len() > 4 {
        found.push(Finding::new(Grade::Doubt, format!("and {} smaller holes", large.len() - 4)));
    }
    found
}

/// Faces that spoil any computation, of a body or a piece.
fn surface(facts: &SurfaceFacts, positions: &[Vec3], triangles: &[[u32; 3]]) -> Vec<Finding> {
    let mut found = Vec::new();
    let at = |face: u32| positions[triangles[face as usize][0] as usize];
    if let Some(&first) = facts.empty_faces.first() {
        let text = format!("{} without area", counted(facts.empty_faces.len(), "face", "faces"));
        found.push(Finding::new(Grade::Doubt, text).at(at(first)));
    }
    if let Some(&first) = facts.doubled_faces.first() {
        let faces = counted(facts.doubled_faces.len(), "face lies", "faces lie");
        found.push(Finding::new(Grade::Doubt, format!("{faces} on another face")).at(at(first)));
    }
    if let Some(&[a, _]) = facts.crowded_edges.first() {
        let edges = counted(facts.crowded_edges.len(), "edge", "edges");
        let text = format!("{edges} at which more than two faces meet");
        found.push(Finding::new(Grade::Doubt, text).at(positions[a as usize]));
    }
    found
}

/// Looks over piece `index` of a room.
pub fn look_over_piece(room: &Room, index: usize) -> Vec<Finding> {
    let (dress, id) = (&room.dress, room.piece_state(index).id);
    let (body, piece) = (&dress.body, &dress.pieces[index]);
    let mut found = Vec::new();
    if piece.cage {
        return found;
    }
    let guess = guess_units(&piece.rest, &body.rest, &body.topology.triangles);
    if !guess.is_as_it_is() {
        found.push(wrong_units(piece, id, guess));
        return found;
    }
    found.extend(far_off(room, index));
    found.extend(seat(room, index, &room.rest_gaps(index)));
    found.extend(kind_and_shells(piece, room.piece_state(index)));
    found.extend(place_findings(room, index, id));
    found.extend(unseen_of(body, piece, id));
    found.extend(uvs_of(piece));
    found.extend(coarse(dress, piece));
    let facts = look_over(&piece.topology, &piece.rest);
    found.extend(surface(&facts, &piece.rest, &piece.topology.triangles));
    if piece.is_double_walled() {
        found.push(Finding::new(
            Grade::Note,
            "has two walls: the inside one is measured against what lies beneath",
        ));
    }
    found.sort_by_key(|f| f.grade);
    found
}

fn wrong_units(piece: &Piece, id: u32, guess: UnitGuess) -> Finding {
    let unit = unit_words(guess.scale);
    let up = if guess.up == Up::Z { ", Z up" } else { "" };
    let size = tin_cloak_core::mesh::bounds(&piece.rest);
    let text = format!(
        "seems to be modelled {unit}{up}: it is {:.2} m across and lies {:.0} mm from the body on the mean, {:.0} mm after the cure",
        (size.1 - size.0).max_element(),
        guess.distance_now * 1000.0,
        guess.distance * 1000.0
    );
    let middle = (size.0 + size.1) * 0.5;
    let options = PlaceOptions {
        shift_mm: ((guess.apply(middle) - middle) * 1000.0).to_array(),
        turn_degrees: [if guess.up == Up::Z { -90.0 } else { 0.0 }, 0.0, 0.0],
        size_percent: [guess.scale * 100.0; 3],
        ..PlaceOptions::NONE
    };
    Finding::new(Grade::Trouble, text)
        .cured_by("Bring it to metres, Y up", Step::Place { piece: id, options })
}

/// Nothing of a piece comes nearer than this to what it lies on or hangs from, metres.
const FAR: f32 = 0.03;
/// Where it is brought then, metres.
const NEAR: f32 = 0.004;

fn far_off(room: &Room, index: usize) -> Option<Finding> {
    let piece = &room.dress.pieces[index];
    let way = room.ground(index).way_to(piece)?;
    let distance = way.length();
    if distance <= FAR {
        return None;
    }
    let text = format!("nothing of it comes nearer than {} to what it lies on", mm(distance));
    let shift = way * (1.0 - NEAR / distance);
    let options = PlaceOptions { shift_mm: (shift * 1000.0).to_array(), ..PlaceOptions::NONE };
    let (low, high) = tin_cloak_core::mesh::bounds(&piece.rest);
    let step = Step::Place { piece: room.piece_state(index).id, options };
    let label = format!("Bring it to {} off", mm(NEAR));
    Some(Finding::new(Grade::Trouble, text).at((low + high) * 0.5).cured_by(label, step))
}

/// Faces of a piece, by their number there, that nobody will see.
pub(crate) fn unseen(body: &Body, piece: &Piece) -> Vec<u32> {
    unseen_faces(&piece.topology, &piece.rest, (&body.rest, &body.topology.triangles))
}

/// Fewer than this share of the faces are not worth a step.
const WORTH_LEAVING_OUT: f32 = 0.05;

fn unseen_of(body: &Body, piece: &Piece, id: u32) -> Option<Finding> {
    let faces = unseen(body, piece);
    let all = piece.topology.triangles.len();
    let share = faces.len() as f32 / all as f32;
    if share < WORTH_LEAVING_OUT || faces.len() == all {
        return None;
    }
    let text = format!(
        "{} of its {all} faces ({:.0} %) are hidden by the body or the piece itself: nobody sees them, and they only make work",
        faces.len(),
        share * 100.0
    );
    let place = piece.rest[piece.topology.triangles[faces[0] as usize][0] as usize];
    let step = Step::LeaveOutUnseen { piece: id };
    Some(Finding::new(Grade::Note, text).at(place).cured_by("Leave them out", step))
}

/// What whoever paints its texture should know.
fn uvs_of(piece: &Piece) -> Vec<Finding> {
    let Some(uvs) = piece.look.uv_sets.first() else { return Vec::new() };
    let triangles = &piece.mesh.triangles;
    let facts = look_over_uvs(uvs, triangles);
    let at = |face: u32| piece.rest[piece.topology.triangles[face as usize][0] as usize];
    let said = |faces: &[u32], one: &str, many: &str| {
        let first = *faces.first()?;
        Some(Finding::new(Grade::Note, counted(faces.len(), one, many)).at(at(first)))
    };
    let outside = "face has texture coordinates outside the unit square";
    let outside_many = "faces have texture coordinates outside the unit square";
    let overlap = "face shares its place in the texture with another";
    let overlap_many = "faces share their place in the texture with others";
    [said(&facts.outside, outside, outside_many), said(&facts.overlapping, overlap, overlap_many)]
        .into_iter()
        .flatten()
        .collect()
}

/// Sunk at rest, or modelled in another pose.
fn seat(room: &Room, index: usize, gaps: &[Option<Gap>]) -> Option<Finding> {
    let piece = &room.dress.pieces[index];
    let id = room.piece_state(index).id;
    let report = SeatReport::of(gaps, room.state.tolerance_mm);
    if report.measured == 0 {
        return None;
    }
    let deepest = (0..gaps.len()).filter_map(|v| gaps[v].map(|g| (g.clearance, v)));
    let place = deepest.min_by(|a, b| a.0.total_cmp(&b.0)).map_or(Vec3::ZERO, |d| piece.rest[d.1]);
    let share = report.sunk as f32 / report.measured as f32;
    let sunk = format!(
        "{} inside what lies beneath at rest, {:.1} mm deep at most",
        counted(report.sunk, "vertex lies", "vertices lie"),
        report.deepest_mm
    );
    // Eased cloth sinks a little here and there; a limb in another place cuts right through.
    if piece.kind != PieceKind::Stiff && share > 0.04 && report.deepest_mm > 12.0 {
        let text = format!("{sunk}: it seems to be modelled in another pose");
        let step = Step::FindPose { piece: id };
        return Some(Finding::new(Grade::Trouble, text).at(place).cured_by("Find the pose", step));
    }
    if report.sunk == 0 {
        return None;
    }
    let finding = Finding::new(Grade::Doubt, sunk).at(place);
    if piece.kind == PieceKind::Stiff {
        return Some(finding);
    }
    let options = EaseOptions { least_mm: 1.0, most_mm: None };
    let step = Step::Ease { piece: id, chosen: Chosen::Everything, options };
    Some(finding.cured_by("Ease it off to 1 mm", step))
}

fn kind_and_shells(piece: &Piece, state: &PieceState) -> Vec<Finding> {
    let parts = shells(&piece.topology, &piece.rest);
    let count = |guess: ShellGuess| parts.iter().filter(|s| s.guess == guess).count();
    let (cloth, stiff, buttons) =
        (count(ShellGuess::Cloth), count(ShellGuess::Stiff), count(ShellGuess::Button));
    let mut found = Vec::new();
    if parts.len() > 1 {
        let open = parts.iter().filter(|s| !s.closed).count();
        let text = format!("{} connected parts, {open} open: looks like {cloth} of cloth, {stiff} stiff, {buttons} small as buttons", parts.len());
        found.push(Finding::new(Grade::Note, text));
    }
    let wanted = match (cloth, stiff + buttons) {
        (_, 0) => PieceKind::Soft,
        (0, _) => PieceKind::Stiff,
        _ => PieceKind::Mixed,
    };
    // What was opened by leaving faces out is no cloth for that, and a part filed by hand is known.
    let opened = wanted == PieceKind::Soft && state.cut.left_out.is_some();
    let sorted = piece.kind == PieceKind::Mixed && (wanted == PieceKind::Soft || !state.shells.is_empty());
    if wanted != piece.kind && !opened && !sorted {
        let (looks, label) = match wanted {
            PieceKind::Soft => ("it is open, as cloth is", "File it as cloth"),
            PieceKind::Stiff => ("every part of it is closed, as plates are", "File it as stiff"),
            PieceKind::Mixed => ("some parts are open and some closed", "File it as mixed"),
        };
        let text = format!("filed as {}, but {looks}", crate::apply::kind_word(piece.kind));
        let step = Step::SetKind { piece: state.id, kind: wanted };
        found.push(Finding::new(Grade::Doubt, text).cured_by(label, step));
    }
    found
}

/// Where it is worn, and who else is there on the same layer.
fn place_findings(room: &Room, index: usize, id: u32) -> Vec<Finding> {
    let dress = &room.dress;
    let (guess, share) = room.guessed_places()[index];
    let piece = &dress.pieces[index];
    let place = piece.place.unwrap_or(guess);
    let words = match guess {
        Place::Held | Place::Hung => {
            format!("{} beside the body: {:.0} % of it lies off the skin", guess.word(), share * 100.0)
        }
        _ => format!("worn on the {} ({:.0} % of it)", guess.word(), share * 100.0),
    };
    let mut found = Vec::new();
    match piece.place {
        Some(said) if said != guess => {
            let text = format!("filed under {}, but seems to be {words}", said.word());
            let step = Step::SetPlace { piece: id, place: guess };
            let label = format!("File it under {}", guess.word());
            found.push(Finding::new(Grade::Doubt, text).cured_by(label, step));
        }
        _ => found.push(Finding::new(Grade::Note, words)),
    }
    let others = (0..dress.pieces.len()).filter(|&i| i != index && dress.pieces[i].layer == piece.layer);
    for other in others.filter(|&i| room.place_of(i) == place) {
        let name = &dress.pieces[other].name;
        let text = format!(
            "shares the {} on layer {} with {name}: they are not measured against each other",
            place.word(),
            piece.layer
        );
        found.push(Finding::new(Grade::Doubt, text));
    }
    found
}

impl Room {
    /// Where each piece seems to be worn, by what lies beneath it, with its share.
    fn guessed_places(&self) -> &[(Place, f32)] {
        self.places.get_or_init(|| {
            let body = &self.dress.body;
            let surface = (body.rest.as_slice(), body.topology.triangles.as_slice(), &body.welded_skin);
            let person = Humanoid::find(&body.skeleton);
            let guess = |p: &Piece| guess_place(&p.rest, surface, &body.skeleton.parents, &person);
            self.dress.pieces.iter().map(guess).collect()
        })
    }

    /// Where piece `index` is worn: as was said, else as guessed.
    pub fn place_of(&self, index: usize) -> Place {
        self.dress.pieces[index].place.unwrap_or_else(|| self.guessed_places()[index].0)
    }
}

/// Bends at elbows and knees without rows enough.
fn coarse(dress: &Dress, piece: &Piece) -> Vec<Finding> {
    if piece.kind == PieceKind::Stiff {
        return Vec::new();
    }
    let body = &dress.body;
    let person = Humanoid::find(&body.skeleton);
    let bends = |l: &Limbs| [l.lower_arm.zip(l.hand), l.lower_leg.zip(l.foot)];
    let joints: Vec<(JointId, JointId)> =
        bends(&person.left).into_iter().chain(bends(&person.right)).flatten().collect();
    let skin = match &piece.bound {
        Some(bound) => bound.skin.clone(),
        None => match nearest_weights(body, piece) {
            Some(skin) => skin,
            None => return Vec::new(),
        },
    };
    let one = |bend: tin_cloak_core::intake::CoarseBend| {
        let name = &body.skeleton.names[bend.joint.index()];
        let text = format!(
            "too coarse to bend smoothly at {name}: {:.1} rows of edges where {} are wanted; a loop more there would help",
            bend.rows,
            tin_cloak_core::intake::ROWS_WANTED
        );
        Finding::new(Grade::Doubt, text).at(bend.middle)
    };
    coarse_bends(&piece.topology, &piece.rest, &skin, &body.skeleton, &joints).into_iter().map(one).collect()
}

fn nearest_weights(body: &Body, piece: &Piece) -> Option<Skin> {
    use tin_cloak_core::bind::{nearest_surface, Source, Target};
    let source = Source::new(&body.rest, &body.topology.triangles, &body.welded_skin, body.skeleton.len());
    nearest_surface(&source, &Target::new(&piece.rest, &piece.topology)).ok()
}

/// Weights of the body without those of its control joints, and what that moves.
pub(crate) fn without_controls(body: &Body, trials: &TrialSet) -> Result<(Skin, String), WorkshopError> {
    let facts = body.joint_facts();
    let of = |role: JointRole| -> Vec<JointId> {
        let all = facts.iter().enumerate().filter(|(_, f)| f.role == role);
        all.map(|(j, _)| JointId(j as u16)).collect()
    };
    let (controls, deforming) = (of(JointRole::Control), of(JointRole::Deforms));
    let moved = move_weight_off(&body.welded_skin, &controls, &deforming, &body.rest, &body.skeleton)
        .map_err(|source| WorkshopError::Bind { piece: body.name.clone(), source: source.into() })?;
    if moved.vertices.is_empty() {
        return Err(WorkshopError::NothingToCure);
    }
    let mut furthest = 0.0f32;
    let (mut before, mut after) = (body.rest.clone(), body.rest.clone());
    for trial in &trials.trials {
        let matrices = body.skeleton.skin_matrices(&trial.pose);
        linear_blend(&body.rest, &body.welded_skin, &matrices, &mut before);
        linear_blend(&body.rest, &moved.skin, &matrices, &mut after);
        let apart = moved.vertices.iter().map(|&v| before[v as usize].distance(after[v as usize]));
        furthest = furthest.max(apart.fold(0.0, f32::max));
    }
    let note = format!(
        "{} of the body: weight {:.1} moved; in the trial poses the furthest vertex goes {:.1} mm elsewhere",
        counted(moved.vertices.len(), "vertex", "vertices"),
        moved.weight,
        furthest * 1000.0
    );
    Ok((moved.skin, note))
}
