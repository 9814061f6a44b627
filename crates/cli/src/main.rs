//! `spanner`: looks after the drop-in runtime components of PC games.
//!
//! This crate is the interface: it parses arguments, calls the core and renders results.

mod args;
mod command;
mod document;
mod exit;
mod progress;
mod prompt;
mod remedy;
mod render;
mod session;
mod text;
mod usage;

use std::ffi::OsString;
use std::process::ExitCode;

use clap::Parser;

use args::Args;
use exit::Exit;
use session::Session;
use upright_spanner_core::guard::is_contained;

fn main() -> ExitCode {
    let words: Vec<OsString> = wild::args_os().collect();
    if let Some(swallowed) = words.iter().find_map(|word| usage::swallowed(word)) {
        return usage::refuse_swallowed(&swallowed);
    }
    let args = match Args::try_parse_from(&words) {
        Ok(args) => args,
        Err(error) => return usage::refuse(&error),
    };
    let Some(command) = args.command else { return usage::greet() };
    progress::listen();
    keep_quiet_of_contained_panics();

    let session = Session::new(&args.global);
    let exit = match command::run(command, &session) {
        // An interrupted change that waits is the most important result.
        Ok(_) if session.waits() => Exit::Interrupted,
        Ok(exit) => exit,
        Err(error) if exit::is_closed_pipe(&error) => Exit::Done,
        Err(error) => {
            render::failure(&error, session.json);
            Exit::of_error(&error)
        }
    };
    exit.into()
}

/// If a library panics over a file, the user gets an error in our words.
fn keep_quiet_of_contained_panics() {
    let usual = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |panic| {
        if !is_contained() {
            usual(panic);
        }
    }));
}
