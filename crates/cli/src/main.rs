//! `spanner`: looks after the drop-in runtime components of PC games.
//!
//! This crate is the interface: it parses, calls the core and renders what comes back.

mod args;
mod command;
mod exit;
mod progress;
mod prompt;
mod render;
mod session;

use std::process::ExitCode;

use clap::Parser;

use args::Args;
use exit::Exit;
use session::Session;

fn main() -> ExitCode {
    let args = Args::parse();
    let session = Session::new(&args.global);
    match command::run(args.command, &session) {
        Ok(exit) => exit.into(),
        Err(error) if exit::is_closed_pipe(&error) => Exit::Done.into(),
        Err(error) => {
            render::error(&error);
            Exit::of_error(&error).into()
        }
    }
}
