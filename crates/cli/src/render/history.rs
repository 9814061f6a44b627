//! The history: a line a change, the latest last.

use std::io::Write;

use anyhow::Result;
use owo_colors::OwoColorize;
use serde_json::{Value, json};
use upright_spanner_core::change::{Change, ChangeState};

use super::table::table;
use super::{clean, hint, moment};
use crate::session::Session;

/// Prints changes for people.
pub fn print(changes: &[Change], session: &Session) -> Result<()> {
    if changes.is_empty() {
        return hint(session, "Nothing has been changed yet.");
    }
    let one_game = changes.iter().all(|change| change.game == changes[0].game);
    let mut headings = vec!["CHANGE", "WHEN", "GAME", "WHAT", "VERSION", "FILES", "OUTCOME"];
    // The least telling columns go first where there is little room.
    headings.retain(|heading| match *heading {
        "GAME" => !one_game,
        "VERSION" => one_game || session.width >= 110,
        "FILES" => session.width >= 90,
        _ => true,
    });
    let rows = changes
        .iter()
        .map(|change| headings.iter().map(|heading| cell(change, heading)).collect())
        .collect();
    if one_game {
        writeln!(anstream::stdout(), "{}", clean(&changes[0].game).bold())?;
    }
    write!(anstream::stdout(), "{}", table(&headings, &[0], rows))?;
    Ok(())
}

fn cell(change: &Change, heading: &str) -> String {
    match heading {
        "CHANGE" => change.number.to_string(),
        "WHEN" => moment(change.began),
        "GAME" => clean(&change.game).into_owned(),
        "WHAT" => clean(&change.summary).into_owned(),
        "VERSION" => versions(change),
        "FILES" => change.steps.len().to_string(),
        _ if change.despite.is_empty() => outcome(change.state),
        _ => format!("{}, despite {}", outcome(change.state), change.despite.join(", ")),
    }
}

/// The versions before and after, where all files of the change share them.
fn versions(change: &Change) -> String {
    let mut pairs: Vec<String> = change
        .steps
        .iter()
        .map(|step| {
            let version = |held: &upright_spanner_core::plan::Held| {
                held.version.as_ref().map_or_else(|| "not stated".to_owned(), ToString::to_string)
            };
            let side = |held: Option<_>| held.map_or_else(|| "none".to_owned(), version);
            format!("{} → {}", side(step.before.as_ref()), side(step.after.as_ref()))
        })
        .collect();
    pairs.dedup();
    match &pairs[..] {
        [pair] => pair.clone(),
        _ => "several".to_owned(),
    }
}

fn outcome(state: ChangeState) -> String {
    match state {
        ChangeState::Done => "done".to_owned(),
        ChangeState::PutBack => "failed, put back".yellow().to_string(),
        ChangeState::Open => "interrupted".red().to_string(),
    }
}

/// Changes as a document for programs.
pub fn document(changes: &[Change]) -> Value {
    json!({ "schema": 1, "changes": changes })
}
