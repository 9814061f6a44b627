//! `rack add` and `rack list`: the user's own collection of builds.

use std::path::PathBuf;

use anyhow::Result;
use upright_spanner_core::path::same_name;

use crate::args;
use crate::exit::Exit;
use crate::render;
use crate::session::Session;

pub fn run(args: &args::Rack, session: &Session) -> Result<Exit> {
    match args {
        args::Rack::Add { files } => add(files, session),
        args::Rack::List { family } => list(family.as_deref(), session),
    }
}

/// Adds each file; one that cannot be added does not keep the others from it.
fn add(files: &[PathBuf], session: &Session) -> Result<Exit> {
    let mut workshop = session.alter()?;
    let mut added = Vec::new();
    let mut failed = false;
    for file in files {
        match workshop.rack_add(file) {
            Ok((build, outcome)) => added.push((build, outcome)),
            Err(error) => {
                failed = true;
                render::error(&error.into());
            }
        }
    }
    if session.json {
        render::json(&render::rack::added_document(&added))?;
    } else {
        render::rack::print_added(&added, session)?;
    }
    Ok(if failed { Exit::Attend } else { Exit::Done })
}

fn list(family: Option<&str>, session: &Session) -> Result<Exit> {
    let mut builds = session.look()?.builds()?;
    builds.retain(|build| family.is_none_or(|family| same_name(family, &build.id.family)));
    builds.sort_by(|a, b| a.id.family.cmp(&b.id.family).then_with(|| b.version.cmp(&a.version)));
    if session.json {
        render::json(&render::rack::list_document(&builds))?;
    } else {
        render::rack::print_list(&builds, family, session)?;
    }
    Ok(Exit::Done)
}
