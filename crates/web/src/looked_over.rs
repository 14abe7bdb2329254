//! Findings and seats as the cards show them.

use rocket::http::RawStr;
use std::sync::Arc;
use tin_cloak_workshop::core::glam::Vec3;
use tin_cloak_workshop::core::intake::ShellGuess;
use tin_cloak_workshop::core::trial::SideOfBody;
use tin_cloak_workshop::core::units::to_mm;
use tin_cloak_workshop::ExtentsOfRoom;
use tin_cloak_workshop::FoundOfRoom;
use tin_cloak_workshop::SitsOfRoom;
use tin_cloak_workshop::WornOnOfRoom;
use tin_cloak_workshop::WornShapeOfRoom;
use tin_cloak_workshop::{stiff_shells, CallingTurn, Grade, PieceKind, Room, SeatReport, GAP_BARS};

/// What was found on the body or a piece.
pub(crate) struct FindingGroup {
    /// 0 for the body, else the piece's number.
    pub subject: u32,
    pub name: String,
    pub rows: Vec<FindingRow>,
}

pub(crate) struct FindingRow {
    /// Place in the list: names it when it is cured.
    pub number: usize,
    /// `trouble`, `doubt` or `note`.
    pub grade: &'static str,
    pub sentence: String,
    /// Where, and from which direction to look: `x,y,z,dx,dy,dz`.
    pub spot: Option<String>,
    pub cure: Option<String>,
}

pub(crate) fn finding_groups(room: &Room) -> Vec<FindingGroup> {
    let row = |(number, f): (usize, &tin_cloak_workshop::Finding)| FindingRow {
        number,
        grade: match f.grade {
            Grade::Trouble => "trouble",
            Grade::Doubt => "doubt",
            Grade::Note => "note",
        },
        sentence: unbroken(&crate::answers::sentence(&f.sentence)),
        spot: f.place.map(|p| spot(room, p)),
        cure: f.cure.as_ref().map(|c| c.label.clone()),
    };
    let group = |(subject, list): &(u32, Arc<Vec<tin_cloak_workshop::Finding>>)| FindingGroup {
        subject: *subject,
        name: match room.index_of(*subject) {
            Some(index) if *subject > 0 => room.dress.pieces[index].name.clone(),
            _ => room.dress.body.name.clone(),
        },
        rows: list.iter().enumerate().map(row).collect(),
    };
    room.findings().iter().map(group).collect()
}

/// A figure stays with its unit when the line breaks.
fn unbroken(text: &str) -> String {
    text.replace(" %", "\u{a0}%").replace(" mm", "\u{a0}mm")
}

/// A place and the direction from which to look at it.
pub(crate) fn spot(room: &Room, place: Vec3) -> String {
    [place, room.look_at_place(place)].map(|v| v.to_array().map(|x| format!("{x:.4}")).join(",")).join(",")
}

/// A joint in the table.
pub(crate) struct JointRow {
    pub name: String,
    /// The name as part of an address.
    pub query: String,
    /// How deep in the tree.
    pub depth: usize,
    pub role: &'static str,
    pub side: &'static str,
    pub partner: String,
    pub vertices: usize,
}

pub(crate) fn joint_rows(room: &Room) -> Vec<JointRow> {
    let body = &room.dress.body;
    let skeleton = &body.skeleton;
    let depth = skeleton.depths();
    let facts = body.joint_facts();
    let row = |(j, f): (usize, &tin_cloak_workshop::core::intake::JointFacts)| JointRow {
        name: skeleton.names[j].clone(),
        query: RawStr::new(&skeleton.names[j]).percent_encode().to_string(),
        depth: depth[j],
        role: f.role.word(),
        side: match f.side {
            Some(SideOfBody::Left) => "left",
            Some(SideOfBody::Right) => "right",
            None => "",
        },
        partner: f.partner.map_or(String::new(), |p| skeleton.names[p.index()].clone()),
        vertices: f.vertices,
    };
    skeleton.down_the_tree().into_iter().map(|j| row((j.index(), &facts[j.index()]))).collect()
}

