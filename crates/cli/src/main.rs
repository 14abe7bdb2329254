//! The `tin-cloak` command: fits garments to rigged bodies, checks and mends them, or serves
//! the application that does all of it on screen.

mod args;
mod batch;
mod handover;
mod many;
mod progress;
mod replace;
mod serve;
mod wear;

use args::{Cli, Command};
use clap::Parser;
use std::process::ExitCode;
use tracing_subscriber::EnvFilter;

fn main() -> ExitCode {
    let cli = Cli::parse();
    let serves = matches!(cli.command, Command::Serve(_) | Command::Demo(_));
    start_log(if serves { "warn,tin_cloak=info" } else { "warn" });
    let outcome = match cli.command {
        Command::Fit(args) => batch::fit(&args),
        Command::Check(args) => batch::check(&args),
        Command::Mend(args) => batch::mend(&args),
        Command::Wear(args) => wear::wear(&args),
        Command::Replace(args) => replace::replace(&args),
        Command::Batch(args) => many::batch(&args),
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

/// Says what happens on the standard error; `RUST_LOG` has its way where it is set.
fn start_log(otherwise: &str) {
    let filter = EnvFilter::try_from_default_env().unwrap_or_else(|_| EnvFilter::new(otherwise));
    tracing_subscriber::fmt().with_env_filter(filter).with_writer(std::io::stderr).init();
}
