//! What is found on a piece that comes in.

use crate::intake::crossed_sides::crossed_sides;
use crate::intake::finding::{counted, mm, not_kept, strayed, surface, unit_words, Finding, Grade};
use crate::intake::unseen::unseen_of;
use crate::intake::worn_on::place_findings;
use crate::seating::ground::GroundOfRoom;
use crate::seating::sits::SeatReport;
use glam::Vec3;
use tin_cloak_core::intake::{
    coarse_bends, guess_units, look_over, look_over_uvs, shells, CoarseBend, Shell, ShellGuess, UnitGuess,
    Up, ROWS_WANTED,
};
use tin_cloak_core::mesh::crossed_by_row;
use tin_cloak_core::seat::Gap;
use tin_cloak_core::skin::Skin;
use tin_cloak_core::trial::{Humanoid, Limbs};
use tin_cloak_core::units::to_mm;
use tin_cloak_core::JointId;
use tin_cloak_formats::PieceKind;
use tin_cloak_model::dress::body::Body;
use tin_cloak_model::dress::dressed::Dress;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::state::choice::{Pick, What};
use tin_cloak_model::state::fitting::PieceState;
use tin_cloak_model::state::names::PieceId;
use tin_cloak_model::state::placing::{EaseOptions, PlaceOptions, RowsAlong};
use tin_cloak_model::state::step::{IntakeStep, SeatingStep, Step};
use tin_cloak_model::state::stroke::Chosen;

