//! The history: a line a change, the latest last.

use std::io::Write;

use anyhow::Result;
use owo_colors::OwoColorize;
use serde_json::{Value, json};
use upright_spanner_core::Force;
use upright_spanner_core::change::{Change, ChangeState};
use upright_spanner_core::plan::Held;

use super::table::{fit_places, table};
use super::{clean, hint, moment, slashes};
use crate::session::Session;

/// Prints changes for people.
pub fn print(changes: &[Change], forces: &[Force], session: &Session) -> Result<()> {
    if changes.is_empty() {
        return hint(session, "Nothing has been changed yet.");
    }
    let one_game = changes.iter().all(|change| change.game == changes[0].game);
    let mut headings = vec!["CHANGE", "WHEN", "GAME", "WHAT", "VERSION", "FILES", "NOW"];
    // The least telling columns go first where there is little room.
    headings.retain(|heading| match *heading {
        "GAME" => !one_game,
        "VERSION" => one_game || session.width >= 110,
        "FILES" => session.width >= 90,
        _ => true,
    });
    let rows = changes
        .iter()
        .zip(forces)
        .map(|(change, force)| {
            headings.iter().map(|heading| cell(change, *force, heading)).collect()
        })
        .collect();
    if one_game {
        writeln!(anstream::stdout(), "{}", clean(&changes[0].game).bold())?;
    }
    write!(anstream::stdout(), "{}", table(&headings, &[0], rows))?;
    Ok(())
}

fn cell(change: &Change, force: Force, heading: &str) -> String {
    match heading {
        "CHANGE" => change.number.to_string(),
        "WHEN" => moment(change.began),
        "GAME" => clean(&change.game).into_owned(),
        "WHAT" => clean(&change.summary).into_owned(),
        "VERSION" => versions(change),
        "FILES" => change.steps.len().to_string(),
        _ if change.despite.is_empty() => outcome(change.state, force),
        _ => format!("{}, despite {}", outcome(change.state, force), change.despite.join(", ")),
    }
}

/// The versions before and after, where all files of the change share them.
fn versions(change: &Change) -> String {
    let mut pairs: Vec<String> = change
        .steps
        .iter()
        .map(|step| {
            let version = |held: &Held| {
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

fn outcome(state: ChangeState, force: Force) -> String {
    match state {
        ChangeState::Done if force == Force::InForce => force.name().green().to_string(),
        ChangeState::Done => force.name().to_owned(),
        ChangeState::PutBack => "failed, put back".yellow().to_string(),
        ChangeState::Open => "interrupted".red().to_string(),
    }
}

/// Prints one change with every file.
pub fn print_one(change: &Change, force: Force, session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    writeln!(out, "{}", format!("change {}", change.number).bold())?;
    let mut line = |name: &str, value: &str| {
        writeln!(out, "  {} {}", format!("{name:<12}").dimmed(), clean(value))
    };
    line("what", &change.summary)?;
    line("game", &change.game)?;
    line("folder", &slashes(&change.root))?;
    line("when", &moment(change.began))?;
    line(
        "now",
        match change.state {
            ChangeState::Done => force.name(),
            ChangeState::PutBack => "failed, put back",
            ChangeState::Open => "interrupted",
        },
    )?;
    if let Some(executable) = &change.executable {
        let version = executable.version.as_ref();
        let version = version.map_or_else(|| "not stated".to_owned(), ToString::to_string);
        line("executable", &format!("{}, version {version}", executable.path))?;
    }
    if !change.despite.is_empty() {
        line("despite", &change.despite.join(", "))?;
    }
    writeln!(out)?;
    let side = |held: Option<&Held>, nothing: &str| match held {
        None => nothing.to_owned(),
        Some(held) => {
            let version = held.version.as_ref().map_or_else(String::new, |v| format!("{v} "));
            format!("{version}({})", held.state.content.blake3.short())
        }
    };
    let mut rows: Vec<Vec<String>> = change
        .steps
        .iter()
        .map(|step| {
            vec![
                side(step.before.as_ref(), "none"),
                side(step.after.as_ref(), "removed"),
                step.place.to_string(),
            ]
        })
        .collect();
    let headings = ["BEFORE", "AFTER", "PLACE"];
    fit_places(&headings, &mut rows, session.width);
    write!(out, "{}", table(&headings, &[], rows))?;
    match force {
        Force::InForce => hint(session, &format!("Next: spanner undo {} --dry-run", change.number)),
        _ => Ok(()),
    }
}

/// Changes as a document for programs.
pub fn document(changes: &[Change], forces: &[Force]) -> Value {
    let one = |(change, force): (&Change, &Force)| {
        let mut value = json!(change);
        value["now"] = json!(force.name());
        value
    };
    let changes: Vec<Value> = changes.iter().zip(forces).map(one).collect();
    json!({ "schema": 1, "changes": changes })
}
