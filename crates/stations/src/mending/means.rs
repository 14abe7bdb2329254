//! What may help against what a board shows, as steps.

use crate::intake::of_piece::{coarse_places, CoarsePlace};
use crate::intake::row_steps;
use crate::mending::bindings::{beneaths, bindings};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use tin_cloak_core::deform::Morph;
use tin_cloak_core::intake::ROWS_WANTED;
use tin_cloak_formats::PieceKind;
use tin_cloak_measure::measuring::board::Board;
use tin_cloak_measure::measuring::measured::Measured;
use tin_cloak_model::dress::piece::Piece;
use tin_cloak_model::dress::room::Room;
use tin_cloak_model::state::mask::HideOptions;
use tin_cloak_model::state::names::{PieceId, BODY};
use tin_cloak_model::state::placing::{EaseOptions, RelaxOptions};
use tin_cloak_model::state::push::{Against, MendOptions, COMBINED};
use tin_cloak_model::state::step::{MendingStep, SeatingStep, Step, TrialStep};
use tin_cloak_model::state::stroke::Chosen;
use tin_cloak_model::state::trial_plan::{CountRule, Counts, Target};

/// The kinds of means, in the order in which they are tried: what sets a piece right as a whole, whose weights and
/// shapes are half of the trouble; then what nothing cures is set aside, so that nothing is judged or held up by it;
/// then what moves vertices and what takes away.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum MeansKind {
    /// Follow the shapes of the body.
    Shapes,
    /// Near trouble move as what lies beneath does.
    Beneath,
    /// Take weights by another method, or from what lies beneath, whichever measures best.
    Bind,
    /// Wear more of a shape of its own: modellers give one to loosen a piece.
    Loosen,
    /// Sit better at rest.
    Seat,
    /// More rows of edges where cloth is too coarse to bend.
    Rows,
    /// Leave it: for stress only.
    Leave,
    /// Push layers off each other.
    Push,
    /// Give cloth that was moved its shape back as far as that brings nothing through.
    Smooth,
    /// Hide what nobody sees.
    Hide,
    /// Draw the body in under cloth.
    Tuck,
    /// Shapes that turns of joints call up.
    Corrective,
}

impl MeansKind {
    /// All, in order.
    pub const ALL: [Self; 12] = [
        Self::Shapes,
        Self::Beneath,
        Self::Bind,
        Self::Loosen,
        Self::Seat,
        Self::Rows,
        Self::Leave,
        Self::Push,
        Self::Smooth,
        Self::Hide,
        Self::Tuck,
        Self::Corrective,
    ];

    /// How long it takes to try, beside the others.
    pub fn takes(self) -> f32 {
        match self {
            Self::Corrective => 24.0,
            Self::Push => 8.0,
            Self::Hide | Self::Bind => 4.0,
            Self::Shapes | Self::Beneath | Self::Smooth | Self::Loosen => 1.5,
            Self::Seat | Self::Rows | Self::Leave | Self::Tuck => 0.5,
        }
    }
}

/// Something that may help.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Means {
    /// Of which kind.
    pub kind: MeansKind,
    /// What is done, in words.
    pub words: String,
    /// Against what.
    pub why: String,
    /// The step that does it.
    pub step: Step,
}

/// What is out of tolerance between two layers, over the counted poses.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Out {
    pub cells: usize,
    pub deepest_mm: f32,
    pub at_rest: bool,
}

pub(super) type OutByRow = BTreeMap<(PieceId, PieceId), Out>;

fn out_by_row(board: &Board) -> OutByRow {
    let mut rows = OutByRow::new();
    for (pose, row, cell) in board.out(Counts::Counted) {
        let ids = board.pairs[row].ids;
        let out = rows.entry((ids[0], ids[1])).or_default();
        out.cells += 1;
        out.deepest_mm = out.deepest_mm.max(cell.depth_mm());
        out.at_rest |= pose == 0;
    }
    rows
}

pub(super) fn in_words(out: &Out) -> String {
    let cells = if out.cells == 1 { "cell" } else { "cells" };
    format!("{} {cells}, {:.1} mm at most", out.cells, out.deepest_mm)
}

