//! The rack: what was added, and what is on it.

use std::collections::BTreeMap;
use std::io::Write;

use anyhow::Result;
use owo_colors::OwoColorize;
use serde_json::{Value, json};
use upright_spanner_core::catalog::Role;
use upright_spanner_core::rack::{Build, Part, Policy, Sorted};
use upright_spanner_core::{Added, Addition, Damage};

use super::table::{table, widest};
use super::{bytes, clean, count, cut, date, hint, moment, wrapped};
use crate::session::Session;

/// Prints the builds that came of each package, and what became of its other files.
pub fn print_added(added: &[Addition], session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    let builds = || added.iter().flat_map(|addition| &addition.builds);
    let rows: Vec<Vec<String>> = builds()
        .map(|(build, outcome)| {
            let what = match outcome {
                Added::New => "added".green().to_string(),
                Added::Known => "already there".to_owned(),
            };
            let id = clean(&build.id.to_string()).bold().to_string();
            let machine = build.machine.spoken().to_owned();
            vec![what, id, machine, clean(&build.source.name).into_owned()]
        })
        .collect();
    if !rows.is_empty() {
        write!(out, "{}", table(&["", "BUILD", "MACHINE", "FROM"], &[], rows))?;
    }
    for addition in added {
        write_sorted(&mut out, addition, session)?;
    }
    for addition in added {
        if let (Some(proposal), Some((build, _))) = (&addition.proposal, addition.builds.first()) {
            let versions = &proposal.supports;
            let text = format!(
                "{} says: \"{}\". If that is the game's version, note it: spanner rack add ... \
                 --supports \"{versions}\"",
                build.source.name, proposal.sentence
            );
            write!(out, "{}", wrapped(&text, "  ", 2, session.width))?;
        }
    }
    match builds().find(|(_, outcome)| *outcome == Added::New) {
        Some(_) => hint(session, "Next: `spanner survey` shows which games have an older version."),
        None => Ok(()),
    }
}

/// What the files of a package were taken for that became no builds: how many of each kind, and
/// with `-v` each with the reason.
fn write_sorted(out: &mut impl Write, addition: &Addition, session: &Session) -> Result<()> {
    let is_build = |part: Part| matches!(part, Part::Payload | Part::DebugBuild);
    let others: Vec<&Sorted> = addition.sorted.iter().filter(|file| !is_build(file.part)).collect();
    let Some((build, _)) = addition.builds.first().filter(|_| !others.is_empty()) else {
        return Ok(());
    };
    let source = clean(&build.source.name).into_owned();
    if session.verbose {
        writeln!(out, "  {}", format!("also in {source}:").dimmed())?;
        for file in others {
            let text = format!("    {}: {}, {}", file.path, file.part.name(), file.reason);
            writeln!(out, "{}", clean(&text).dimmed())?;
        }
        return Ok(());
    }
    let mut counts: BTreeMap<Part, usize> = BTreeMap::new();
    for file in others {
        *counts.entry(file.part).or_default() += 1;
    }
    let counts = counts.into_iter().map(|(part, number)| count(number, part.name()));
    let text = format!("  also in {source}: {} (-v)", counts.collect::<Vec<_>>().join(", "));
    writeln!(out, "{}", text.dimmed())?;
    Ok(())
}

/// Prints one build.
pub fn print_build(build: &Build, session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    writeln!(out, "{}", clean(&build.id.to_string()).bold())?;
    let mut line = |name: &str, value: &str| {
        writeln!(out, "  {} {}", format!("{name:<12}").dimmed(), clean(value))
    };
    let facts = &build.file.facts;
    line("role", build.role.map_or("not told by the file", Role::name))?;
    line(
        "version",
        &build.version.as_ref().map_or_else(|| "none stated".into(), ToString::to_string),
    )?;
    line("machine", build.machine.spoken())?;
    line("file", build.file.path.as_str())?;
    line("size", &bytes(build.file.content.size))?;
    line("date", &date(build.file.modified.0))?;
    line("company", facts.string("CompanyName").unwrap_or("not stated"))?;
    line("signer", facts.signer.as_deref().unwrap_or("not signed"))?;
    line("sha256", &build.file.content.sha256.to_string())?;
    line("from", &format!("{} (sha256 {})", build.source.name, build.source.sha256.short()))?;
    line("added", &moment(build.added))?;
    if let Some(supports) = &build.supports {
        line("supports", &supports.to_string())?;
    }
    for settings in &build.settings {
        let what = match settings.policy {
            Policy::Merge => "merged into the user's",
            Policy::Keep => "put in where there is none",
        };
        line("settings", &format!("{}, {what}", settings.name))?;
    }
    for note in &build.notes {
        line("note", &note.name)?;
    }
    if build.notes.is_empty() {
        return Ok(());
    }
    hint(session, &format!("Next: spanner rack notes {}", build.id))
}

/// Prints the texts that came with a build.
pub fn print_notes(build: &Build, notes: &[(String, Vec<u8>)], session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    if notes.is_empty() {
        return hint(session, &format!("No text came with {}.", build.id));
    }
    for (name, text) in notes {
        writeln!(out, "{}", clean(name).bold())?;
        for line in decoded(text).lines() {
            // A tab is the one control character that a text may mean.
            writeln!(out, "{}", clean(&line.replace('\t', "    ")))?;
        }
        writeln!(out)?;
    }
    Ok(())
}

