//! The rack: what was added, and what is on it.

use std::io::Write;

use anyhow::Result;
use owo_colors::OwoColorize;
use serde_json::{Value, json};
use upright_spanner_core::Added;
use upright_spanner_core::rack::Build;

use super::table::table;
use super::{bytes, clean, count, date, hint, moment};
use crate::session::Session;

/// Prints what became of each file that was to be added.
pub fn print_added(added: &[(Build, Added)], session: &Session) -> Result<()> {
    if added.is_empty() {
        return Ok(());
    }
    let rows = added
        .iter()
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
    write!(anstream::stdout(), "{}", table(&["", "BUILD", "MACHINE", "FROM"], &[], rows))?;
    match added.iter().find(|(_, outcome)| *outcome == Added::New) {
        Some(_) => hint(session, "Next: `spanner survey` shows which games have an older version."),
        None => Ok(()),
    }
}

/// Prints the builds on the rack.
pub fn print_list(builds: &[Build], family: Option<&str>, session: &Session) -> Result<()> {
    if builds.is_empty() {
        let text = match family {
            Some(family) => format!("There is no build of {family} on the rack."),
            None => "The rack is empty. Put a build on it: spanner rack add FILE".to_owned(),
        };
        return hint(session, &text);
    }
    let rows = builds
        .iter()
        .map(|build| {
            vec![
                clean(&build.id.to_string()).into_owned(),
                build.role.map_or_else(|| "-".to_owned(), |role| role.to_string()),
                build.machine.spoken().to_owned(),
                bytes(build.file.content.size),
                date(build.file.modified.0),
                clean(&build.source.name).into_owned(),
            ]
        })
        .collect();
    let mut out = anstream::stdout();
    let headings = ["BUILD", "ROLE", "MACHINE", "SIZE", "DATE", "FROM"];
    write!(out, "{}", table(&headings, &[3], rows))?;
    let families = {
        let mut names: Vec<&str> = builds.iter().map(|build| build.id.family.as_str()).collect();
        names.dedup();
        if names.len() == 1 { "1 family".to_owned() } else { format!("{} families", names.len()) }
    };
    hint(session, &format!("{} of {families}.", count(builds.len(), "build")))
}

/// What was added, as a document for programs.
pub fn added_document(added: &[(Build, Added)]) -> Value {
    let one = |(build, outcome): &(Build, Added)| {
        let mut value = body(build);
        value["new"] = json!(*outcome == Added::New);
        value
    };
    json!({ "schema": 1, "builds": added.iter().map(one).collect::<Vec<_>>() })
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
        "file": build.file.name,
        "size": build.file.content.size,
        "sha256": build.file.content.sha256,
        "source": build.source.name,
        "added": moment(build.added),
    })
}