/// The means of a kind that may help in a room as it is measured, those against the most first; of several in one group
/// one is taken at most. `held` is what poses show that are held back.
pub fn means_for(room: &Room, now: &Measured, held: &Board, kind: MeansKind) -> Vec<Vec<Means>> {
    let (board, rows) = (&*now.board, out_by_row(&now.board));
    let both = || out_of_both(&rows, &out_by_row(held));
    let each = |means: Vec<Means>| means.into_iter().map(|m| vec![m]).collect();
    match kind {
        MeansKind::Seat => each(seatings(room, &rows)),
        MeansKind::Shapes => each(following(room, &rows).into_iter().collect()),
        MeansKind::Bind => bindings(room, &both()),
        MeansKind::Beneath => each(beneaths(room, now)),
        MeansKind::Loosen => loosenings(room, &both()),
        MeansKind::Rows => each(more_rows(room, board, &rows)),
        MeansKind::Push => each(pushing(&both()).into_iter().collect()),
        MeansKind::Smooth => each(smoothings(room, board)),
        MeansKind::Tuck => each(tucking(room, &rows).into_iter().collect()),
        MeansKind::Hide => each(hiding(&rows).into_iter().collect()),
        MeansKind::Corrective => each(correcting(&both())),
        MeansKind::Leave => each(leaving(room, &rows).into_iter().collect()),
    }
}

fn out_of_both(rows: &OutByRow, more: &OutByRow) -> OutByRow {
    let mut both = rows.clone();
    for (ids, out) in more {
        let sum = both.entry(*ids).or_default();
        (sum.cells, sum.deepest_mm) = (sum.cells + out.cells, sum.deepest_mm.max(out.deepest_mm));
    }
    both
}

pub(super) fn name(room: &Room, id: PieceId) -> &str {
    let piece = room.dress.pieces.iter().find(|p| p.id == id);
    piece.map_or(room.dress.body.name.as_str(), |p| p.name.as_str())
}

/// Pieces that are in something at rest are eased off it.
fn seatings(room: &Room, rows: &OutByRow) -> Vec<Means> {
    let mut by_piece: BTreeMap<PieceId, Out> = BTreeMap::new();
    for (&(outer, inner), out) in rows.iter().filter(|(_, out)| out.at_rest) {
        if outer != inner {
            let sum = by_piece.entry(outer).or_default();
            (sum.cells, sum.deepest_mm) = (sum.cells + out.cells, sum.deepest_mm.max(out.deepest_mm));
        }
    }
    let means = |(piece, out): (PieceId, Out)| {
        let options = EaseOptions { least_mm: 1.0, most_mm: None };
        Means {
            kind: MeansKind::Seat,
            words: format!("Ease {} off what lies beneath at rest", name(room, piece)),
            why: in_words(&out),
            step: Step::Seating(SeatingStep::Ease { piece, chosen: Chosen::Everything, options }),
        }
    };
    by_piece.into_iter().map(means).collect()
}

/// A shape that came with a piece is tried by so much.
const LOOSENED: [f32; 4] = [0.25, 0.5, 0.75, 1.0];

/// Pieces that something is through wear more of a shape that they came with, by the amount that measures best.
fn loosenings(room: &Room, rows: &OutByRow) -> Vec<Vec<Means>> {
    let of_body = |name: &str| room.dress.body.morphs.iter().any(|m| m.name == name);
    let of_piece = |piece: &Piece| -> Vec<Vec<Means>> {
        let mut out = Out::default();
        for (_, row) in rows.iter().filter(|(ids, _)| ids.0 == piece.id && ids.1 != piece.id) {
            (out.cells, out.deepest_mm) = (out.cells + row.cells, out.deepest_mm.max(row.deepest_mm));
        }
        if out.cells == 0 {
            return Vec::new();
        }
        let free = |m: &Morph| m.driver.is_none() && !m.vertices.is_empty() && !of_body(&m.name);
        let own = piece.shapes.iter().enumerate().filter(|(_, m)| free(m));
        let amounts = |(shape, m): (usize, &Morph)| {
            let worn = piece.amounts.get(shape).copied().unwrap_or(0.0);
            let more = LOOSENED.into_iter().filter(move |amount| *amount > worn);
            let means = |amount: f32| Means {
                kind: MeansKind::Loosen,
                words: format!("Let {} wear {:.0} % of its shape {}", piece.name, amount * 100.0, m.name),
                why: in_words(&out),
                step: Step::Seating(SeatingStep::WearShape { piece: piece.id, shape, amount }),
            };
            more.map(means).collect::<Vec<_>>()
        };
        own.map(amounts).filter(|group| !group.is_empty()).collect()
    };
    let worn = room.dress.pieces.iter().filter(|p| p.bound.is_some() && !p.cage);
    worn.flat_map(of_piece).collect()
}

