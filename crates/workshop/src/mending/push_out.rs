//! Mending a dress: push cloth out.

use crate::binding::stiff::rigid_parts;
use crate::dress::dressed::Dress;
use crate::dress::trials::TrialSet;
use crate::error::WorkshopError;
use crate::state::push::MendOptions;
use glam::Vec3;
use std::sync::Arc;
use tin_cloak_core::clearance::Settings;
use tin_cloak_core::mend::{push_out, PieceReport, PushSettings};

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
    let (mut outfit, piece_of) = dress.outfit();
    let chosen = |piece: &Option<usize>| piece.is_some_and(|p| pieces.is_empty() || pieces.contains(&p));
    let movable: Vec<usize> = (1..piece_of.len()).filter(|&l| chosen(&piece_of[l])).collect();
    for &layer in &movable {
        let rigid = piece_of[layer].map_or_else(Vec::new, |p| rigid_parts(&dress.pieces[p]));
        outfit.layers[layer].rigid = Arc::new(rigid);
    }
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

pub(crate) fn note(name: &str, r: &PieceReport) -> String {
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
