//! The evidence about a game's components: a line for each, and the next step.

use std::io::Write;
use std::path::Path;

use anyhow::Result;
use owo_colors::OwoColorize;
use upright_spanner_core::change::ExecutableMark;
use upright_spanner_core::prove::{ComponentProof, Loaded, LogProof, Outcome, Proof, Report};
use upright_spanner_core::proven::Proven;
use upright_spanner_core::survey::GameView;

use super::table::wrapping_table;
use super::{clean, count, date, hint, moment, slashes, wrapped};
use crate::remedy;
use crate::session::Session;

/// That something was seen at work, as in `proved 2026-03-09`.
pub fn proved_in_words(proven: &Proven, executable: Option<&ExecutableMark>) -> String {
    let old = if proven.is_old(executable) { ", before the game was updated" } else { "" };
    format!("{} {}{old}", proven.name(), date(proven.at.as_second()))
}

/// Prints the evidence.
pub fn print(view: &GameView, proof: &Proof, session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    let version = view.version.as_ref().and_then(|known| known.version.as_ref());
    let version = version.map_or_else(String::new, |version| format!(" {version}"));
    let title = format!("{}{version}", clean(&view.game.title));
    writeln!(out, "{}  {}", title.bold(), format!("({})", view.game.id).dimmed())?;
    write!(out, "{}", wrapped(&state(proof), "  ", 2, session.width).dimmed())?;
    if proof.components.is_empty() {
        return hint(session, "It has no component that could be proved.");
    }

    let rows = proof.components.iter().map(|component| {
        let fitted = component.version.as_ref();
        vec![
            clean(&component.family).into_owned(),
            fitted.map_or_else(|| "not stated".to_owned(), ToString::to_string),
            loaded(component.loaded).to_owned(),
            reports(component),
            verdict(component),
        ]
    });
    let headings = ["FAMILY", "FITTED", "LOADED", "REPORTS", "VERDICT"];
    write!(out, "{}", wrapping_table(&headings, rows.collect(), session.width))?;
    for component in &proof.components {
        print_more(&mut out, component, &view.game.root, session)?;
    }
    print_remedies(&mut out, proof, session)?;

    let off = proof.components.iter().filter(|it| !it.outcome.is_good()).count();
    match off {
        0 if proof.can_be_noted() => {
            hint(session, "Every component is confirmed; the proof is recorded with its change.")
        }
        0 => hint(session, "All is as it should be."),
        off => hint(session, &format!("{} to attend to.", count(off, "component"))),
    }
}

/// Whether the game runs, and since when.
fn state(proof: &Proof) -> String {
    let since = proof.started.map(moment);
    if let Some(why) = &proof.not_looked_into {
        let started = since.map_or_else(String::new, |since| format!(" Last started {since}."));
        return format!(
            "{why}, so its process was not looked into, and logs alone count (--look-inside).{started}"
        );
    }
    let running: Vec<String> = proof
        .running
        .iter()
        .filter(|running| !running.has_ended)
        .map(|running| running.pid.to_string())
        .collect();
    match (&running[..], since) {
        ([], None) => "It is not running, and the time of its last start is unknown.".to_owned(),
        ([], Some(since)) if proof.running.is_empty() => {
            format!("It does not run; last started {since}.")
        }
        ([], Some(since)) => format!("It ran from {since}, and has ended."),
        (pids, since) => {
            let since = since.map_or_else(String::new, |since| format!(" since {since}"));
            format!("It runs{since}, process {}.", pids.join(", "))
        }
    }
}

fn loaded(loaded: Loaded) -> &'static str {
    match loaded {
        Loaded::Yes => "yes",
        Loaded::No => "no",
        Loaded::Other => "another",
        Loaded::Unknown => "-",
    }
}

/// The version that the log states, or what else it comes to.
fn reports(component: &ComponentProof) -> String {
    let stated = component.log.as_ref().and_then(|log| log.version.as_deref());
    match component.report {
        Report::None => "-".to_owned(),
        Report::Error if stated.is_none() => "an error".to_owned(),
        Report::Stale if stated.is_none() => "nothing new".to_owned(),
        _ => clean(stated.unwrap_or("-")).into_owned(),
    }
}

fn verdict(component: &ComponentProof) -> String {
    let log = component.log.as_ref();
    let stated = || log.and_then(|log| log.version.clone()).unwrap_or_default();
    let fitted = || component.version.as_ref().map_or("another".to_owned(), ToString::to_string);
    let instead = component.instead.as_deref().unwrap_or("it is not known which");
    let error = || log.and_then(|log| log.error.clone()).unwrap_or_default();
    let text = match component.outcome {
        Outcome::Proved => "proved".to_owned(),
        Outcome::Loaded => "loaded".to_owned(),
        Outcome::NotLoaded => "not loaded".to_owned(),
        Outcome::AnotherLoaded => format!("another file loaded: {instead}"),
        Outcome::ReportsOther => format!("reports {}, fitted {}", stated(), fitted()),
        Outcome::ReportsError => format!("reports an error: \"{}\"", error()),
        Outcome::StaleLog => "log older than the start".to_owned(),
        Outcome::NotSeen => "not seen".to_owned(),
    };
    let text = clean(&text);
    match component.outcome {
        Outcome::Proved => text.green().to_string(),
        Outcome::Loaded => text.into_owned(),
        Outcome::StaleLog | Outcome::NotSeen => text.yellow().to_string(),
        _ => text.red().to_string(),
    }
}

/// The grounds of the verdict, and the next step.
fn print_more(
    out: &mut impl Write,
    component: &ComponentProof,
    root: &Path,
    session: &Session,
) -> Result<()> {
    let family = clean(&component.family).into_owned();
    let mut say = |text: &str| write!(out, "{}", wrapped(text, "    ", 4, session.width));
    if let Some(log) = &component.log {
        say(&quoted(&family, log, root))?;
    }
    if session.verbose {
        for file in &component.files {
            say(&format!("{family}: {}: {}", file.path, loaded(file.loaded)))?;
        }
    }
    Ok(())
}

/// So many components are named with what to do about them: all of them are in the table.
const MOST_NAMED: usize = 4;

/// What to do, once for all components to which it applies.
fn print_remedies(out: &mut impl Write, proof: &Proof, session: &Session) -> Result<()> {
    let mut remedies: Vec<(String, Vec<&str>)> = Vec::new();
    for component in &proof.components {
        let Some(remedy) = component.remedy.as_ref().map(remedy::worded) else { continue };
        match remedies.iter_mut().find(|(known, _)| *known == remedy) {
            Some((_, families)) => families.push(&component.family),
            None => remedies.push((remedy, vec![&component.family])),
        }
    }
    for (remedy, families) in remedies {
        let named = families.iter().take(MOST_NAMED).copied().collect::<Vec<_>>().join(", ");
        let more = families.len().saturating_sub(MOST_NAMED);
        let more = if more == 0 { String::new() } else { format!(" and {more} more") };
        let text = format!("{named}{more}: {remedy}");
        write!(out, "{}", wrapped(&text, "  ", 2, session.width))?;
    }
    Ok(())
}

/// A log's line, its path, and its date.
fn quoted(family: &str, log: &LogProof, root: &Path) -> String {
    let path = slashes(log.path.strip_prefix(root).unwrap_or(&log.path));
    let words = match &log.line {
        Some(line) => format!("\"{line}\" in {path}"),
        None => format!("{path} does not state a version"),
    };
    let likely = if log.is_described { "" } else { ", which seems to be its log" };
    format!("{family}: {words}{likely}, written {}", moment(log.written))
}