/// Pieces that do not follow what the body becomes.
fn following(room: &Room, rows: &OutByRow) -> Option<Means> {
    let body = &room.dress.body;
    if body.welded_morphs.iter().all(|m| m.vertices.is_empty()) {
        return None;
    }
    let pieces = room.dress.pieces.iter();
    let still = pieces.filter(|p| p.bound.is_some() && !p.cage && p.carried.is_none());
    let pieces: Vec<PieceId> = still.map(|p| p.id).collect();
    let over_body: usize =
        rows.iter().filter(|(ids, _)| ids.1 == BODY && ids.0 != BODY).map(|(_, out)| out.cells).sum();
    let who = match pieces.as_slice() {
        [one] => name(room, *one).to_owned(),
        several => format!("{} pieces", several.len()),
    };
    (!pieces.is_empty()).then(|| Means {
        kind: MeansKind::Shapes,
        words: format!("Let {who} follow the shapes of {}", body.name),
        why: format!("{over_body} cells over {}", body.name),
        step: Step::Seating(SeatingStep::FollowShapes { pieces, follow: true, shapes: Vec::new() }),
    })
}

/// Bends of cloth without rows enough, where the piece is strained or in something in some pose.
fn more_rows(room: &Room, board: &Board, rows: &OutByRow) -> Vec<Means> {
    let strained = board.strained();
    let is_bad = |id: PieceId| {
        rows.keys().any(|ids| ids.0 == id || ids.1 == id) || strained.iter().any(|(_, piece)| *piece == id)
    };
    let of_piece = |piece: &Piece| -> Vec<Means> {
        let one = |place: CoarsePlace| {
            let (rows, joint) = (place.lacks().min(row_steps::MOST_ROWS), &place.joint);
            let many = row_steps::in_words(rows);
            Some(Means {
                kind: MeansKind::Rows,
                words: format!("Add {many} to {} at {joint}", piece.name),
                why: format!("{:.1} rows of edges bend there, {ROWS_WANTED} are wanted", place.bend.rows),
                step: place.add(piece.id, rows)?,
            })
        };
        coarse_places(&room.dress, piece).into_iter().filter_map(one).collect()
    };
    let worn = room.dress.pieces.iter().filter(|p| p.bound.is_some() && !p.cage && is_bad(p.id));
    worn.flat_map(of_piece).collect()
}

fn pushing(rows: &OutByRow) -> Option<Means> {
    let options = MendOptions { combined: COMBINED, ..MendOptions::default() };
    let cells: usize = rows.values().map(|out| out.cells).sum();
    (cells > 0).then(|| Means {
        kind: MeansKind::Push,
        words: "Push all layers off each other".to_owned(),
        why: format!("{cells} cells, those in poses held back among them"),
        step: Step::Mending(MendingStep::PushOut {
            pieces: Vec::new(),
            chosen: Chosen::Everything,
            options,
            against: Against::default(),
            turns: Vec::new(),
        }),
    })
}

/// Cloth that was moved at rest, and is strained in some poses.
fn smoothings(room: &Room, board: &Board) -> Vec<Means> {
    let strained = board.strained();
    let means = |(index, piece): (usize, &Piece)| {
        let poses = strained.iter().filter(|(_, id)| *id == piece.id).count();
        let may = piece.kind != PieceKind::Stiff && piece.bound.is_some() && poses > 0;
        let moved = room.piece_state(index).rest.is_some();
        (may && moved).then(|| Means {
            kind: MeansKind::Smooth,
            words: format!("Relax {} towards the shape that it came in", piece.name),
            why: format!("strained in {poses} poses"),
            step: Step::Seating(SeatingStep::Relax {
                piece: piece.id,
                chosen: Chosen::Everything,
                options: RelaxOptions::default(),
                shape: None,
            }),
        })
    };
    room.dress.pieces.iter().enumerate().filter_map(means).collect()
}

