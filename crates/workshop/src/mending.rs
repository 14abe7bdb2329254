//! Mending a dress: push cloth out.

use crate::{Dress, TrialSet, WorkshopError};
use glam::Vec3;
use serde::{Deserialize, Serialize};
use tin_cloak_core::clearance::Settings;
use tin_cloak_core::mend::{push_out, PieceReport, PushSettings};

/// How to push.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct MendOptions {
    /// What counts as poke-through, millimetres.
    pub tolerance_mm: f32,
    /// Clearance wished where cloth is moved, millimetres.
    pub margin_mm: f32,
    /// Furthest any vertex may move, millimetres.
    pub limit_mm: f32,
}

impl Default for MendOptions {
    fn default() -> Self {
        Self { tolerance_mm: 0.5, margin_mm: 1.0, limit_mm: 20.0 }
    }
}

/// What became of the pieces.
#[derive(Clone, Debug)]
pub struct MendOutcome {
    /// New rest positions (welded) of each piece of the dress; `None` where nothing moved.
    pub rest: Vec<Option<Vec<Vec3>>>,
    /// A sentence for each piece that was tried.
    pub notes: Vec<String>,
}

/// Pushes the named `pieces` (indices into the dress; all bound ones when empty) off what
/// pokes through them in every pose of `trials`.
///
/// # Errors
/// [`WorkshopError::Stopped`] when `progress` says no.
pub fn mend(
    dress: &Dress,
    pieces: &[usize],
    trials: &TrialSet,
    options: MendOptions,
    progress: &(dyn Fn(f32) -> bool + Sync),
) -> Result<MendOutcome, WorkshopError> {
    let (outfit, piece_of) = dress.outfit();
    let chosen = |piece: &Option<usize>| piece.is_some_and(|p| pieces.is_empty() || pieces.contains(&p));
    let movable: Vec<usize> = (1..piece_of.len()).filter(|&l| chosen(&piece_of[l])).collect();
    let settings = PushSettings {
        measure: Settings { tolerance: options.tolerance_mm * 0.001, ..Settings::default() },
        margin: options.margin_mm * 0.001,
        limit: options.limit_mm * 0.001,
        ..PushSettings::default()
    };
    let poses = trials.poses(&dress.body);
    let mended = push_out(&outfit, &movable, &poses, settings, &|p| progress(p.share))
        .ok_or(WorkshopError::Stopped)?;
    let mut rest = vec![None; dress.pieces.len()];
    let mut notes = Vec::new();
    for report in &mended.pieces {
        let Some(piece) = piece_of[report.layer] else { continue };
        if report.moved > 0 {
            rest[piece] = Some(mended.rest[report.layer].clone());
        }
        notes.push(note(&dress.pieces[piece].name, report));
    }
    Ok(MendOutcome { rest, notes })
}

fn note(name: &str, r: &PieceReport) -> String {
    let mm = |metres: f32| format!("{:.1} mm", metres * 1000.0);
    let depth = format!("{} → {}", mm(r.deepest_before), mm(r.deepest_after));
    let moved = match r.moved {
        0 => "nothing moved".to_owned(),
        n => format!("{n} vertices moved, at most {}", mm(r.furthest)),
    };
    match &r.left {
        _ if r.count_before == 0 => format!("{name}: was clear already"),
        None => format!("{name}: {depth}, {moved}"),
        Some(why) => format!("{name}: {depth}, {moved}; {} spots are left: {why}", r.count_after),
    }
}
