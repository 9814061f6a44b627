//! Drift: what differs from the records.

use std::io::Write;

use anyhow::Result;
use owo_colors::OwoColorize;
use upright_spanner_core::change::{Owner, Side, State, Target, value_of};
use upright_spanner_core::check::Finding;
use upright_spanner_core::plan::{Drift, DriftState, Drifted, VersionChange, Wound};
use upright_spanner_core::survey::GameView;
use upright_spanner_core::version::Version;

use super::check::write_finding;
use super::table::{fit_places, table};
use super::{clean, count, fit_path, hint, quoted, slashes};
use crate::session::Session;

/// The number of changed files of a release that are named.
const MOST_OTHERS: usize = 5;

/// A game with its drift, and the findings if it was updated.
type Row<'a> = (&'a GameView, Drift, Vec<Finding>);

/// Prints the state of games compared with their records.
pub fn print_drift(drifts: &[Row<'_>], session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    if drifts.is_empty() {
        let nothing = if session.waits() {
            "Nothing is recorded for these games except the change that waits."
        } else {
            "Nothing to compare: spanner has not changed any file of these games."
        };
        return hint(session, nothing);
    }

    for (view, drift, found) in drifts {
        let title = clean(&view.game.title).bold().to_string();
        writeln!(out, "{title}  {}", format!("({})", view.game.id).dimmed())?;
        write_wound(&mut out, drift, session)?;
        write_held(&mut out, drift, session)?;
        write_executable(&mut out, drift)?;
        let rows = drift.files.iter().map(|file| {
            vec![
                state(file),
                clean(owner(&file.owner)).into_owned(),
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
        if !rows.is_empty() {
            fit_places(&headings, &mut rows, session.width);
            write!(out, "{}", table(&headings, &[], rows))?;
        }
        let is_lost =
            |file: &Drifted| file.state == DriftState::Missing && !file.recorded.state.is_absent();
        if drift.files.iter().any(is_lost) {
            hint(session, "  A virus scanner may have removed missing files: see its quarantine.")?;
        }
        for finding in found {
            write_finding(&mut out, finding, session)?;
        }
        write_ways_on(drift, found, session)?;
        writeln!(out)?;
    }

    let off: Vec<&Row<'_>> = drifts.iter().filter(|(_, drift, _)| drift.is_off()).collect();
    let undone = off.iter().find(|(_, drift, _)| drift.files.iter().any(Drifted::is_off));
    match (off.first(), undone) {
        // Each game had its own next step.
        _ if off.iter().any(|(_, drift, _)| was_updated(drift)) => Ok(()),
        (None, _) => hint(session, "Everything is as it was left."),
        (_, Some((view, ..))) => hint(
            session,
            &format!("Next: spanner refit {} --dry-run, to restore the fitted files", view.game.id),
        ),
        (Some((view, ..)), None) => hint(session, &format!("Next: spanner check {}", view.game.id)),
    }
}

/// Whether an update has come over a release that was put onto the game's folder.
fn was_updated(drift: &Drift) -> bool {
    drift.wound.as_ref().is_some_and(Wound::is_off)
}

/// Prints the wound release, and its present state.
fn write_wound(out: &mut impl Write, drift: &Drift, session: &Session) -> Result<()> {
    let Some(wound) = &drift.wound else { return Ok(()) };
    let spoken = |version: Option<&Version>| {
        version.map_or_else(|| "an unknown version".to_owned(), ToString::to_string)
    };
    let files = count(wound.files, "file");
    let versions = match (&wound.was, &wound.is) {
        (None, None) => String::new(),
        (was, is) => format!(": {} → {}", spoken(was.as_ref()), spoken(is.as_ref())),
    };
    let text = format!("Wound back by change {}{versions}, {files}.", wound.change);
    if !wound.is_off() {
        writeln!(out, "  {}", clean(&format!("{text} All as it left them.")))?;
        return Ok(());
    }
    let others = match (wound.others.len(), wound.files) {
        (all, files) if all == files => "None of them is as it was left.".to_owned(),
        (1, _) => "1 of them has changed.".to_owned(),
        (others, _) => format!("{others} of them have changed."),
    };
    writeln!(out, "  {}", clean(&format!("{text} {others}")).yellow())?;
    let shown = if session.verbose { usize::MAX } else { MOST_OTHERS };
    for place in wound.others.iter().take(shown) {
        writeln!(out, "    {}", fit_path(&place.to_string(), session.width.saturating_sub(4)))?;
    }
    if wound.others.len() > shown {
        let rest = format!("    and {} more (-v)", wound.others.len() - shown);
        writeln!(out, "{}", rest.dimmed())?;
    }
    Ok(())
}

/// What keeps launchers from updating the game, and what waits behind it.
fn write_held(out: &mut impl Write, drift: &Drift, session: &Session) -> Result<()> {
    for held in &drift.held {
        let name = slashes(&held.file);
        let why = held.why.as_ref().map_or_else(String::new, |why| format!(" ({why})"));
        if held.is_lifted {
            let text = format!("The hold of change {} was lifted{why}: {name}", held.change);
            writeln!(out, "  {}", clean(&text).yellow())?;
            let again = format!("  To hold it again: spanner hold {}", quoted(&drift.game));
            hint(session, &again)?;
        } else {
            let place = fit_path(&name, session.width.saturating_sub(30 + why.len()));
            writeln!(out, "  {}", clean(&format!("Held by change {}{why}: {place}", held.change)))?;
        }
    }
    for (launcher, build) in &drift.waiting {
        let what =
            build.as_ref().map_or_else(|| "an update".to_owned(), |build| format!("build {build}"));
        let text = format!("{launcher} waits with {what} until the hold is lifted.");
        writeln!(out, "  {}", clean(&text))?;
    }
    Ok(())
}

/// The options after an update over a wound release, in order.
fn write_ways_on(drift: &Drift, found: &[Finding], session: &Session) -> Result<()> {
    let Some(wound) = drift.wound.as_ref().filter(|wound| wound.is_off()) else { return Ok(()) };
    let game = quoted(&drift.game);
    let named = |option: &str, values: &[String]| -> String {
        let words = values.iter().flat_map(|value| [format!(" {option} "), quoted(value)]);
        words.collect()
    };
    let (from, aside) = (named("--from", &wound.from), named("--aside", &wound.aside));
    let mut ways = vec![format!("Wind it back again: spanner wind {game}{from}{aside}")];
    let mut families: Vec<&str> = drift
        .files
        .iter()
        .filter(|file| file.state == DriftState::Fitted || file.is_off())
        .filter(|file| file.target.file().is_some())
        .filter_map(|file| file.owner.family())
        .collect();
    families.sort_unstable();
    families.dedup();
    if !found.is_empty() {
        for family in &families {
            let family = quoted(family);
            ways.push(format!(
                "Or stay with the new release, with a build that fits it: spanner fit {game} {family}"
            ));
            ways.push(format!("Or take it out until there is one: spanner park {game} {family}"));
        }
    }
    let updated = "Or wait: a newer build may come";
    if !families.is_empty() {
        ways.push(format!("{updated}; nothing is lost."));
    }
    for (number, way) in (1..).zip(ways) {
        hint(session, &format!("  {number}. {way}"))?;
    }
    Ok(())
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
    let wound = drift.wound.as_ref().map(|wound| wound.others.len());
    let held: Vec<bool> = drift.held.iter().map(|held| held.is_lifted).collect();
    let files = files.collect::<Vec<_>>().join("\n");
    format!("{files}\n{}\n{wound:?} {held:?} {:?}", version.unwrap_or_default(), drift.waiting)
}

/// A family, or the part of the game that a target belongs to.
fn owner(owner: &Owner) -> &str {
    match owner {
        Owner::Family(id) => id,
        Owner::Game => "the game",
        Owner::Saves => "saves",
        Owner::Hold => "the hold",
        Owner::Compatibility => "compatibility",
        Owner::Shortcut => "shortcut",
    }
}
