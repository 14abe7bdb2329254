//! The `tin-cloak` command: fits garments to rigged bodies, checks and mends them, or serves
//! the application that does all of it on screen.

#![cfg_attr(test, allow(clippy::unwrap_used))]

mod args;
mod batch;
mod handover;
mod progress;
mod serve;

use args::{Cli, Command};
use clap::Parser;
use std::process::ExitCode;

fn main() -> ExitCode {
    let cli = Cli::parse();
    let outcome = match cli.command {
        Command::Fit(args) => batch::fit(&args),
        Command::Check(args) => batch::check(&args),
        Command::Mend(args) => batch::mend(&args),
        Command::Export(args) => handover::export(&args),
        Command::Report(args) => handover::report(&args),
        Command::Serve(args) => serve::serve(&args),
        Command::Demo(args) => serve::demo(&args),
    };
    match outcome {
        Ok(code) => code,
        Err(error) => {
            eprintln!("tin-cloak: {error}");
            ExitCode::from(2)
        }
    }
}
