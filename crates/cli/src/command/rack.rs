//! `rack`: the user's own collection of builds.

use std::path::PathBuf;

use anyhow::Result;
use upright_spanner_core::path::same_name;
use upright_spanner_core::requirement::Requirement;

use crate::args;
use crate::exit::Exit;
use crate::prompt;
use crate::render::{self, rack};
use crate::session::Session;

pub fn run(args: &args::Rack, session: &Session) -> Result<Exit> {
    match args {
        args::Rack::Add { files, supports } => add(files, supports.as_ref(), session),
        args::Rack::List { family } => list(family.as_deref(), session),
        args::Rack::Show { build } => show(build, session),
        args::Rack::Notes { build } => notes(build, session),
        args::Rack::Drop { build, anyway } => drop(build, *anyway, session),
        args::Rack::Verify => verify(session),
    }
}

/// Adds each file; one that cannot be added does not keep the others from it.
fn add(files: &[PathBuf], supports: Option<&Requirement>, session: &Session) -> Result<Exit> {
    let mut workshop = session.alter()?;
    let progress = session.progress();
    let mut added = Vec::new();
    let mut failed = false;
    for file in files {
        match workshop.rack_add(file, supports, &progress) {
            Ok(addition) => added.push(addition),
            Err(error) => {
                failed = true;
                render::error(&error.into());
            }
        }
    }
    if session.json {
        render::json(&rack::added_document(&added))?;
    } else {
        rack::print_added(&added, session)?;
    }
    Ok(if failed { Exit::Attend } else { Exit::Done })
}

fn list(family: Option<&str>, session: &Session) -> Result<Exit> {
    let mut builds = session.look()?.builds()?;
    builds.retain(|build| family.is_none_or(|family| same_name(family, &build.id.family)));
    builds.sort_by(|a, b| a.id.family.cmp(&b.id.family).then_with(|| b.version.cmp(&a.version)));
    if session.json {
        render::json(&rack::list_document(&builds))?;
    } else {
        rack::print_list(&builds, family, session)?;
    }
    Ok(Exit::Done)
}

fn show(build: &str, session: &Session) -> Result<Exit> {
    let build = session.look()?.build(build)?;
    if session.json {
        render::json(&rack::list_document(&[build]))?;
    } else {
        rack::print_build(&build, session)?;
    }
    Ok(Exit::Done)
}

fn notes(build: &str, session: &Session) -> Result<Exit> {
    let workshop = session.look()?;
    let build = workshop.build(build)?;
    let notes = workshop.notes(&build)?;
    if session.json {
        render::json(&rack::notes_document(&build, &notes))?;
    } else {
        rack::print_notes(&build, &notes, session)?;
    }
    Ok(Exit::Done)
}

fn drop(build: &str, anyway: bool, session: &Session) -> Result<Exit> {
    let mut workshop = session.alter()?;
    let found = workshop.build(build)?;
    if !prompt::go_on(session, &format!("Take {} off the rack?", found.id))? {
        render::hint(session, "Nothing was changed.")?;
        return Ok(Exit::Done);
    }
    let dropped = workshop.rack_drop(&found.id.to_string(), anyway)?;
    render::hint(session, &format!("{} is off the rack.", dropped.id))?;
    Ok(Exit::Done)
}

fn verify(session: &Session) -> Result<Exit> {
    let damaged = session.look()?.rack_verify(&session.progress())?;
    if session.json {
        render::json(&rack::damage_document(&damaged))?;
    } else {
        rack::print_damage(&damaged, session)?;
    }
    Ok(if damaged.is_empty() { Exit::Done } else { Exit::Attend })
}