/// A bar of the gap histogram.
pub(crate) struct Bar {
    pub x: f32,
    pub y: f32,
    pub height: f32,
    pub sunk: bool,
    pub title: String,
    pub label: String,
}

/// How a piece sits.
pub(crate) struct SeatRow {
    pub id: u32,
    pub name: String,
    pub stiff: bool,
    pub seated: bool,
    pub words: String,
    pub bars: Vec<Bar>,
    pub shapes: Vec<ShapeRow>,
    /// True when the body's shapes were carried to it.
    pub follows: bool,
    /// Which of them.
    pub followed: Vec<FollowedRow>,
}

/// The shapes of the body, in words; empty when it has none.
pub(crate) fn body_shape_words(room: &Room) -> String {
    let names = |driven: bool| -> Vec<&str> {
        let shapes = room.dress.body.own_shapes().iter().filter(|m| m.driver.is_some() == driven);
        shapes.map(|m| m.name.as_str()).collect()
    };
    let (free, driven) = (names(false).join(", "), names(true).join(", "));
    match (free.is_empty(), driven.is_empty()) {
        (true, true) => String::new(),
        (false, true) => free,
        (true, false) => format!("called up by poses: {driven}"),
        (false, false) => format!("{free}; called up by poses: {driven}"),
    }
}

/// A shape of the body and the turn that calls it up, in words; empty where none does.
pub(crate) struct CalledRow {
    pub shape: String,
    pub turn: String,
}

pub(crate) fn called_rows(room: &Room) -> Vec<CalledRow> {
    let body = &room.dress.body;
    let turn = |d: &tin_cloak_workshop::core::deform::Driver| CallingTurn::of(d, &body.skeleton);
    let row = |m: &tin_cloak_workshop::core::deform::Morph| CalledRow {
        shape: m.name.clone(),
        turn: m.driver.as_ref().and_then(turn).map_or_else(String::new, |t| t.in_words()),
    };
    body.own_shapes().iter().map(row).collect()
}

/// A shape of the body that a piece may follow.
pub(crate) struct FollowedRow {
    pub shape: String,
    pub follows: bool,
}

fn followed_rows(room: &Room, index: usize) -> Vec<FollowedRow> {
    let state = room.piece_state(index);
    let row = |m: &tin_cloak_workshop::core::deform::Morph| FollowedRow {
        shape: m.name.clone(),
        follows: state.carried.is_none() || state.follows_shape(&m.name),
    };
    room.dress.body.own_shapes().iter().map(row).collect()
}

/// One of a piece's own shapes.
pub(crate) struct ShapeRow {
    pub name: String,
    pub percent: f32,
    /// How it would sit with all of it.
    pub whole: String,
}

/// What the body wears of the shapes that no pose calls up.
pub(crate) fn body_shape_rows(room: &Room) -> Vec<ShapeRow> {
    let body = &room.dress.body;
    let free = body.own_shapes().iter().zip(body.worn_amounts()).filter(|(m, _)| m.driver.is_none());
    let row = |(m, worn): (&tin_cloak_workshop::core::deform::Morph, f32)| ShapeRow {
        name: m.name.clone(),
        percent: worn * 100.0,
        whole: String::new(),
    };
    free.map(row).collect()
}

/// More shapes than this are not tried beforehand.
const MOST_TRIED: usize = 6;

fn shape_rows(room: &Room, index: usize) -> Vec<ShapeRow> {
    let piece = &room.dress.pieces[index];
    let row = |(n, shape): (usize, &tin_cloak_workshop::core::deform::Morph)| {
        let tried = (n < MOST_TRIED).then(|| room.seat_with_shape(index, n, 1.0).ok()).flatten();
        ShapeRow {
            name: shape.name.clone(),
            percent: piece.amounts.get(n).copied().unwrap_or(0.0) * 100.0,
            whole: tried.map_or(String::new(), |r| seat_words(&r)),
        }
    };
    piece.shapes.iter().enumerate().map(row).collect()
}

/// How a piece sits, in words.
pub(crate) fn seat_words(report: &SeatReport) -> String {
    match report.measured {
        0 => "nothing lies beneath it within 80 mm".to_owned(),
        _ if report.sunk == 0 => format!("seated: {:.1} mm clear on the mean", report.mean_mm),
        _ => format!("{} sunk, {:.1} mm at most", report.sunk, report.deepest_mm),
    }
}

