//! How results look: one file a kind of result, and the few things that all of them use.

pub mod adopt;
pub mod check;
pub mod compare;
pub mod doctor;
pub mod drift;
pub mod family;
pub mod feed;
pub mod game;
pub mod guide;
pub mod history;
pub mod inspect;
pub mod loads;
pub mod message;
pub mod plan;
pub mod prove;
pub mod rack;
pub mod start;
pub mod survey;
mod table;
pub mod tune;
pub mod wind;

use std::io::{self, Write};

use anyhow::Result;
use serde::Serialize;

use crate::document::error::ErrorDocument;
use crate::document::noted::{Noted, What};
use crate::session::Session;
use crate::text;
pub use crate::text::{
    bytes, clean, count, cut, date, fit_path, is_clean, moment, quoted, slashes, wrapped,
};
pub use message::{error, look_errors, notice};

/// Prints a document for programs in one line, if there are several.
pub fn json_line(document: &impl Serialize) -> Result<()> {
    let text = text::escape_controls(&serde_json::to_string(document)?);
    writeln!(io::stdout(), "{text}")?;
    Ok(())
}

/// Prints a document for programs. Control characters that JSON would let through are escaped.
pub fn json(document: &impl Serialize) -> Result<()> {
    let text = text::escape_controls(&serde_json::to_string_pretty(document)?);
    writeln!(io::stdout(), "{text}")?;
    Ok(())
}

/// Prints what ended a run, to people, and to programs as a document too.
pub fn failure(failed: &anyhow::Error, as_document: bool) {
    error(failed);
    if as_document {
        // If nothing can be written, the error cannot be reported.
        let _ = json(&ErrorDocument::new(failed));
    }
}

/// Reports a setting recorded in the home, in a sentence or in a document.
pub fn noted(session: &Session, text: &str, what: What) -> Result<()> {
    if session.json { json(&Noted::from(what)) } else { hint(session, text) }
}

/// Prints the next step, unless hints are not wanted, as in a document for programs.
pub fn hint(session: &Session, text: &str) -> Result<()> {
    if !session.quiet && !session.json {
        writeln!(anstream::stdout(), "{}", clean(text))?;
    }
    Ok(())
}
