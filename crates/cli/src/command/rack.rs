//! `rack`: the user's own collection of builds.

use std::path::{Path, PathBuf};

use anyhow::Result;
use upright_spanner_core::path::same_name;
use upright_spanner_core::rack::{
    Build, PackageOptions, RegistryFile, Together, by_build, decoded,
};
use upright_spanner_core::requirement::Requirement;
use upright_spanner_core::{Added, Addition, Error, FeedError, RackError, Workshop};

use super::get;
use crate::args;
use crate::document::noted::What;
use crate::document::rack::{AddedBuilds, Builds, DamagedBuilds, Notes, ShownBuild};
use crate::exit::Exit;
use crate::progress::acting;
use crate::prompt;
use crate::render::{self, rack};
use crate::session::Session;

pub fn run(args: &args::Rack, session: &Session) -> Result<Exit> {
    match args {
        args::Rack::Add { files, supports, family, stated, edition, together, apart, layout } => {
            let layout = layout.as_deref().map(Workshop::read_layout).transpose()?;
            let together = match (together, apart) {
                (true, _) => Together::Always,
                (_, true) => Together::Never,
                _ => Together::AsFound,
            };
            let (family, version, edition) = (family.clone(), stated.clone(), edition.clone());
            let options = PackageOptions { family, version, edition, layout, together };
            add(files, &options, supports.as_ref(), session)
        }
        args::Rack::Get { builds, game, feed, despite, dry_run } => {
            let wish =
                get::GetOptions { builds, feed: feed.as_deref(), despite, dry_run: *dry_run };
            get::run(&wish, game.as_deref(), session)
        }
        args::Rack::List { family } => list(family.as_deref(), session),
        args::Rack::Show { build, layout } => show(build, *layout, session),
        args::Rack::Notes { build, game } => notes(build, game.as_deref(), session),
        args::Rack::Drop { build, anyway } => drop(build, *anyway, session),
        args::Rack::Verify => verify(session),
    }
}

/// Adds each file; one that cannot be added does not keep the others from it.
fn add(
    files: &[PathBuf],
    options: &PackageOptions,
    supports: Option<&Requirement>,
    session: &Session,
) -> Result<Exit> {
    let workshop = session.alter()?;
    let mut added = Vec::new();
    let mut failed = Vec::new();

    for file in files {
        match add_one(&workshop, file, options, supports, session) {
            Ok(addition) => added.push(addition),
            Err(error) => {
                render::error(&error);
                failed.push((file.as_path(), error));
            }
        }
    }

    if session.json {
        let registry = registry_files(&workshop, &added);
        render::json(&AddedBuilds::new(&added, &workshop.users_of_builds()?, &registry, &failed))?;
    } else {
        rack::print_added(&added, &registry_files(&workshop, &added), session)?;
    }

    Ok(if failed.is_empty() { Exit::Done } else { Exit::Attend })
}

/// The `.reg` files of new builds; equal files of several variants are listed once.
fn registry_files(workshop: &Workshop, added: &[Addition]) -> Vec<RegistryFile> {
    let builds = added.iter().flat_map(|addition| &addition.builds);
    let mut files: Vec<RegistryFile> =
        builds.flat_map(|(build, _)| workshop.registry_files(build)).collect();
    let mut seen = Vec::new();
    files.retain(|file| {
        let is_new = !seen.contains(&file.path);
        seen.push(file.path.clone());
        is_new
    });
    files
}

/// Adds a file, and asks about anything ambiguous.
fn add_one(
    workshop: &Workshop,
    file: &Path,
    options: &PackageOptions,
    supports: Option<&Requirement>,
    session: &Session,
) -> Result<Addition> {
    let progress = session.progress();
    let mut addition = acting(|| workshop.alter()?.add_to_rack(file, options, &progress))?;
    let new = |addition: &Addition| addition.builds.iter().any(|(_, added)| *added == Added::New);
    let was_new = new(&addition);
    let silent = addition.builds.iter().find(|(build, _)| build.version.is_none());
    if let Some((build, _)) = silent.filter(|_| was_new) {
        let question = format!("Nothing tells the version of {}; it is", build.file.name);
        let answer = prompt::text(session, &format!("{question} (empty: not known)"))?;
        if let Some(version) = answer.and_then(|answer| answer.parse().ok()) {
            let options = PackageOptions { version: Some(version), ..options.clone() };
            addition = acting(|| workshop.alter()?.add_to_rack(file, &options, &progress))?;
            addition.builds.iter_mut().for_each(|(_, added)| *added = Added::New);
        }
    }

    let proposed = match &addition.proposal {
        Some(proposal) if supports.is_none() && was_new => {
            let source = file.file_name().unwrap_or_default().to_string_lossy();
            let question = format!(
                "{source} says: \"{}\". Note that it supports version {} of the game?",
                proposal.line, proposal.supports
            );
            prompt::confirm(session, &question)?.then(|| proposal.supports.clone())
        }
        _ => None,
    };
    if let Some(supports) = supports.or(proposed.as_ref()) {
        let ids: Vec<_> = addition.builds.iter().map(|(build, _)| build.id.clone()).collect();
        workshop.alter()?.set_supports(&ids, supports)?;
        addition.builds.iter_mut().for_each(|(b, _)| b.supports = Some(supports.clone()));
        addition.proposal = None;
    }

    Ok(addition)
}

