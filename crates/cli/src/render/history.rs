//! The history: a line a change, the latest last.

use std::io::Write;

use anyhow::Result;
use owo_colors::OwoColorize;
use upright_spanner_core::change::{Change, RecordState, Side, State, Step, Target, value_of};
use upright_spanner_core::proven::Proofs;
use upright_spanner_core::{ChangeStatus, StoreUse};

use super::table::{fit_places, table};
use super::{bytes, clean, count, cut, date, hint, moment, slashes};
use crate::session::Session;

/// Versions and values are shown up to so many columns.
const WIDEST_PAIR: usize = 40;

/// The number of files of one change that are listed: a tall terminal's height; `-v` lists all.
const MOST_STEPS: usize = 60;

/// Prints changes for people.
pub fn print(
    changes: &[Change],
    statuses: &[ChangeStatus],
    proofs: &Proofs,
    session: &Session,
) -> Result<()> {
    if changes.is_empty() {
        return hint(session, "Nothing has been changed yet.");
    }
    let one_game = changes.iter().all(|change| change.game() == changes[0].game());
    let mut headings = vec!["CHANGE", "WHEN", "GAME", "WHAT", "VERSION", "FILES", "NOW"];
    // If there is little room, the columns that say least are left out first.
    headings.retain(|heading| match *heading {
        "GAME" => !one_game,
        "VERSION" => one_game || session.width >= 110,
        "FILES" => session.width >= 90,
        _ => true,
    });

    let rows = changes
        .iter()
        .zip(statuses)
        .map(|(change, status)| {
            headings.iter().map(|heading| cell(change, *status, proofs, heading)).collect()
        })
        .collect();

    if one_game {
        writeln!(anstream::stdout(), "{}", clean(changes[0].game()).bold())?;
    }
    write!(anstream::stdout(), "{}", table(&headings, &[0], rows))?;
    Ok(())
}

fn cell(change: &Change, status: ChangeStatus, proofs: &Proofs, heading: &str) -> String {
    match heading {
        "CHANGE" => change.number().to_string(),
        "WHEN" => moment(change.began()),
        "GAME" => clean(change.game()).into_owned(),
        "WHAT" => clean(change.summary()).into_owned(),
        "VERSION" => versions(change),
        "FILES" => files(change).count().to_string(),
        _ => {
            let mut parts = vec![outcome(change.state(), status)];
            if !change.despite.is_empty() {
                parts.push(format!("despite {}", change.despite.join(", ")));
            }
            parts.extend(proved(change, status, proofs));
            parts.join(", ")
        }
    }
}

/// The last proof of a change that is in force.
fn proved(change: &Change, status: ChangeStatus, proofs: &Proofs) -> Option<String> {
    let proofs = proofs.of_change(change.number()).filter(|_| status == ChangeStatus::InForce);
    let last = proofs.max_by_key(|proven| (proven.by_report, proven.at))?;
    Some(format!("{} {}", last.name(), date(last.at.as_second())))
}

/// The versions before and after, if all files of the change share them.
fn versions(change: &Change) -> String {
    let pair = |step: &Step| {
        let side = |side: &Side| version(step.target(), side);
        cut(&format!("{} → {}", side(step.before()), side(step.after())), WIDEST_PAIR)
    };
    // Of many files of the game itself the executable tells.
    if change.purpose.is_wind() {
        let executable = change.executable.as_ref().map(|mark| &mark.path);
        let is_it = |step: &&Step| step.file().is_some_and(|file| Some(file.path()) == executable);
        return files(change).find(is_it).map_or_else(|| "several".to_owned(), &pair);
    }
    let mut pairs: Vec<String> = files(change).map(pair).collect();
    pairs.dedup();
    match &pairs[..] {
        [pair] => pair.clone(),
        _ => "several".to_owned(),
    }
}

/// The version on a side of a step, or the value of a setting.
fn version(target: &Target, side: &Side) -> String {
    let is_value = matches!(target, Target::Setting(_) | Target::Value(_));
    match (&side.label, value_of(target, side), &side.state) {
        (Some(label), ..) => label.clone(),
        (_, Some(value), _) => value,
        (.., State::Mark { set: true, .. }) => "locked".to_owned(),
        (.., State::Mark { .. }) => "not locked".to_owned(),
        (.., state) if state.is_absent() && is_value => "not set".to_owned(),
        (.., state) if state.is_absent() => "none".to_owned(),
        _ => "not stated".to_owned(),
    }
}

fn files(change: &Change) -> impl Iterator<Item = &Step> {
    change.steps().iter().filter(|step| step.alters() && !step.target().is_folder())
}

