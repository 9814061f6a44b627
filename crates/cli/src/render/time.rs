//! What has come of games and of the home since: drift, adopted swaps, the doctor's findings.

use std::io::Write;

use anyhow::Result;
use owo_colors::OwoColorize;
use serde_json::{Value, json};
use upright_spanner_core::plan::{Drift, DriftState, Drifted, Held, Plan, Than};
use upright_spanner_core::survey::GameView;
use upright_spanner_core::version::Version;
use upright_spanner_core::{Adoption, Checked, Diagnosis, Waste};

use super::check::write_finding;
use super::table::{fit_places, table};
use super::{bytes, clean, count, hint, slashes};
use crate::session::Session;

/// A game with its drift, and what the checks say where it was updated.
type Row<'a> = (&'a GameView, Drift, Vec<Checked>);

/// Prints how games stand to their records.
pub fn print_drift(drifts: &[Row<'_>], session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    if drifts.is_empty() {
        return hint(session, "Nothing is recorded: spanner has changed no file of these games.");
    }
    for (view, drift, checked) in drifts {
        let title = clean(&view.game.title).bold().to_string();
        writeln!(out, "{title}  {}", format!("({})", view.game.id).dimmed())?;
        write_executable(&mut out, drift)?;
        let rows = drift.files.iter().map(|file| {
            vec![
                state(file),
                clean(&file.family).into_owned(),
                version(file.recorded.as_ref()),
                version(file.now.as_ref()),
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

fn version(held: Option<&Held>) -> String {
    match held {
        None => "none".to_owned(),
        Some(held) => {
            held.version.as_ref().map_or_else(|| "not stated".to_owned(), ToString::to_string)
        }
    }
}

/// How the file that is there compares with the one that was fitted, and whose it is.
fn remark(file: &Drifted) -> String {
    let than = match file.than {
        None => return String::new(),
        Some(Than::Older) => "older",
        Some(Than::Newer) => "newer",
        Some(Than::Same) => "same version",
        Some(Than::Unknown) => "other",
    };
    file.signer.as_ref().map_or_else(|| than.to_owned(), |signer| format!("{than}, by {signer}"))
}

/// What of a drift is worth telling again when it changes.
pub fn drift_in_words(drift: &Drift) -> String {
    let files = drift.files.iter().map(|file| {
        let now = file.now.as_ref().map(|held| held.state.content.blake3.short());
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
        let text =
            format!("No renamed original lies beside a file of {title} that is not recorded.");
        return hint(session, &text);
    }
    writeln!(out, "{}: swaps made by hand", clean(&view.game.title).bold())?;
    let told = |version: &Option<Version>| {
        version.as_ref().map_or_else(|| "not stated".to_owned(), ToString::to_string)
    };
    let signer =
        |signer: &Option<String>| signer.clone().unwrap_or_else(|| "not signed".to_owned());
    let mut rows = Vec::new();
    for adoption in adoptions {
        for (what, (path, version, by)) in
            [("original", &adoption.original), ("live", &adoption.live)]
        {
            rows.push(vec![
                what.to_owned(),
                told(version),
                clean(&signer(by)).into_owned(),
                clean(path.as_str()).into_owned(),
            ]);
        }
        for other in &adoption.others {
            let path = clean(other.as_str()).into_owned();
            rows.push(vec!["copy".to_owned(), String::new(), String::new(), path]);
        }
    }
    let headings = ["", "VERSION", "SIGNER", "PLACE"];
    fit_places(&headings, &mut rows, session.width);
    write!(out, "{}", table(&headings, &[], rows))?;
    Ok(())
}

/// Prints what the doctor found.
pub fn print_diagnosis(
    diagnosis: &Diagnosis,
    deep: bool,
    look_only: bool,
    session: &Session,
) -> Result<()> {
    let mut out = anstream::stdout();
    for fault in &diagnosis.database {
        writeln!(out, "{} {}", "database:".red().bold(), clean(fault))?;
    }
    for number in &diagnosis.interrupted {
        let text = format!("change {number} waits to be put back: is its game's drive there?");
        writeln!(out, "{} {text}", "journal:".yellow().bold())?;
    }
    for (content, user) in &diagnosis.contents {
        let text = format!(
            "{} ({}) is missing or damaged; {user} needs it",
            content.blake3.short(),
            bytes(content.size)
        );
        writeln!(out, "{} {}", "store:".red().bold(), clean(&text))?;
    }
    for path in &diagnosis.leftovers {
        let what = if look_only { "would be removed" } else { "removed" };
        writeln!(out, "{} {} {what}", "leftover:".yellow().bold(), clean(&slashes(path)))?;
    }
    if !diagnosis.contents.is_empty() {
        hint(session, "Add those builds again from their packages: that mends what is stored.")?;
    }
    if diagnosis.is_ill() {
        return Ok(());
    }
    let how = if deep { "every byte read" } else { "lengths compared; --deep reads every byte" };
    let text = format!(
        "All is well: the journal, the database, and {} in the store ({how}).",
        count(diagnosis.read, "content")
    );
    hint(session, &text)
}

/// Drift as a document for programs.
pub fn drift_document(drifts: &[Row<'_>]) -> Value {
    let one = |(_, drift, checked): &Row<'_>| {
        let findings: Vec<_> = checked.iter().flat_map(|checked| &checked.findings).collect();
        json!({ "drift": drift, "drifted": drift.is_off(), "findings": findings })
    };
    json!({ "schema": 1, "games": drifts.iter().map(one).collect::<Vec<_>>() })
}

/// Swaps made by hand as a document for programs.
pub fn adoptions_document(plan: &Plan, adoptions: &[Adoption]) -> Value {
    let file = |(path, version, signer): &(_, Option<Version>, Option<String>)| {
        let path: &upright_spanner_core::path::GamePath = path;
        json!({ "path": path, "version": version, "signer": signer })
    };
    let one = |adoption: &Adoption| {
        json!({
            "live": file(&adoption.live),
            "original": file(&adoption.original),
            "others": adoption.others,
        })
    };
    let swaps: Vec<Value> = adoptions.iter().map(one).collect();
    json!({ "schema": 1, "game": plan.game.id, "swaps": swaps, "steps": plan.steps })
}

/// What nothing needs, as a document for programs.
pub fn waste_document(waste: &Waste, removed: bool) -> Value {
    json!({
        "schema": 1,
        "bytes": waste.bytes,
        "of": waste.of,
        "files": waste.files.len(),
        "removed": removed,
    })
}

/// What the doctor found, as a document for programs.
pub fn diagnosis_document(diagnosis: &Diagnosis) -> Value {
    let contents: Vec<Value> = diagnosis
        .contents
        .iter()
        .map(|(content, user)| json!({ "blake3": content.blake3, "size": content.size, "needed_by": user }))
        .collect();
    let leftovers: Vec<String> = diagnosis.leftovers.iter().map(|path| slashes(path)).collect();
    json!({
        "schema": 1,
        "database": diagnosis.database,
        "interrupted": diagnosis.interrupted,
        "contents": contents,
        "leftovers": leftovers,
    })
}