/// What of the body is through what lies over it.
fn tucking(room: &Room, rows: &OutByRow) -> Option<Means> {
    let mut sum = Out::default();
    for (_, out) in rows.iter().filter(|(ids, _)| ids.1 == BODY && ids.0 != BODY) {
        (sum.cells, sum.deepest_mm) = (sum.cells + out.cells, sum.deepest_mm.max(out.deepest_mm));
    }
    let options = MendOptions::of_tucks();
    (sum.cells > 0).then(|| Means {
        kind: MeansKind::Tuck,
        words: format!("Draw {} in under what is worn", room.dress.body.name),
        why: in_words(&sum),
        step: Step::Mending(MendingStep::Tuck { options, of: None, chosen: Chosen::Everything, pose: None }),
    })
}

fn hiding(rows: &OutByRow) -> Option<Means> {
    let covered = rows.iter().filter(|(ids, _)| ids.0 != ids.1);
    let (cells, deepest) =
        covered.fold((0, 0.0f32), |(n, mm), (_, out)| (n + out.cells, mm.max(out.deepest_mm)));
    (cells > 0).then(|| Means {
        kind: MeansKind::Hide,
        words: "Hide what nobody sees".to_owned(),
        why: in_words(&Out { cells, deepest_mm: deepest, ..Out::default() }),
        step: Step::Mending(MendingStep::Hide { options: HideOptions::default() }),
    })
}

/// What is left between two layers in some poses is cured in these alone: for combined poses too at first, so that it
/// holds, then for what is tried.
fn correcting(rows: &OutByRow) -> Vec<Means> {
    let (mut sum, left) = (Out::default(), rows.iter().filter(|(ids, _)| ids.0 != ids.1));
    left.for_each(|(_, out)| {
        (sum.cells, sum.deepest_mm) = (sum.cells + out.cells, sum.deepest_mm.max(out.deepest_mm));
    });
    let one = |(combined, words): (usize, &str)| Means {
        kind: MeansKind::Corrective,
        words: words.to_owned(),
        why: in_words(&sum),
        step: Step::Mending(MendingStep::Correct {
            pieces: Vec::new(),
            options: MendOptions { combined, ..MendOptions::of_correctives() },
            chosen: Chosen::Everything,
            against: Against::default(),
            turns: Vec::new(),
        }),
    };
    let both = [
        (COMBINED, "Make correctives that hold in combined poses"),
        (0, "Make correctives for the poses that are left"),
    ];
    both.into_iter().filter(|_| sum.cells > 0).map(one).collect()
}

/// Folds: a part that lies in itself has no room to be moved to.
fn leaving(room: &Room, rows: &OutByRow) -> Option<Means> {
    let folds: Vec<(PieceId, Out)> =
        rows.iter().filter(|(ids, _)| ids.0 == ids.1).map(|(ids, out)| (ids.0, *out)).collect();
    if folds.is_empty() {
        return None;
    }
    let mut plan = room.state.plan.clone();
    for (part, _) in &folds {
        let own = name(room, *part).to_owned();
        let note = "it lies in itself: there is no room to move it to".to_owned();
        let target = Target::Pair { outer: own.clone(), inner: own };
        plan = plan.with_rule(CountRule { target, counts: Counts::Stress, note });
    }
    let names: Vec<&str> = folds.iter().map(|(part, _)| name(room, *part)).collect();
    let cells: usize = folds.iter().map(|f| f.1.cells).sum();
    let deepest = folds.iter().map(|f| f.1.deepest_mm).fold(0.0, f32::max);
    let said = format!("Trials: what lies in itself is for stress only: {}", names.join(", "));
    Some(Means {
        kind: MeansKind::Leave,
        words: format!("Leave what lies in itself, for stress only: {}", names.join(", ")),
        why: format!(
            "{}: cloth in the pit of an arm, the back of a knee",
            in_words(&Out { cells, deepest_mm: deepest, ..Out::default() })
        ),
        step: Step::Trial(TrialStep::Try { plan, said }),
    })
}
