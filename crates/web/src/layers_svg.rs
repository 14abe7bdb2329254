//! The layer panel: a cut through the outfit, the outermost layer on top, skin at the bottom.

use crate::looked_over::kind_key;
use tin_cloak_workshop::WornOnOfRoom;
use tin_cloak_workshop::{Board, PieceKind, Room};

/// One band of the cut.
pub(crate) struct Band {
    pub id: u32,
    pub name: String,
    pub words: String,
    pub kind: &'static str,
    /// Deepest poke-through of what lies beneath, when measured.
    pub deepest: Option<f32>,
    pub bad: bool,
    /// Top of the band in the drawing.
    pub y: u32,
    /// Outline of the band.
    pub path: String,
    /// Line through its middle: stitches of cloth, the second wall of a plate.
    pub inner: String,
    pub layer: u16,
    pub place: &'static str,
}

/// The drawing.
pub(crate) struct CutLine {
    pub bands: Vec<Band>,
    pub skin_y: u32,
    /// Outline of the skin.
    pub skin_path: String,
    pub height: u32,
    /// True where bands have one line, and how far below their top that stands.
    pub thin: bool,
    pub line: u32,
    pub body: String,
    pub body_words: String,
}

pub(crate) const WIDTH: u32 = 190;
/// The tallest a band is, and the space between two.
const BAND: u32 = 46;
const GAP: u32 = 5;
/// So much height there is for all of them and the skin in a window of 800.
const ROOM: u32 = 364;
/// Below this a band has one line.
const TWO_LINES: u32 = 36;

/// Height of a band and the space below it, so that so many fit with the skin.
fn heights(bands: usize) -> (u32, u32) {
    let each = ROOM / (bands as u32 + 1);
    let gap = if each < BAND { 3 } else { GAP };
    ((each.saturating_sub(gap)).clamp(19, BAND), gap)
}

pub(crate) fn cut(room: &Room, board: Option<&Board>) -> CutLine {
    let mut bands = Vec::new();
    let mut y = 4;
    let (band, gap) = heights(room.dress.pieces.len());
    for (index, piece) in room.dress.pieces.iter().enumerate().rev() {
        let state = room.piece_state(index);
        let deepest = board.and_then(|b| b.deepest_under(state.id));
        let kind = kind_key(piece.kind);
        let word = match piece.kind {
            _ if piece.cage => "cage",
            PieceKind::Soft => "cloth",
            PieceKind::Stiff | PieceKind::Mixed => kind,
        };
        let bound = if piece.bound.is_some() { "" } else { " · not bound" };
        bands.push(Band {
            id: state.id,
            name: piece.name.clone(),
            words: format!("{word} · layer {}{bound}", piece.layer),
            kind,
            deepest,
            bad: deepest.is_some_and(|d| d > room.state.tolerance_mm),
            y,
            path: outline(piece.kind, y, band),
            inner: inner_line(piece.kind, y + band),
            layer: piece.layer,
            place: room.place_of(index).word(),
        });
        y += band + gap;
    }
    let right = WIDTH - 2;
    let skin = band.clamp(20, 40);
    let vertices = crate::shelf::thousands(room.dress.body.mesh.positions.len() as u64);
    CutLine {
        bands,
        skin_y: y,
        skin_path: format!(
            "M2 {y}H{right}V{}Q{right} {} {} {}H10Q2 {} 2 {}Z",
            y + skin - 8,
            y + skin,
            right - 8,
            y + skin,
            y + skin,
            y + skin - 8
        ),
        height: y + skin + 4,
        thin: band < TWO_LINES,
        line: if band < TWO_LINES { band / 2 + 4 } else { 20 },
        body: room.dress.body.name.clone(),
        body_words: format!("{vertices} vertices"),
    }
}

/// Cloth is cut with a wavy edge, a plate with straight ones and bent corners.
fn outline(kind: PieceKind, y: u32, band: u32) -> String {
    let (w, bottom) = (WIDTH - 2, y + band);
    if kind == PieceKind::Stiff {
        return format!("M8 {y}H{}L{w} {}V{bottom}H2V{}Z", w - 6, y + 7, y + 7);
    }
    let wave = |from: u32, to: u32, at: u32, step: i32| {
        let mut path = String::new();
        let count = 8;
        for i in 0..count {
            let along = |k: u32| from as i32 + (to as i32 - from as i32) * k as i32 / count as i32;
            let middle = (along(i) + along(i + 1)) / 2;
            let lift = if i % 2 == 0 { -step } else { step };
            path += &format!("Q{middle} {} {} {at}", at as i32 + lift, along(i + 1));
        }
        path
    };
    format!("M2 {}{}V{bottom}{}Z", y + 3, wave(2, w, y + 3, 3), wave(w, 2, bottom, 3))
}

fn inner_line(kind: PieceKind, bottom: u32) -> String {
    let (w, at) = (WIDTH - 6, bottom - 5);
    match kind {
        PieceKind::Stiff => format!("M6 {at}H{w}"),
        PieceKind::Soft | PieceKind::Mixed => format!("M8 {at}H{w}"),
    }
}
