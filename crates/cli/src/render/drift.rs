//! Drift: what differs from the records.

use std::io::Write;

use anyhow::Result;
use owo_colors::OwoColorize;
use upright_spanner_core::change::{Side, State, Target, value_of};
use upright_spanner_core::check::Finding;
use upright_spanner_core::plan::{Drift, DriftState, Drifted, VersionChange};
use upright_spanner_core::survey::GameView;
use upright_spanner_core::version::Version;

use super::check::write_finding;
use super::table::{fit_places, table};
use super::{clean, hint};
use crate::session::Session;

/// A game with its drift, and what the checks say where it was updated.
type Row<'a> = (&'a GameView, Drift, Vec<Finding>);

/// Prints how games stand to their records.
pub fn print_drift(drifts: &[Row<'_>], session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    if drifts.is_empty() {
        let nothing = if session.waits() {
            "Nothing is recorded for these games except the change that waits."
        } else {
            "Nothing is recorded: spanner has not changed any file of these games."
        };
        return hint(session, nothing);
    }

    for (view, drift, found) in drifts {
        let title = clean(&view.game.title).bold().to_string();
        writeln!(out, "{title}  {}", format!("({})", view.game.id).dimmed())?;
        write_executable(&mut out, drift)?;
        let rows = drift.files.iter().map(|file| {
            vec![
                state(file),
                clean(&file.family).into_owned(),
                version(&file.target, &file.recorded),
                version(&file.target, &file.now),
                clean(&remark(file)).into_owned(),
                file.target.to_string(),
            ]
        });
        let headings = ["STATE", "FAMILY", "RECORDED", "NOW", "", "PLACE"];
        let mut rows: Vec<Vec<String>> = rows.collect();
        let mut headings = headings.to_vec();
        if rows.iter().all(|row| row[4].is_empty()) {
            headings.remove(4);
            for row in &mut rows {
                row.remove(4);
            }
        }
        fit_places(&headings, &mut rows, session.width);
        write!(out, "{}", table(&headings, &[], rows))?;
        let is_lost =
            |file: &Drifted| file.state == DriftState::Missing && !file.recorded.state.is_absent();
        if drift.files.iter().any(is_lost) {
            hint(
                session,
                "  What is missing may have been set aside by a virus scanner: see its quarantine.",
            )?;
        }
        for finding in found {
            write_finding(&mut out, finding, session)?;
        }
        writeln!(out)?;
    }

    let off: Vec<&Row<'_>> = drifts.iter().filter(|(_, drift, _)| drift.is_off()).collect();
    let undone = off.iter().find(|(_, drift, _)| drift.files.iter().any(Drifted::is_off));
    match (off.first(), undone) {
        (None, _) => hint(session, "Everything is as it was left."),
        (_, Some((view, ..))) => hint(
            session,
            &format!("Next: spanner refit {} --dry-run, to put back what was fitted", view.game.id),
        ),
        (Some((view, ..)), None) => hint(session, &format!("Next: spanner check {}", view.game.id)),
    }
}

fn write_executable(out: &mut impl Write, drift: &Drift) -> Result<()> {
    let Some(then) = &drift.executable_then else { return Ok(()) };
    let spoken = |version: Option<&Version>| {
        version.map_or_else(|| "an unknown version".to_owned(), ToString::to_string)
    };
    let was = spoken(then.version.as_ref());
    let text = match &drift.executable_now {
        None => format!("{} is gone; it was {was}.", then.path),
        Some(now) if now.version == then.version => {
            format!("{} was replaced by another file of version {was}.", now.path.file_name())
        }
        Some(now) => format!(
            "The game was updated: {} was {was} and is {}.",
            now.path.file_name(),
            spoken(now.version.as_ref())
        ),
    };
    writeln!(out, "  {}", clean(&text).yellow())?;
    Ok(())
}

fn state(file: &Drifted) -> String {
    let name = file.state.name();
    match file.state {
        DriftState::Fitted => name.green().to_string(),
        DriftState::Shipped => name.to_owned(),
        _ => name.red().to_string(),
    }
}

fn version(target: &Target, side: &Side) -> String {
    match (&side.label, value_of(target, side), &side.state) {
        (Some(label), ..) => label.clone(),
        (_, Some(value), _) => value,
        (.., State::Mark { set: true, .. }) => "locked".to_owned(),
        (.., State::Mark { .. }) => "not locked".to_owned(),
        (.., state) if state.is_absent() => "none".to_owned(),
        _ => "-".to_owned(),
    }
}

/// How the file that is there compares with the one that was fitted, and whose it is.
fn remark(file: &Drifted) -> String {
    let than = match file.version_change {
        None => return String::new(),
        Some(VersionChange::Older) => "older",
        Some(VersionChange::Newer) => "newer",
        Some(VersionChange::Same) => "same version",
        Some(VersionChange::Unknown) => "other",
    };
    file.signer.as_ref().map_or_else(|| than.to_owned(), |signer| format!("{than}, names {signer}"))
}

/// What of a drift is worth reporting again when it changes.
pub fn drift_in_words(drift: &Drift) -> String {
    let files = drift.files.iter().map(|file| {
        let now = file.now.state.content().map(|content| content.blake3.short());
        let value = value_of(&file.target, &file.now);
        let now = now.or(value).unwrap_or_default();
        format!("{} {} {now}", file.target, file.state.name())
    });
    let version = drift.executable_now.as_ref().map(|now| format!("{:?}", now.version));
    format!("{}\n{}", files.collect::<Vec<_>>().join("\n"), version.unwrap_or_default())
}