/// A text in the encodings that read-me files come in.
fn decoded(bytes: &[u8]) -> String {
    match bytes {
        [0xFF, 0xFE, rest @ ..] => {
            let units = rest.chunks_exact(2).map(|pair| u16::from_le_bytes([pair[0], pair[1]]));
            String::from_utf16_lossy(&units.collect::<Vec<_>>())
        }
        [0xEF, 0xBB, 0xBF, rest @ ..] => String::from_utf8_lossy(rest).into_owned(),
        bytes => match std::str::from_utf8(bytes) {
            Ok(text) => text.to_owned(),
            // What is no UTF-8 is an old single-byte text; Latin-1 reads most of it.
            Err(_) => bytes.iter().map(|&byte| char::from(byte)).collect(),
        },
    }
}

/// Prints what the rack was found to be.
pub fn print_damage(damaged: &[Damage], session: &Session) -> Result<()> {
    if damaged.is_empty() {
        return hint(session, "Every stored byte of the rack is as it should be.");
    }
    for damage in damaged {
        let text = format!("{} is damaged: {}", damage.build, damage.file);
        writeln!(anstream::stdout(), "{}", clean(&text).red())?;
    }
    hint(session, "Add those builds again from their files: that mends what is stored.")
}

/// Columns below which a file's name says too little.
const LEAST_SOURCE: usize = 16;

/// Prints the builds on the rack.
pub fn print_list(builds: &[Build], family: Option<&str>, session: &Session) -> Result<()> {
    if builds.is_empty() {
        let text = match family {
            Some(family) => format!("There is no build of {family} on the rack."),
            None => "The rack is empty. Put a build on it: spanner rack add FILE".to_owned(),
        };
        return hint(session, &text);
    }
    let mut headings = vec!["BUILD", "ROLE", "MACHINE", "SIZE", "DATE"];
    let mut rows: Vec<Vec<String>> = builds
        .iter()
        .map(|build| {
            vec![
                clean(&build.id.to_string()).into_owned(),
                build.role.map_or_else(|| "-".to_owned(), |role| role.to_string()),
                build.machine.spoken().to_owned(),
                bytes(build.file.content.size),
                date(build.file.modified.0),
            ]
        })
        .collect();
    // Where a build came from is told as far as there is room for it.
    let taken: usize = (0..headings.len())
        .map(|n| widest(rows.iter().map(|row| row[n].as_str()).chain([headings[n]])) + 2)
        .sum();
    let room = session.width.saturating_sub(taken + 2);
    if room >= LEAST_SOURCE {
        headings.push("FROM");
        for (row, build) in rows.iter_mut().zip(builds) {
            row.push(cut(&clean(&build.source.name), room));
        }
    }
    write!(anstream::stdout(), "{}", table(&headings, &[3], rows))?;
    let families = {
        let mut names: Vec<&str> = builds.iter().map(|build| build.id.family.as_str()).collect();
        names.dedup();
        if names.len() == 1 { "1 family".to_owned() } else { format!("{} families", names.len()) }
    };
    hint(session, &format!("{} of {families}.", count(builds.len(), "build")))
}

/// What was added, as a document for programs.
pub fn added_document(added: &[Addition]) -> Value {
    let builds: Vec<Value> = added
        .iter()
        .flat_map(|addition| &addition.builds)
        .map(|(build, outcome)| {
            let mut value = body(build);
            value["new"] = json!(*outcome == Added::New);
            value
        })
        .collect();
    let packages: Vec<&Vec<Sorted>> = added.iter().map(|addition| &addition.sorted).collect();
    json!({ "schema": 1, "builds": builds, "packages": packages })
}

/// The texts that came with a build, as a document for programs.
pub fn notes_document(build: &Build, notes: &[(String, Vec<u8>)]) -> Value {
    let notes: Vec<Value> =
        notes.iter().map(|(name, text)| json!({ "name": name, "text": decoded(text) })).collect();
    json!({ "schema": 1, "build": build.id, "notes": notes })
}

/// What is damaged, as a document for programs.
pub fn damage_document(damaged: &[Damage]) -> Value {
    let one = |damage: &Damage| json!({ "build": damage.build, "file": damage.file });
    json!({ "schema": 1, "damaged": damaged.iter().map(one).collect::<Vec<_>>() })
}

/// The builds on the rack, as a document for programs.
pub fn list_document(builds: &[Build]) -> Value {
    json!({ "schema": 1, "builds": builds.iter().map(body).collect::<Vec<_>>() })
}

fn body(build: &Build) -> Value {
    json!({
        "build": build.id,
        "family": build.id.family,
        "version": build.version,
        "variant": build.id.variant,
        "role": build.role,
        "machine": build.machine,
        "supports": build.supports,
        "settings": build.settings,
        "file": build.file.name,
        "size": build.file.content.size,
        "sha256": build.file.content.sha256,
        "source": build.source.name,
        "added": moment(build.added),
    })
}