/// Looks over piece `index` of a room.
pub fn look_over_piece(room: &Room, index: usize) -> Vec<Finding> {
    let (dress, id) = (&room.dress, room.piece_state(index).id);
    let (body, piece) = (&dress.body, &dress.pieces[index]);
    let mut found = Vec::new();
    if piece.cage {
        return found;
    }
    if let Some(lost) = strayed(&piece.rest) {
        found.push(lost.cured_by("Leave them out", Step::Intake(IntakeStep::LeaveOutStrays { piece: id })));
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
    found.extend(own_shapes(piece));
    found.extend(crossed_sides(room, index));
    found.extend(not_kept(&piece.look));
    let facts = look_over(&piece.topology, &piece.rest);
    found.extend(surface(&facts, &piece.rest, &piece.topology.triangles, Some(id)));
    if piece.is_double_walled() {
        found.push(Finding::new(
            Grade::Note,
            "has two walls: the inside one is measured against what lies beneath",
        ));
    }
    found.sort_by_key(|f| f.grade);
    found
}

/// Shapes that its modeller left in.
fn own_shapes(piece: &Piece) -> Option<Finding> {
    let names: Vec<&str> = piece.shapes.iter().map(|s| s.name.as_str()).collect();
    (!names.is_empty()).then(|| {
        let shapes = counted(names.len(), "shape", "shapes");
        let text = format!("brings {shapes} of its own, to be worn at Seating: {}", names.join(", "));
        Finding::new(Grade::Note, text)
    })
}

fn wrong_units(piece: &Piece, id: u32, guess: UnitGuess) -> Finding {
    let unit = unit_words(guess.scale);
    let up = if guess.up == Up::Z { ", Z up" } else { "" };
    let size = tin_cloak_core::mesh::bounds(&piece.rest);
    let text = format!(
        "seems to be modelled {unit}{up}: it is {:.2} m across and lies {:.0} mm from the body on the mean, \
         {:.0} mm after the cure",
        (size.1 - size.0).max_element(),
        to_mm(guess.distance_now),
        to_mm(guess.distance)
    );
    let middle = (size.0 + size.1) * 0.5;
    let options = PlaceOptions {
        shift_mm: to_mm(guess.apply(middle) - middle).to_array(),
        turn_degrees: [if guess.up == Up::Z { -90.0 } else { 0.0 }, 0.0, 0.0],
        size_percent: [guess.scale * 100.0; 3],
        ..PlaceOptions::NONE
    };
    Finding::new(Grade::Trouble, text)
        .cured_by("Bring it to metres, Y up", Step::Seating(SeatingStep::Place { piece: id, options }))
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
    let options = PlaceOptions { shift_mm: to_mm(shift).to_array(), ..PlaceOptions::NONE };
    let (low, high) = tin_cloak_core::mesh::bounds(&piece.rest);
    let step = Step::Seating(SeatingStep::Place { piece: room.piece_state(index).id, options });
    let label = format!("Bring it to {} off", mm(NEAR));
    Some(Finding::new(Grade::Trouble, text).at((low + high) * 0.5).cured_by(label, step))
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
    let report = SeatReport::new(gaps, room.state.tolerance_mm);
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
        let step = Step::Seating(SeatingStep::FindPose { piece: id });
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
    let step = Step::Seating(SeatingStep::Ease { piece: id, chosen: Chosen::Everything, options });
    Some(finding.cured_by("Ease it off to 1 mm", step))
}

/// The kind of a piece of these parts: cloth is open, plates and buttons are closed.
pub fn kind_of(parts: &[Shell]) -> PieceKind {
    let cloth = parts.iter().filter(|s| s.guess == ShellGuess::Cloth).count();
    match (cloth, parts.len() - cloth) {
        (_, 0) => PieceKind::Soft,
        (0, _) => PieceKind::Stiff,
        _ => PieceKind::Mixed,
    }
}

fn kind_and_shells(piece: &Piece, state: &PieceState) -> Vec<Finding> {
    let parts = shells(&piece.topology, &piece.rest);
    let count = |guess: ShellGuess| parts.iter().filter(|s| s.guess == guess).count();
    let (cloth, stiff, buttons) =
        (count(ShellGuess::Cloth), count(ShellGuess::Stiff), count(ShellGuess::Button));
    let mut found = Vec::new();
    if parts.len() > 1 {
        let open = parts.iter().filter(|s| !s.closed).count();
        let text = format!(
            "{} connected parts, {open} open: looks like {cloth} of cloth, {stiff} stiff, \
         {buttons} small as buttons",
            parts.len()
        );
        found.push(Finding::new(Grade::Note, text));
    }
    let wanted = kind_of(&parts);
    // What was opened by leaving faces out is no cloth for that, and a part filed by hand is known.
    let opened = wanted == PieceKind::Soft && state.cut.left_out.is_some();
    let sorted = piece.kind == PieceKind::Mixed && (wanted == PieceKind::Soft || !state.shells.is_empty());
    if wanted != piece.kind && !opened && !sorted {
        let (looks, label) = match wanted {
            PieceKind::Soft => ("it is open, as cloth is", "File it as cloth"),
            PieceKind::Stiff => ("every part of it is closed, as plates are", "File it as stiff"),
            PieceKind::Mixed => ("some parts are open and some closed", "File it as mixed"),
        };
        let text = format!("filed as {}, but {looks}", kind_word(piece.kind));
        let step = Step::Intake(IntakeStep::SetKind { piece: state.id, kind: wanted });
        found.push(Finding::new(Grade::Doubt, text).cured_by(label, step));
    }
    found
}

/// A bend without rows enough.
pub struct CoarsePlace {
    /// Where it is, and of which joint.
    pub bend: CoarseBend,
    /// The joint's name.
    pub joint: String,
    /// An edge across which rows can go there, where there is one.
    edge: Option<[u32; 2]>,
}

impl CoarsePlace {
    /// The step that adds so many rows there.
    pub fn add(&self, piece: PieceId, rows: usize) -> Option<Step> {
        let at = Chosen::Picks(vec![Pick::add(What::Vertices(self.edge?.to_vec()))]);
        Some(Step::Intake(IntakeStep::AddRows { piece, at, rows, along: RowsAlong::default() }))
    }

    /// How many rows it lacks.
    pub fn lacks(&self) -> usize {
        ((ROWS_WANTED - self.bend.rows).ceil() as usize).max(1)
    }
}

/// Bends at elbows and knees without rows enough.
pub fn coarse_places(dress: &Dress, piece: &Piece) -> Vec<CoarsePlace> {
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
    let one = |bend: CoarseBend| {
        let goes = |e: &[u32; 2]| !crossed_by_row(&piece.mesh, &piece.topology.weld, *e).is_empty();
        let joint = body.skeleton.names[bend.joint.index()].clone();
        CoarsePlace { edge: bend.edge.filter(goes), joint, bend }
    };
    coarse_bends(&piece.topology, &piece.rest, &skin, &body.skeleton, &joints).into_iter().map(one).collect()
}

fn coarse(dress: &Dress, piece: &Piece) -> Vec<Finding> {
    let one = |place: CoarsePlace| {
        let text = format!(
            "too coarse to bend smoothly at {}: {:.1} rows of edges where {ROWS_WANTED} are wanted; a loop more \
             there would help",
            place.joint, place.bend.rows
        );
        let found = Finding::new(Grade::Doubt, text).at(place.bend.middle);
        match place.add(piece.id, 1) {
            Some(step) => found.cured_by("Add a row there", step),
            None => found,
        }
    };
    coarse_places(dress, piece).into_iter().map(one).collect()
}

fn nearest_weights(body: &Body, piece: &Piece) -> Option<Skin> {
    use tin_cloak_core::bind::{nearest_surface, BindTarget, Source};
    let source = Source::new(&body.rest, &body.topology.triangles, &body.welded_skin, body.skeleton.len());
    nearest_surface(&source, &BindTarget::new(&piece.rest, &piece.topology)).ok()
}

pub fn kind_word(kind: PieceKind) -> &'static str {
    match kind {
        PieceKind::Soft => "cloth",
        PieceKind::Stiff => "stiff",
        PieceKind::Mixed => "mixed",
    }
}
