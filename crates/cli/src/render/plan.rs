//! Plans and finished changes: what each file is and becomes.

use std::io::Write;
use std::path::Path;

use anyhow::Result;
use owo_colors::OwoColorize;
use serde_json::{Value, json};
use upright_spanner_core::FitPlan;
use upright_spanner_core::change::Change;
use upright_spanner_core::check::Severity;
use upright_spanner_core::plan::{Held, Merge, Place, Plan, Step};

use super::check::write_finding;
use super::table::{table, widest};
use super::{bytes, clean, count, date, fit_path, hint, slashes};
use crate::session::Session;

/// Files that are listed; `-v` lists all.
const MOST_STEPS: usize = 40;

/// Versions that are named when a change is done.
const MOST_PROOFS: usize = 4;

/// Terminals narrower than this show no dates beside versions and sizes.
const WIDE: usize = 110;

/// Prints a plan for people: the game, the files, the findings.
pub fn print(plan: &Plan, session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    writeln!(out, "{}: {}", clean(&plan.game.title).bold(), clean(&plan.summary))?;
    // What would be done is of no use beside the reason why it will not be.
    let stopped = !plan.stops().is_empty();
    if !plan.steps.is_empty() && !stopped {
        let shown = if session.verbose { usize::MAX } else { MOST_STEPS };
        write!(out, "{}", steps(plan, shown, session.width))?;
        if plan.steps.len() > shown {
            let rest = format!("  and {} more (-v)", plan.steps.len() - shown);
            writeln!(out, "{}", rest.dimmed())?;
        }
    }
    if !stopped {
        for merge in &plan.merges {
            write_merge(&mut out, merge)?;
        }
        if !plan.handoff.is_empty() {
            let files = count(plan.handoff.len(), "file");
            writeln!(out, "  {files} not put into the game but packed for a mod manager")?;
        }
    }
    for finding in &plan.findings {
        write_finding(&mut out, finding, session.width)?;
    }
    if stopped {
        writeln!(out, "Refused: nothing was changed.")?;
    }
    Ok(())
}

fn steps(plan: &Plan, shown: usize, width: usize) -> String {
    let steps = &plan.steps[..plan.steps.len().min(shown)];
    let mut headings = vec!["VERSION", "SIZE"];
    if width >= WIDE {
        headings.push("DATE");
    }
    let cells: Vec<Vec<String>> = steps
        .iter()
        .map(|step| {
            let pair = |show: &dyn Fn(&Held) -> String| arrow(step, show);
            let mut row = vec![versions(plan, step), pair(&|held| bytes(held.state.content.size))];
            if width >= WIDE {
                row.push(pair(&|held| date(held.state.stamp.modified.0)));
            }
            row
        })
        .collect();
    let taken: usize = headings
        .iter()
        .enumerate()
        .map(|(n, heading)| widest(cells.iter().map(|row| row[n].as_str()).chain([*heading])) + 2)
        .sum();
    let place = width.saturating_sub(taken + 2).max(16);
    headings.push("PLACE");
    let rows = cells
        .into_iter()
        .zip(steps)
        .map(|(mut row, step)| {
            row.push(fit_path(&slashed(&step.place), place));
            row
        })
        .collect();
    table(&headings, &[], rows)
}

/// A place with `/` between its parts.
fn slashed(place: &Place) -> String {
    if cfg!(windows) { place.to_string().replace('\\', "/") } else { place.to_string() }
}

/// What a merge does to the user's settings, as a difference.
fn write_merge(out: &mut impl Write, merge: &Merge) -> Result<()> {
    let path = slashed(&merge.place);
    let path = clean(&path);
    writeln!(out, "  {path}: your values stay as they are{}", changes(merge))?;
    for text in &merge.merged.added {
        writeln!(out, "{}", format!("    + {}", clean(text)).green())?;
    }
    for text in &merge.merged.followed {
        writeln!(
            out,
            "{}",
            format!("    ~ {} (you had left it as it came)", clean(text)).yellow()
        )?;
    }
    for text in &merge.merged.vanished {
        writeln!(
            out,
            "{}",
            format!("      {} (yours; the new build does not name it)", clean(text)).dimmed()
        )?;
    }
    Ok(())
}

fn changes(merge: &Merge) -> String {
    match merge.merged.added.len() {
        0 => String::new(),
        added => format!(", {} added", count(added, "setting")),
    }
}

