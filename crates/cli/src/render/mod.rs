//! How results look: one file a kind of result, and the few things that all of them use.

pub mod check;
pub mod compare;
pub mod family;
pub mod game;
pub mod history;
pub mod inspect;
pub mod plan;
pub mod rack;
pub mod survey;
mod table;
mod text;
pub mod time;

use std::io::{self, Write};

use anyhow::Result;
use owo_colors::OwoColorize;
use serde::Serialize;
use upright_spanner_core::Error;
use upright_spanner_core::survey::LookError;

use crate::session::{Session, message_width};
pub use text::{bytes, clean, count, cut, date, fit_path, moment, quoted, slashes, wrapped};

/// Prints a document for programs. Control characters that JSON would let through are escaped.
pub fn json(document: &impl Serialize) -> Result<()> {
    let text = text::escape_controls(&serde_json::to_string_pretty(document)?);
    writeln!(io::stdout(), "{text}")?;
    Ok(())
}

/// Prints what ended a run, and what to do about it.
pub fn error(error: &anyhow::Error) {
    let reasons: Vec<String> = error.chain().map(ToString::to_string).collect();
    // A core error's sentence contains its cause already.
    let known = error.downcast_ref::<Error>();
    let text = if known.is_some() { reasons[0].clone() } else { reasons.join(": ") };
    let width = message_width();
    let word = format!("{} ", "error:".red().bold());
    anstream::eprint!("{}", wrapped(&text, &word, 7, width));
    if let Some(advice) = known.and_then(Error::advice) {
        anstream::eprint!("{}", wrapped(&advice, "       ", 7, width));
    }
}

/// Prints something that the user should know, beside the result.
pub fn notice(text: &str) {
    anstream::eprintln!("{} {}", "note:".yellow().bold(), clean(text));
}

/// Prints what could not be looked at.
pub fn look_errors(errors: &[LookError]) {
    for error in errors {
        let place = slashes(&error.path);
        anstream::eprintln!(
            "{} {}: {}",
            "error:".red().bold(),
            clean(&place),
            clean(&error.message)
        );
    }
}

/// Says in a sentence what was done; to programs in a document with one member.
pub fn done(session: &Session, text: &str, name: &str, value: impl Serialize) -> Result<()> {
    if session.json {
        json(&serde_json::json!({ "schema": 1, name: value }))
    } else {
        hint(session, text)
    }
}

/// Prints the next step, unless hints are not wanted, as in a document for programs.
pub fn hint(session: &Session, text: &str) -> Result<()> {
    if !session.quiet && !session.json {
        writeln!(anstream::stdout(), "{}", clean(text))?;
    }
    Ok(())
}
