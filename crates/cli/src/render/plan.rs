//! Plans and finished changes: the states of each file before and after.

use std::collections::BTreeMap;
use std::io::Write;

use anyhow::Result;
use owo_colors::OwoColorize;
use upright_spanner_core::change::{Change, Side, State, Step, Target, value_of};
use upright_spanner_core::check::Severity;
use upright_spanner_core::plan::{Merge, Plan, describe};
use upright_spanner_core::{Signer, SignerChange};

use super::check::write_finding;
use super::table::{table, widest};
use super::{bytes, clean, count, cut, date, fit_path, hint, wrapped};
use crate::session::Session;

/// The number of files that are listed: a tall terminal's height; `-v` lists all.
const MOST_STEPS: usize = 40;

/// So many are not listed at all, but counted: a release of a game has thousands.
const TOO_MANY: usize = 200;

/// The number of versions that are named when a change is done: the next step should remain visible.
const MOST_PROOFS: usize = 4;

/// Terminals narrower than this show no dates beside versions and sizes: the place of a file would not be
/// readable any more.
const WIDE: usize = 110;

/// A value is shown up to so many columns: the place of it should stay in sight.
const WIDEST_VALUE: usize = 44;

/// Prints a plan for people: the game, the files, the findings.
pub fn print(plan: &Plan, session: &Session) -> Result<()> {
    print_with(plan, &listed(plan, session), session)
}

/// The files of a plan, each in a line.
pub fn listed(plan: &Plan, session: &Session) -> String {
    if plan.steps.is_empty() {
        return String::new();
    }
    if plan.steps.len() > TOO_MANY && !session.verbose {
        return format!("  {} (-v lists them)\n", deeds(plan).join(", "));
    }
    let shown = if session.verbose { usize::MAX } else { MOST_STEPS };
    let mut text = steps(plan, shown, session.width);
    if plan.steps.len() > shown {
        let rest = format!("  and {} more (-v)", plan.steps.len() - shown);
        text.extend([rest.dimmed().to_string(), "\n".to_owned()]);
    }
    text
}

/// Prints a plan with its description.
pub fn print_with(plan: &Plan, what: &str, session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    writeln!(out, "{}: {}", clean(&plan.game.title).bold(), clean(&plan.summary))?;
    // The plan does not matter beside the reason why it is stopped.
    let stopped = !plan.stops().is_empty();
    if !stopped {
        write!(out, "{what}")?;
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
        write_finding(&mut out, finding, session)?;
    }
    if stopped {
        writeln!(out, "Refused: nothing was changed.")?;
    }
    Ok(())
}

