//! The demo's fittings in a workshop.

use crate::{tib, wardrobe, DemoError, DemoFile};
use std::sync::Arc;
use tin_cloak_workshop::{BindingStep, Companions, IntakeStep, Step, Workshop, WorkshopError};

/// The demo's fittings.
const BARE: &str = "Lamplighter, to dress";
const DRESSED: &str = "Lamplighter, night round";

/// Why the demo's fittings could not be made.
#[derive(Debug, thiserror::Error)]
pub enum FillError {
    /// There is something that would be mixed with it.
    #[error("there are fittings already: demo wants a fresh folder; use `serve --data` for this one")]
    NotEmpty,
    /// A file could not be made.
    #[error(transparent)]
    Demo(#[from] DemoError),
    /// A step was refused.
    #[error(transparent)]
    Workshop(#[from] WorkshopError),
    /// No file held a body.
    #[error("the demo has no body")]
    NoBody,
}

/// Makes the demo's files in an empty workshop, and two fittings: one bare, to dress, and one dressed and bound,
/// whose number is answered and whose board is yet to be measured.
///
/// # Errors
/// When the workshop is not empty, or something cannot be made.
pub fn fill(workshop: &Arc<Workshop>) -> Result<i64, FillError> {
    fill_with(workshop, wardrobe()?)
}

/// The same, of these files of the demo: those of [`wardrobe`], or of [`crate::coarse_wardrobe`].
///
/// # Errors
/// When the workshop is not empty, or something cannot be made.
pub fn fill_with(workshop: &Arc<Workshop>, files: Vec<DemoFile>) -> Result<i64, FillError> {
    workshop.measure_behind(false);
    if !workshop.fittings()?.is_empty() {
        return Err(FillError::NotEmpty);
    }
    let mut wick = None;
    // Tib is there to wear what Wick wears.
    for file in files.into_iter().chain([tib()?]) {
        let assets = workshop.bring_in(file.name, &file.bytes, &Companions::new())?;
        wick = wick.or(assets.iter().find(|a| a.role == "body").map(|a| a.id));
    }
    let wick = wick.ok_or(FillError::NoBody)?;
    workshop.begin(BARE, wick)?;
    let dressed = workshop.begin(DRESSED, wick)?;
    workshop.run_now(dressed, workshop.put_on_step(dressed, &[])?)?;
    workshop.run_now(dressed, Step::Intake(IntakeStep::CureAll))?;
    workshop.run_now(dressed, Step::Binding(BindingStep::Bind { pieces: Vec::new() }))?;
    Ok(dressed)
}
