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
mod text;

use std::process::ExitCode;

use clap::Parser;

use args::Args;
use exit::Exit;
use session::Session;
use upright_spanner_core::guard::is_contained;

fn main() -> ExitCode {
    let args = match Args::try_parse() {
        Ok(args) => args,
        Err(error) => return refuse_usage(&error),
    };
    progress::listen();
    keep_quiet_of_contained_panics();
    let session = Session::new(&args.global);
    let exit = match command::run(args.command, &session) {
        // Whatever else came of it, a change that waits is what has to be attended to.
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

/// Of a library that falls over a file, an error with words of ours is told.
fn keep_quiet_of_contained_panics() {
    let usual = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |panic| {
        if !is_contained() {
            usual(panic);
        }
    }));
}

/// Says how the command should be used; with `--json`, as a document too.
fn refuse_usage(error: &clap::Error) -> ExitCode {
    let is_error = error.use_stderr();
    let said = error.render().to_string();
    // Where the terminal takes nothing, there is nobody to tell. A shell may have put names of files
    // there that strangers gave them.
    if std::env::args_os().all(|word| render::is_clean(&word.to_string_lossy())) {
        let _ = error.print();
    } else {
        for line in said.lines() {
            anstream::eprintln!("{}", render::clean(line));
        }
    }
    if is_error && std::env::args_os().any(|word| word == "--json") {
        // What is wrong comes first, then how the command is used.
        let wrong = said.split("\n\n").next().unwrap_or_default();
        let wrong: Vec<&str> = wrong.trim_start_matches("error:").split_whitespace().collect();
        let _ = render::json(&render::document::wrong_usage(&wrong.join(" ")));
    }
    if is_error { Exit::Usage.into() } else { Exit::Done.into() }
}