/// Height of the histogram and width of a bar, pixels.
const HEIGHT: f32 = 34.0;
const BAR: f32 = 31.0;

pub(crate) fn seat_rows(room: &Room) -> Vec<SeatRow> {
    let row = |index: usize| {
        let report = room.seat_report(index);
        SeatRow {
            id: room.piece_state(index).id,
            name: room.dress.pieces[index].name.clone(),
            stiff: room.dress.pieces[index].kind == PieceKind::Stiff,
            seated: report.is_seated(),
            words: seat_words(&report),
            bars: bars(&report.bars),
            shapes: shape_rows(room, index),
            follows: room.dress.pieces[index].carried.is_some(),
            followed: followed_rows(room, index),
        }
    };
    (0..room.dress.pieces.len()).map(row).collect()
}

fn bars(counts: &[usize; 8]) -> Vec<Bar> {
    let most = counts.iter().copied().max().unwrap_or(0).max(1) as f32;
    let from = |i: usize| if i == 0 { f32::NEG_INFINITY } else { GAP_BARS[i - 1] };
    let bar = |(i, &count): (usize, &usize)| {
        // A single vertex can still be seen.
        let height = if count == 0 { 0.0 } else { (count as f32 / most * HEIGHT).max(1.5) };
        let label = if i == 0 { "sunk".to_owned() } else { format!("{}", GAP_BARS[i]) };
        let range = if i == 0 { "inside".to_owned() } else { format!("{} to {} mm", from(i), GAP_BARS[i]) };
        let title = format!("{range}: {count} vertices");
        Bar { x: i as f32 * BAR, y: HEIGHT - height, height, sunk: i == 0, title, label }
    };
    counts.iter().enumerate().map(bar).collect()
}

/// A piece as it is sorted.
pub(crate) struct SortRow {
    pub id: u32,
    pub name: String,
    pub kind: &'static str,
    pub place: &'static str,
    /// True while nobody has said where it is worn.
    pub guessed: bool,
    pub layer: u16,
    /// Its connected parts, when there are several.
    pub parts: Vec<PartRow>,
}

/// A connected part of a piece.
pub(crate) struct PartRow {
    pub number: u32,
    pub guess: &'static str,
    pub size: String,
    pub stiff: bool,
    pub spot: String,
}

/// No more parts than this are listed; the rest can be filed only all together.
const MOST_PARTS: usize = 60;

pub(crate) fn sort_rows(room: &Room) -> Vec<SortRow> {
    let row = |index: usize| {
        let piece = &room.dress.pieces[index];
        let stiff = stiff_shells(piece);
        let part = |(n, shell): (usize, &tin_cloak_workshop::core::intake::Shell)| PartRow {
            number: n as u32,
            guess: match shell.guess {
                ShellGuess::Cloth => "open, as cloth",
                ShellGuess::Stiff => "closed, as a plate",
                ShellGuess::Button => "small, as a button",
            },
            size: format!(
                "{:.0} × {:.0} × {:.0} mm",
                to_mm(shell.size.x),
                to_mm(shell.size.y),
                to_mm(shell.size.z)
            ),
            stiff: stiff[n],
            spot: spot(room, shell.middle),
        };
        let list = room.parts_of(index);
        let parts = if list.len() > 1 {
            list.iter().take(MOST_PARTS).enumerate().map(part).collect()
        } else {
            Vec::new()
        };
        SortRow {
            id: room.piece_state(index).id,
            name: piece.name.clone(),
            kind: kind_key(piece.kind),
            place: room.place_of(index).word(),
            guessed: piece.place.is_none(),
            layer: piece.layer,
            parts,
        }
    };
    (0..room.dress.pieces.len()).rev().map(row).collect()
}

/// The word of a kind in forms.
pub(crate) fn kind_key(kind: PieceKind) -> &'static str {
    match kind {
        PieceKind::Soft => "soft",
        PieceKind::Stiff => "stiff",
        PieceKind::Mixed => "mixed",
    }
}