fn outcome(state: RecordState, status: ChangeStatus) -> String {
    match state {
        RecordState::Done if status == ChangeStatus::InForce => status.name().green().to_string(),
        RecordState::Done => status.name().to_owned(),
        RecordState::PutBack => "failed, put back".yellow().to_string(),
        RecordState::Settled => "settled".yellow().to_string(),
        RecordState::Open => "interrupted".red().to_string(),
    }
}

/// Prints one change with every file.
pub fn print_one(
    change: &Change,
    status: ChangeStatus,
    proofs: &Proofs,
    session: &Session,
) -> Result<()> {
    let mut out = anstream::stdout();
    writeln!(out, "{}", format!("change {}", change.number()).bold())?;
    let mut line = |name: &str, value: &str| {
        writeln!(out, "  {} {}", format!("{name:<12}").dimmed(), clean(value))
    };
    line("what", change.summary())?;
    line("game", change.game())?;
    line("folder", &slashes(change.root()))?;
    line("when", &moment(change.began()))?;
    line(
        "now",
        match change.state() {
            RecordState::Done => status.name(),
            RecordState::PutBack => "failed, put back",
            RecordState::Settled => "interrupted, and settled with the present files",
            RecordState::Open => "interrupted",
        },
    )?;

    if let Some(executable) = &change.executable {
        let version = executable.version.as_ref();
        let version = version.map_or_else(|| "no version".to_owned(), |v| format!("version {v}"));
        line("executable", &format!("{}, {version}", executable.path))?;
    }

    if !change.despite.is_empty() {
        line("despite", &change.despite.join(", "))?;
    }
    for proven in proofs.of_change(change.number()) {
        line(proven.name(), &format!("{}, {}", proven.family, moment(proven.at)))?;
    }
    writeln!(out)?;
    let shown = if session.verbose { usize::MAX } else { MOST_STEPS };
    let mut rows: Vec<Vec<String>> = change.steps().iter().take(shown).map(sides).collect();
    let headings = ["BEFORE", "AFTER", "PLACE"];
    fit_places(&headings, &mut rows, session.width);
    write!(out, "{}", table(&headings, &[], rows))?;
    if change.steps().len() > shown {
        let rest = format!("  and {} more (-v)", change.steps().len() - shown);
        writeln!(out, "{}", rest.dimmed())?;
    }
    match status {
        ChangeStatus::InForce => {
            hint(session, &format!("Next: spanner undo {} --dry-run", change.number()))
        }
        _ => Ok(()),
    }
}

/// The states before and after a step, and its place.
fn sides(step: &Step) -> Vec<String> {
    let (before, after) = match (step.target().is_folder(), step.after().state.is_absent()) {
        (true, true) => ("empty folder".to_owned(), "removed".to_owned()),
        (true, false) => ("none".to_owned(), "new folder".to_owned()),
        (false, _) => {
            (content(step, step.before(), "none"), content(step, step.after(), "removed"))
        }
    };
    vec![before, after, step.target().to_string()]
}

/// The version of a content, and the start of its digest.
fn content(step: &Step, side: &Side, nothing: &str) -> String {
    if let State::Tree(tree) = &side.state {
        return count(usize::try_from(tree.files).unwrap_or(usize::MAX), "file");
    }
    if matches!(step.target(), Target::Aside(_)) {
        return "moved aside".to_owned();
    }
    let is_part = step.file().is_none() && !step.target().is_folder();
    if is_part {
        return version(step.target(), side);
    }
    let Some(content) = side.state.content() else { return nothing.to_owned() };
    let label = side.label.as_ref().map_or_else(String::new, |label| format!("{label} "));
    format!("{label}({})", content.blake3.short())
}

/// Prints the use of the store by game.
pub fn print_size(used: &StoreUse, session: &Session) -> Result<()> {
    let row = |name: &str, (files, size): (usize, u64)| {
        vec![clean(name).into_owned(), count(files, "file"), bytes(size)]
    };
    let mut games: Vec<_> = used.games.iter().collect();
    games.sort_by_key(|(_, (_, size))| std::cmp::Reverse(*size));
    let mut rows: Vec<Vec<String>> = games.into_iter().map(|(game, sum)| row(game, *sum)).collect();
    let aside = used.aside.iter().map(|(game, sum)| row(&format!("{game}, moved aside"), *sum));
    rows.extend(aside);
    rows.push(row("(the rack)", used.rack));
    rows.push(row("all", used.all));
    write!(anstream::stdout(), "{}", table(&["KEPT FOR", "FILES", "SIZE"], &[1, 2], rows))?;
    hint(session, "What several keep is stored once. Next: spanner doctor --reclaim --dry-run")
}
