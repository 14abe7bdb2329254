//! The outfit of a dressed file on the body of another.

use crate::batch::dressed_file::{DressedFile, Tell, TrialSays, TrialWish};
use crate::batch::named_file::NamedFile;
use tin_cloak_core::wear::StiffSize;
use tin_cloak_model::error::WorkshopError;

/// What is said of an outfit that goes to another body.
#[derive(Clone, Debug, Default)]
pub struct Wearing {
    /// Which mesh of the dressed file is its body, when it is not marked.
    pub from_mesh: Option<String>,
    /// Which mesh of the other file is, when it is not marked.
    pub body_mesh: Option<String>,
    /// How large stiff parts become.
    pub stiff: StiffSize,
}

/// Carries the outfit of a dressed file to the body of another; answers it dressed, and what the step says.
///
/// # Errors
/// When a file cannot be read, no body is told, nothing is worn, or the two bodies have nothing in common;
/// [`WorkshopError::Stopped`] when `tell` says no.
pub fn wear_file(
    dressed: &NamedFile,
    body: &NamedFile,
    wearing: &Wearing,
    tell: Tell,
) -> Result<(DressedFile, Vec<String>), WorkshopError> {
    let mesh = wearing.from_mesh.as_deref();
    let from = DressedFile::open(dressed, mesh, &TrialWish::AsTheFileSays, &TrialSays::default())?;
    from.worn_by(body, wearing, tell)
}