fn steps(plan: &Plan, shown: usize, width: usize) -> String {
    let steps = &plan.steps[..plan.steps.len().min(shown)];
    // Values alone have neither size nor date.
    let has_files = steps.iter().any(|step| step.file().is_some());
    let has_values = steps.iter().any(is_value);
    let mut headings = match (has_files, has_values) {
        (true, true) => vec!["WHAT", "SIZE"],
        (true, false) => vec!["VERSION", "SIZE"],
        (false, true) => vec!["VALUE"],
        (false, false) => vec!["WHAT"],
    };
    if has_files && width >= WIDE {
        headings.push("DATE");
    }

    let cells: Vec<Vec<String>> = steps
        .iter()
        .map(|step| {
            let size = |side: &Side| side.state.content().map(|content| bytes(content.size));
            let day = |side: &Side| side.state.file().map(|file| date(file.stamp.modified.0));
            let pair = |show: &dyn Fn(&Side) -> Option<String>| {
                if step.file().is_some() { arrow(step, show) } else { String::new() }
            };
            let mut row = vec![cut(&versions(plan, step), WIDEST_VALUE)];
            if has_files {
                row.push(pair(&size));
            }
            if has_files && width >= WIDE {
                row.push(pair(&day));
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
            row.push(fit_path(&step.target().to_string(), place));
            row
        })
        .collect();
    table(&headings, &[], rows)
}

/// Prints the signers before and after: if they differ, and with `-v` in any case.
pub fn print_signers(signers: &[SignerChange], session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    let mut by_pair: BTreeMap<String, Vec<String>> = BTreeMap::new();
    for change in signers.iter().filter(|c| session.verbose || c.before != c.after) {
        let (before, after) = (signer(&change.before), signer(&change.after));
        let pair = if before == after { before } else { format!("{before} → {after}") };
        by_pair.entry(pair).or_default().push(change.place.to_string());
    }
    for (pair, places) in by_pair {
        let places = match &places[..] {
            [one] => one.clone(),
            several => count(several.len(), "file"),
        };
        let text = format!("signer: {pair}  {places}");
        write!(out, "{}", wrapped(&clean(&text), "  ", 4, session.width))?;
    }
    Ok(())
}

/// Who signed a file, in words. A signature that does not hold names no one.
fn signer(signer: &Signer) -> String {
    match signer {
        Signer::None => "none".to_owned(),
        Signer::Unsigned => "not signed".to_owned(),
        Signer::By(name) => name.clone(),
        Signer::Not(status) => format!("a signature that is {}", status.name()),
    }
}

/// The effect of a merge on the user's settings, as a difference.
fn write_merge(out: &mut impl Write, merge: &Merge) -> Result<()> {
    let path = merge.place.to_string();
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

/// Versions before and after; for targets that state none, what becomes of them.
fn versions(plan: &Plan, step: &Step) -> String {
    if plan.merges.iter().any(|merge| Some(&merge.place) == step.file()) {
        return "settings merged".to_owned();
    }
    let (before, after) = (step.before(), step.after());
    if before.label.is_some() || after.label.is_some() {
        return arrow(step, &|side| Some(version(side)));
    }

    if let (true, pair) = (is_value(step), arrow(step, &|side| value_of(step.target(), side))) {
        return pair;
    }
    let words = match (&before.state, &after.state) {
        (_, State::Mark { set: true, .. }) => "marked read-only",
        (State::Mark { set: true, .. }, _) => "no longer read-only",
        (State::Tree(_), _) => "moved aside",
        (_, State::Tree(_)) => "brought back",
        _ if !step.alters() => "kept",
        (_, State::Folder(_)) => "new folder",
        (State::Folder(_), _) => "empty folder removed",
        (State::Absent, _) => "new file",
        (_, State::Absent) => "removed",
        (State::File(was), State::File(is)) if was.content == is.content => "date and marks",
        _ => "changed",
    };
    words.to_owned()
}

/// `before → after`, with words if something comes or goes.
fn arrow(step: &Step, show: &dyn Fn(&Side) -> Option<String>) -> String {
    let side = |side: &Side, nothing: &str| {
        let shown = if side.state.is_absent() { None } else { show(side) };
        shown.unwrap_or_else(|| nothing.to_owned())
    };
    let (none, gone) = if is_value(step) { ("not set", "not set") } else { ("none", "removed") };
    format!("{} → {}", side(step.before(), none), side(step.after(), gone))
}

/// Whether a step is about a value rather than a file.
fn is_value(step: &Step) -> bool {
    matches!(step.target(), Target::Setting(_) | Target::Value(_))
}

fn version(side: &Side) -> String {
    side.label.clone().unwrap_or_else(|| "not stated".to_owned())
}

/// The effect of a plan on how many files, as a question.
pub fn question(plan: &Plan) -> String {
    let words = deeds(plan);
    let sentence = if words.is_empty() { "go on".to_owned() } else { words.join(" and ") };
    let mut letters = sentence.chars();
    let first: String = letters.next().into_iter().flat_map(char::to_uppercase).collect();
    format!("{first}{}?", letters.as_str())
}

/// The effects of a plan by number of files; a new file replaces nothing.
fn deeds(plan: &Plan) -> Vec<String> {
    let number = |kind: fn(&Step) -> bool| plan.files().filter(|step| kind(step)).count();
    let of_all = |kind: fn(&Step) -> bool| plan.steps.iter().filter(|step| kind(step)).count();
    let leaves = |step: &Step| matches!(step.before().state, State::Tree(_));
    let returns = |step: &Step| matches!(step.after().state, State::Tree(_));
    let locks = |step: &Step| step.after().state.is_marked();
    let unlocks = |step: &Step| step.before().state.is_marked();
    let comes = |step: &Step| step.before().state.is_absent();
    let goes = |step: &Step| step.after().state.is_absent();
    let kinds = [
        ("add", number(comes), "file"),
        (
            "replace",
            number(|step| {
                step.alters() && !step.before().state.is_absent() && !step.after().state.is_absent()
            }),
            "file",
        ),
        ("remove", number(goes), "file"),
        ("move aside", of_all(leaves), "thing"),
        ("bring back", of_all(returns), "thing"),
        ("set", of_all(is_value), "value"),
        ("lock", of_all(locks), "file"),
        ("unlock", of_all(unlocks), "file"),
    ];
    let kinds = kinds.into_iter().filter(|(_, number, _)| *number > 0);
    kinds.map(|(verb, number, what)| format!("{verb} {}", count(number, what))).collect()
}

/// Prints the result of a change: the versions read back, the next step, and the way back.
pub fn print_done(change: &Change, next: &str, back: &str, session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    let is_done = |step: &&Step| step.alters() && !step.target().is_folder();
    let files = || change.steps().iter().filter(is_done);
    let values = files().filter(|step| is_value(step)).count();
    let numbers = [(files().count() - values, "file"), (values, "value")];
    let numbers = numbers.into_iter().filter(|(number, _)| *number > 0);
    let numbers: Vec<String> = numbers.map(|(number, what)| count(number, what)).collect();
    let done = format!("Done: change {}, {}.", change.number(), numbers.join(" and "));
    let mut proofs: Vec<String> = files().filter_map(|step| proof(step, session.verbose)).collect();
    proofs.sort();
    proofs.dedup();

    let most = if session.verbose { usize::MAX } else { MOST_PROOFS };
    match &proofs[..] {
        [] => writeln!(out, "{}", done.green())?,
        [one] => writeln!(out, "{}", clean(&format!("{done} Read back: {one}.")).green())?,
        several => {
            writeln!(out, "{}", format!("{done} Read back:").green())?;
            for proof in several.iter().take(most) {
                writeln!(out, "  {}", clean(proof))?;
            }
            if several.len() > most {
                writeln!(out, "  and {} more (-v)", several.len() - most)?;
            }
        }
    }

    if !next.is_empty() {
        hint(session, next)?;
    }
    hint(session, &format!("To go back: {back}"))
}

/// The version of a file as read back, and with `verbose` the digest of its content.
fn proof(step: &Step, verbose: bool) -> Option<String> {
    if is_value(step) {
        let name = match step.target() {
            Target::Setting(key) => key.path.key(),
            Target::Value(value) => &value.value.name,
            _ => "",
        };
        let value = value_of(step.target(), step.after());
        return Some(format!("{name} is {}", value.as_deref().unwrap_or("not set")));
    }
    let content = step.after().state.content()?;
    match (&step.after().label, verbose) {
        (None, false) => None,
        (Some(_), false) => Some(describe(step.after())),
        (_, true) => {
            let name = step.file()?.path().file_name();
            Some(format!("{name}: {} (content {})", describe(step.after()), content.blake3.short()))
        }
    }
}

/// The plans of several games, a line for each.
pub fn print_several(jobs: &[(&str, &Plan)], session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    let rows = jobs
        .iter()
        .map(|(what, plan)| {
            let mut versions: Vec<String> = plan.files().map(|step| versions(plan, step)).collect();
            versions.sort();
            versions.dedup();
            let version = match &versions[..] {
                [one] => one.clone(),
                [] => "-".to_owned(),
                _ => "several".to_owned(),
            };
            let stop = plan.stops().first().map(|stop| format!("refused: {}", stop.code));
            let done = match stop {
                Some(stop) => stop.red().to_string(),
                None if plan.is_empty() => "as it is".to_owned(),
                None => question(plan).trim_end_matches('?').to_lowercase(),
            };
            vec![clean(&plan.game.title).into_owned(), clean(what).into_owned(), version, done]
        })
        .collect();
    write!(out, "{}", table(&["GAME", "BUILD", "VERSION", "WHAT"], &[], rows))?;
    for (_, plan) in jobs {
        for finding in plan.findings.iter().filter(|finding| finding.severity > Severity::Note) {
            writeln!(out, "{}", clean(&plan.game.title).bold())?;
            write_finding(&mut out, finding, session)?;
        }
    }

    Ok(())
}
