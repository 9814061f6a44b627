//! Swaps made by hand.

use std::io::Write;

use anyhow::Result;
use owo_colors::OwoColorize;
use upright_spanner_core::Adoption;
use upright_spanner_core::survey::GameView;
use upright_spanner_core::version::Version;

use super::table::{fit_places, table};
use super::{clean, hint};
use crate::session::Session;

/// Prints swaps made by hand.
pub fn print_adoptions(view: &GameView, adoptions: &[Adoption], session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    if adoptions.is_empty() {
        let title = &view.game.title;
        let text = format!("No hand-made backups found in {title} beyond those already recorded.");
        return hint(session, &text);
    }

    writeln!(out, "{}: swaps made by hand", clean(&view.game.title).bold())?;
    let stated = |version: &Option<Version>| {
        version.as_ref().map_or_else(|| "not stated".to_owned(), ToString::to_string)
    };
    let signer =
        |signer: &Option<String>| signer.clone().unwrap_or_else(|| "not signed".to_owned());
    let mut rows = Vec::new();

    for adoption in adoptions {
        for (what, file) in [("original", &adoption.original), ("live", &adoption.live)] {
            rows.push(vec![
                what.to_owned(),
                stated(&file.version),
                clean(&signer(&file.signer)).into_owned(),
                clean(file.path.as_str()).into_owned(),
            ]);
        }
        for other in &adoption.others {
            let path = clean(other.as_str()).into_owned();
            rows.push(vec!["copy".to_owned(), String::new(), String::new(), path]);
        }
    }

    let headings = ["", "VERSION", "NAMES AS SIGNER", "PLACE"];
    fit_places(&headings, &mut rows, session.width);
    write!(out, "{}", table(&headings, &[], rows))?;
    Ok(())
}