fn list(family: Option<&str>, session: &Session) -> Result<Exit> {
    let workshop = session.look()?;
    let builds = workshop.builds()?;
    let users = workshop.users_of_builds()?;
    let is_meant = |build: &&Build| family.is_none_or(|family| same_name(family, &build.id.family));
    let mut meant: Vec<&Build> = builds.iter().filter(is_meant).collect();
    meant.sort_by(|a, b| a.id.family.cmp(&b.id.family).then_with(|| b.version.cmp(&a.version)));
    if session.json {
        render::json(&Builds::new(&by_build(meant), &users))?;
    } else {
        rack::print_list(&by_build(meant), &users, family, session)?;
    }

    Ok(Exit::Done)
}

fn show(build: &str, layout: bool, session: &Session) -> Result<Exit> {
    let workshop = session.look()?;
    let variants = workshop.variants(build).map_err(|error| workshop.or_in_feed(error))?;
    let variants: Vec<&Build> = variants.iter().collect();
    if layout {
        rack::print_layout(&variants)?;
        return Ok(Exit::Done);
    }

    let digests: Vec<_> = variants.iter().map(|build| workshop.sha256_of(build).ok()).collect();
    if session.json {
        let users = workshop.users_of_builds()?;
        render::json(&ShownBuild::new(&variants, &digests, &users))?;
    } else {
        rack::print_build(&variants, &digests, session)?;
    }

    Ok(Exit::Done)
}

fn notes(build: &str, game: Option<&str>, session: &Session) -> Result<Exit> {
    let workshop = session.look()?;
    let variants = match workshop.variants(build) {
        Err(Error::Rack(RackError::Unknown { .. })) if game.is_none() => {
            return notes_in_feeds(build, &workshop, session);
        }
        variants => variants?,
    };
    let mut notes: Vec<(String, String)> = Vec::new();
    for build in &variants {
        for (name, text) in workshop.notes(build)? {
            let note = (name, decoded(&text));
            if !notes.contains(&note) {
                notes.push(note);
            }
        }
    }
    let Some(build) = variants.first() else { return Ok(Exit::Done) };
    let mut since = None;

    if let Some(game) = game {
        let view = workshop.game(game, &session.progress())?;
        let title = view.game.title.clone();
        match workshop.changes_since(build, &view)? {
            Some(news) if !news.texts.is_empty() => {
                since = Some((news.from, title));
                notes = news.texts;
            }
            Some(news) => render::notice(&format!(
                "the texts do not say what came after {}, the version in {title}: here they are in full.",
                news.from
            )),
            None => render::notice(&format!(
                "{title} has no {} that states a version: here they are in full.",
                build.id.family
            )),
        }
    }

    if session.json {
        render::json(&Notes::new(&build.id.to_string(), since.as_ref(), &notes))?;
    } else {
        rack::print_notes(&build.id.to_string(), since.as_ref(), &notes, session)?;
    }

    Ok(Exit::Done)
}

/// A feed's notes on a build that is not on the rack.
fn notes_in_feeds(build: &str, workshop: &Workshop, session: &Session) -> Result<Exit> {
    let (id, notes) = match workshop.notes_in_feeds(build, &session.progress()) {
        // Without a feed, the error is that of the rack.
        Err(Error::Feed(FeedError::NoBuild { .. })) => {
            workshop.variants(build)?;
            return Ok(Exit::Done);
        }
        notes => notes?,
    };
    let in_words = |(name, text): (String, Vec<u8>)| (name, decoded(&text));
    let notes: Vec<(String, String)> = notes.into_iter().map(in_words).collect();
    if session.json {
        render::json(&Notes::new(&id, None, &notes))?;
    } else {
        rack::print_notes(&id, None, &notes, session)?;
    }
    Ok(Exit::Done)
}

fn drop(build: &str, anyway: bool, session: &Session) -> Result<Exit> {
    let workshop = session.alter()?;
    let variants = workshop.variants(build)?;
    let names: Vec<String> = variants.iter().map(|build| build.id.to_string()).collect();
    if !prompt::remove(session, &format!("Take {} off the rack?", names.join(", ")))? {
        render::hint(session, "Nothing was changed.")?;
        return Ok(Exit::Done);
    }
    acting(|| workshop.alter()?.drop_build(build, anyway))?;
    let verb = if names.len() == 1 { "is" } else { "are" };
    let text = format!("{} {verb} off the rack.", names.join(", "));
    render::noted(session, &text, What::Dropped(names))?;
    Ok(Exit::Done)
}

fn verify(session: &Session) -> Result<Exit> {
    let damaged = session.look()?.verify_rack(&session.progress())?;
    if session.json {
        render::json(&DamagedBuilds::new(&damaged))?;
    } else {
        rack::print_damage(&damaged, session)?;
    }
    Ok(if damaged.is_empty() { Exit::Done } else { Exit::Attend })
}