/// Versions before and after; for files that state none, what becomes of them.
fn versions(plan: &Plan, step: &Step) -> String {
    if plan.merges.iter().any(|merge| merge.place == step.place) {
        return "settings merged".to_owned();
    }
    let stated = |held: &Option<Held>| held.as_ref().is_some_and(|held| held.version.is_some());
    if stated(&step.before) || stated(&step.after) {
        return arrow(step, &version);
    }
    match (&step.before, &step.after) {
        (None, _) => "new file".to_owned(),
        (_, None) => "removed".to_owned(),
        _ => "changed".to_owned(),
    }
}

/// `before → after`, with words where a file comes or goes.
fn arrow(step: &Step, show: &dyn Fn(&Held) -> String) -> String {
    let side = |held: Option<&Held>, nothing: &str| held.map_or_else(|| nothing.to_owned(), show);
    let before = side(step.before.as_ref(), "none");
    format!("{before} → {}", side(step.after.as_ref(), "removed"))
}

fn version(held: &Held) -> String {
    held.version.as_ref().map_or_else(|| "not stated".to_owned(), ToString::to_string)
}

/// Prints what became of a change that was carried out, and how to go on.
pub fn print_done(change: &Change, next: &str, session: &Session) -> Result<()> {
    let mut proofs: Vec<String> = change
        .steps
        .iter()
        .filter_map(|step| step.after.as_ref())
        .filter(|held| held.version.is_some() || change.steps.len() == 1)
        .map(|held| format!("{} (content {})", held.describe(), held.state.content.blake3.short()))
        .collect();
    proofs.sort();
    proofs.dedup();
    let more = proofs.len().saturating_sub(MOST_PROOFS);
    proofs.truncate(MOST_PROOFS);
    if more > 0 {
        proofs.push(format!("and {more} more"));
    }
    let files = count(change.steps.len(), "file");
    let read = if proofs.is_empty() {
        String::new()
    } else {
        format!(" Read back: {}.", proofs.join(", "))
    };
    let done = format!("Done: change {}, {files}.{read}", change.number);
    writeln!(anstream::stdout(), "{}", clean(&done).green())?;
    hint(session, &format!("What was there before is kept. Next: {next}"))
}

/// What a fit of one family in several games comes to, a line a game.
pub fn print_several(fits: &[FitPlan], session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    let rows = fits
        .iter()
        .map(|fit| {
            let plan = &fit.plan;
            let mut versions: Vec<String> =
                plan.steps.iter().map(|step| versions(plan, step)).collect();
            versions.sort();
            versions.dedup();
            let version = match &versions[..] {
                [one] => one.clone(),
                [] => "-".to_owned(),
                _ => "several".to_owned(),
            };
            let stop = plan.stops().first().map(|stop| format!("refused: {}", stop.code));
            let what = match stop {
                Some(stop) => stop.red().to_string(),
                None if plan.is_empty() => "as it is".to_owned(),
                None => format!("swap {}", count(plan.steps.len(), "file")),
            };
            vec![
                clean(&plan.game.title).into_owned(),
                clean(&fit.build.id.to_string()).into_owned(),
                version,
                what,
            ]
        })
        .collect();
    write!(out, "{}", table(&["GAME", "BUILD", "VERSION", "WHAT"], &[], rows))?;
    for fit in fits {
        for finding in fit.plan.findings.iter().filter(|finding| finding.severity > Severity::Note)
        {
            writeln!(out, "{}", clean(&fit.plan.game.title).bold())?;
            write_finding(&mut out, finding, session.width)?;
        }
    }
    Ok(())
}

/// A plan as a document for programs.
pub fn document(plan: &Plan) -> Value {
    json!({
        "schema": 1,
        "game": plan.game.id,
        "summary": plan.summary,
        "steps": plan.steps,
        "merges": plan.merges,
        "handoff": plan.handoff,
        "findings": plan.findings,
    })
}

/// Plans or changes of several games, as a document for programs.
pub fn several_document(documents: &[Value]) -> Value {
    json!({ "schema": 1, "games": documents })
}

/// What came of a fit, as a document for programs.
pub fn fitted_document(change: Option<&Change>, archive: Option<&Path>) -> Value {
    json!({ "schema": 1, "change": change, "handoff": archive.map(slashes) })
}

/// A finished change as a document for programs.
pub fn change_document(change: &Change) -> Value {
    json!({ "schema": 1, "change": change })
}
