//! What has come of games and of the home since: drift, adopted swaps, the doctor's findings.

use std::io::Write;

use anyhow::Result;
use owo_colors::OwoColorize;
use serde_json::{Value, json};
use upright_spanner_core::change::{Mending, Side};
use upright_spanner_core::plan::AdoptedFile;
use upright_spanner_core::plan::{Drift, DriftState, Drifted, Plan, VersionChange};
use upright_spanner_core::survey::GameView;
use upright_spanner_core::version::Version;
use upright_spanner_core::{Adoption, CheckedFamily, Diagnosis, Mended, Unreferenced};

use super::check::write_finding;
use super::document;
use super::table::{fit_places, table};
use super::{bytes, clean, count, hint, slashes};
use crate::session::Session;

/// A game with its drift, and what the checks say where it was updated.
type Row<'a> = (&'a GameView, Drift, Vec<CheckedFamily>);

/// Prints how games stand to their records.
pub fn print_drift(drifts: &[Row<'_>], session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    if drifts.is_empty() {
        let nothing = if session.waits() {
            "Nothing is recorded of these games but what waits."
        } else {
            "Nothing is recorded: spanner has changed no file of these games."
        };
        return hint(session, nothing);
    }
    for (view, drift, checked) in drifts {
        let title = clean(&view.game.title).bold().to_string();
        writeln!(out, "{title}  {}", format!("({})", view.game.id).dimmed())?;
        write_executable(&mut out, drift)?;
        let rows = drift.files.iter().map(|file| {
            vec![
                state(file),
                clean(&file.family).into_owned(),
                version(&file.recorded),
                version(&file.now),
                clean(&remark(file)).into_owned(),
                file.place.to_string(),
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
        for finding in checked.iter().flat_map(|checked| &checked.findings) {
            write_finding(&mut out, finding, session.width)?;
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

fn version(side: &Side) -> String {
    match &side.label {
        Some(label) => label.clone(),
        None if side.state.is_absent() => "none".to_owned(),
        None => "not stated".to_owned(),
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

/// What of a drift is worth telling again when it changes.
pub fn drift_in_words(drift: &Drift) -> String {
    let files = drift.files.iter().map(|file| {
        let now = file.now.state.content().map(|content| content.blake3.short());
        format!("{} {} {}", file.place, file.state.name(), now.unwrap_or_default())
    });
    let version = drift.executable_now.as_ref().map(|now| format!("{:?}", now.version));
    format!("{}\n{}", files.collect::<Vec<_>>().join("\n"), version.unwrap_or_default())
}

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

/// Prints what the doctor found, and what was mended of it.
pub fn print_diagnosis(
    diagnosis: &Diagnosis,
    mended: Option<&Mended>,
    deep: bool,
    session: &Session,
) -> Result<()> {
    let mut out = anstream::stdout();
    let bad = |word: &str| format!("{word}:").red().bold().to_string();
    let odd = |word: &str| format!("{word}:").yellow().bold().to_string();
    for fault in &diagnosis.index {
        writeln!(out, "{} {}", bad("index"), clean(fault))?;
    }
    let restored = mended.map_or(&[][..], |mended| &mended.journal);
    for fault in &diagnosis.journal {
        let path = slashes(&fault.path);
        let again = restored.iter().find(|(number, _)| *number == fault.number);
        let is_outcome = matches!(fault.mending, Some(Mending::Outcome(_)));
        let what = match again {
            Some(_) if is_outcome => format!("{path}: {}, which is noted there now", fault.what),
            Some((_, Some(aside))) => format!(
                "{path} was damaged and is written anew from a copy; the damaged one is {}",
                slashes(aside)
            ),
            Some((_, None)) => format!("{path} was missing and is written anew from a copy"),
            None if is_outcome => format!("{path}: {}", fault.what),
            None if fault.mending.is_some() => {
                format!("{path}: {}; a copy of it is at hand", fault.what)
            }
            None => format!(
                "{path}: {}. What change {} kept is still in the store; nothing is removed from there",
                fault.what, fault.number
            ),
        };
        let word = if again.is_some() { odd("journal") } else { bad("journal") };
        writeln!(out, "{word} {}", clean(&what))?;
    }
    for (path, what) in &diagnosis.labels {
        let text = format!("{}: {what}. Add that build again from its package", slashes(path));
        writeln!(out, "{} {}", bad("rack"), clean(&text))?;
    }
    if let Some(what) = &diagnosis.words {
        writeln!(out, "{} {}", bad("games"), clean(what))?;
    }
    for number in &diagnosis.interrupted {
        let text = format!(
            "change {number} waits to be put back; what holds it up, and to end it with what is there: \
             spanner doctor --settle {number}"
        );
        writeln!(out, "{} {text}", odd("journal"))?;
    }
    for (content, user) in &diagnosis.contents {
        let text = format!(
            "{} ({}) is missing or damaged; {user} needs it",
            content.blake3.short(),
            bytes(content.size)
        );
        writeln!(out, "{} {}", bad("store"), clean(&text))?;
    }
    for path in &diagnosis.arrived {
        let what = if mended.is_some() { "which is noted now" } else { "which is not noted" };
        let path = slashes(path);
        writeln!(out, "{} {}: all of the build is stored, {what}", odd("rack"), clean(&path))?;
    }
    for path in &diagnosis.leftovers {
        let what = if mended.is_some() { "removed" } else { "would be removed" };
        writeln!(out, "{} {} {what}", odd("leftover"), clean(&slashes(path)))?;
    }
    for game in &diagnosis.gone {
        let text = format!(
            "{} stood in {}, which is not there. Where it is now: spanner game set {} --root FOLDER",
            game.title,
            slashes(&game.root),
            game.id
        );
        writeln!(out, "{} {}", odd("game"), clean(&text))?;
    }
    if !diagnosis.contents.is_empty() {
        hint(session, "Add those builds again from their packages: that mends what is stored.")?;
    }
    hint(session, &format!("The home is {}.", slashes(&diagnosis.home)))?;
    if is_ill(diagnosis, mended) {
        return Ok(());
    }
    let how = if deep { "every byte read" } else { "lengths compared; --deep reads every byte" };
    let text = format!(
        "All is well: the journal, the rack, and {} in the store ({how}).",
        count(diagnosis.read, "content")
    );
    hint(session, &text)
}

/// Whether something is wrong that was not mended.
pub fn is_ill(diagnosis: &Diagnosis, mended: Option<&Mended>) -> bool {
    let restored = mended.map_or(0, |mended| mended.journal.len());
    let left = Diagnosis { journal: Vec::new(), ..diagnosis.clone() };
    left.is_ill() || diagnosis.journal.len() > restored
}

/// Drift as a document for programs.
pub fn drift_document(drifts: &[Row<'_>]) -> Value {
    let one = |(_, drift, checked): &Row<'_>| {
        let findings: Vec<_> = checked.iter().flat_map(|checked| &checked.findings).collect();
        let mark = |mark: &Option<upright_spanner_core::change::ExecutableMark>| {
            mark.as_ref().map(|mark| {
                json!({
                    "path": mark.path,
                    "version": mark.version,
                    "size": mark.size,
                    "stamp": mark.stamp,
                })
            })
        };
        let file = |file: &Drifted| {
            let mut value = document::place(&file.place);
            value["family"] = json!(file.family);
            value["state"] = json!(file.state.name());
            value["recorded"] = document::side(&file.recorded);
            value["now"] = document::side(&file.now);
            value["than"] = json!(file.version_change.map(VersionChange::name));
            value["signer"] = json!(file.signer);
            value
        };
        let drift_value = json!({
            "game": drift.game,
            "files": drift.files.iter().map(file).collect::<Vec<_>>(),
            "executable_then": mark(&drift.executable_then),
            "executable_now": mark(&drift.executable_now),
        });
        json!({ "drift": drift_value, "drifted": drift.is_off(), "findings": document::findings(findings) })
    };
    json!({ "schema": 1, "games": drifts.iter().map(one).collect::<Vec<_>>() })
}

/// Swaps made by hand as a document for programs.
pub fn adoptions_document(plan: &Plan, adoptions: &[Adoption]) -> Value {
    let file = |file: &AdoptedFile| json!({ "path": file.path, "version": file.version, "signer": file.signer });
    let one = |adoption: &Adoption| {
        json!({
            "live": file(&adoption.live),
            "original": file(&adoption.original),
            "others": adoption.others,
        })
    };
    let swaps: Vec<Value> = adoptions.iter().map(one).collect();
    let steps = document::steps(&plan.steps);
    json!({ "schema": 1, "game": plan.game.id, "swaps": swaps, "steps": steps })
}

/// What nothing needs, as a document for programs.
pub fn unreferenced_document(found: &Unreferenced, removed: bool) -> Value {
    json!({
        "schema": 1,
        "bytes": found.bytes,
        "of": found.of,
        "files": found.contents.len(),
        "unmentioned": found.unmentioned.len(),
        "removed": removed,
    })
}

/// What the doctor found, as a document for programs.
pub fn diagnosis_document(diagnosis: &Diagnosis, mended: Option<&Mended>) -> Value {
    let contents: Vec<Value> = diagnosis
        .contents
        .iter()
        .map(|(content, user)| json!({ "blake3": content.blake3, "size": content.size, "needed_by": user }))
        .collect();
    let paths = |paths: &[std::path::PathBuf]| -> Vec<String> {
        paths.iter().map(|path| slashes(path)).collect()
    };
    let journal: Vec<Value> = diagnosis
        .journal
        .iter()
        .map(|fault| {
            let restored =
                mended.is_some_and(|mended| mended.journal.iter().any(|(n, _)| *n == fault.number));
            json!({
                "change": fault.number,
                "path": slashes(&fault.path),
                "what": fault.what,
                "copied": fault.mending == Some(Mending::Copy),
                "restored": restored,
            })
        })
        .collect();
    let labels = diagnosis.labels.iter();
    let labels: Vec<Value> =
        labels.map(|(path, what)| json!({ "path": slashes(path), "what": what })).collect();
    let gone: Vec<&str> = diagnosis.gone.iter().map(|game| game.id.as_str()).collect();
    json!({
        "schema": 1,
        "home": slashes(&diagnosis.home),
        "database": diagnosis.index,
        "journal": journal,
        "rack": labels,
        "games": diagnosis.words,
        "interrupted": diagnosis.interrupted,
        "contents": contents,
        "leftovers": paths(&diagnosis.leftovers),
        "arrived": paths(&diagnosis.arrived),
        "gone": gone,
        "mended": mended.is_some(),
    })
}
