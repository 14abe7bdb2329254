//! `serve` and `demo`.
use crate::args::Serve;
use std::process::ExitCode;
type Outcome = Result<ExitCode, Box<dyn std::error::Error>>;
pub(crate) fn serve(_args: &Serve) -> Outcome { Ok(ExitCode::SUCCESS) }
pub(crate) fn demo(_args: &Serve) -> Outcome { Ok(ExitCode::SUCCESS) }
