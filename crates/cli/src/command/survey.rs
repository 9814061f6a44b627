//! `survey`: the games under some folders and the components in each.

use std::path::PathBuf;

use anyhow::{Result, bail};
use upright_spanner_core::Workshop;
use upright_spanner_core::game::{Executable, Game};
use upright_spanner_core::survey::{Drive, Filter, GameView, NamedFile, Survey, drives};

use super::feed::refresh_due;
use crate::args;
use crate::exit::Exit;
use crate::remedy;
use crate::render::{self, survey};
use crate::session::Session;

pub fn run(args: &args::Survey, session: &Session) -> Result<Exit> {
    let filter = Filter::default()
        .family(args.family.as_deref())?
        .game(args.game.as_deref())?
        .name(args.name.as_deref())?
        .role(args.role)
        .outdated(args.outdated);

    let workshop = session.look()?;
    refresh_due(&workshop, session);
    let drives = if args.everywhere { drives() } else { Vec::new() };
    let (places, missing) = if args.everywhere {
        (drives.iter().flat_map(|drive| drive.folders.clone()).collect(), Vec::new())
    } else {
        places(args, &workshop)?
    };
    let mut found = workshop.survey(&places, &filter, &session.progress())?;
    if args.everywhere {
        // Of all that is installed on a machine, what draws is a game.
        let draws = |view: &GameView| view.executable().is_some_and(Executable::draws);
        found.games.retain(|view| view.game.registered || draws(view));
    }
    workshop.remember(&found)?;
    filter.apply(&mut found);
    let mut files = workshop.files_named(&places, &filter, &session.progress());
    files.retain(|file| !is_listed(&found, file));

    let view = survey::View {
        why: args.why,
        all: args.all || args.name.is_some(),
        filtered: !filter.is_open(),
        sought: args.name.is_some(),
        full_paths: args.name.is_some() && session.full_paths,
        proofs: session.verbose,
    };
    if session.json {
        render::json(&survey::document(&found, &files, view))?;
    } else {
        let start = |view: &GameView| workshop.plan_start(view, None, &[]).ok();
        let starts: Vec<_> =
            if session.verbose { found.games.iter().map(start).collect() } else { Vec::new() };
        survey::print(&found, &starts, &files, view, &workshop.feeds(), session)?;
        tell_drives(&drives, &found, session)?;
    }

    for view in &found.games {
        if let Some(moved) = workshop.moved_from(view)? {
            tell_moved(view, &moved);
        }
    }

    let gone = if args.places.is_empty() { workshop.games_gone()? } else { missing };
    gone.iter().for_each(tell_that_gone);
    render::look_errors(&found.errors);
    let all = found.errors.is_empty() && gone.is_empty();
    Ok(if all { Exit::Done } else { Exit::Attend })
}

/// Whether a file is a library that the survey lists with its game.
fn is_listed(found: &Survey, file: &NamedFile) -> bool {
    found.games.iter().any(|view| {
        file.path.starts_with(&view.game.root)
            && view.libraries.iter().any(|library| library.path.on(&view.game.root) == file.path)
    })
}

/// Says which drives hold games.
fn tell_drives(drives: &[Drive], found: &Survey, session: &Session) -> Result<()> {
    let games_on = |drive: &Drive| {
        let deeper = |view: &&GameView| {
            let mut others = drives.iter().filter(|other| other.root.starts_with(&drive.root));
            !others.any(|other| other.root != drive.root && view.game.root.starts_with(&other.root))
        };
        let own = found.games.iter().filter(|view| view.game.root.starts_with(&drive.root));
        own.filter(deeper).count()
    };
    let tell = |drive: &Drive| {
        let games = match games_on(drive) {
            0 => "no game".to_owned(),
            some => render::count(some, "game"),
        };
        format!("{} ({games})", render::slashes(&drive.root))
    };
    if drives.is_empty() {
        return Ok(());
    }
    let all: Vec<String> = drives.iter().map(tell).collect();
    render::hint(session, &format!("Looked over {}.", all.join(", ")))
}

/// The folders to survey: the requested ones, otherwise all known ones; and the requested games whose folders are
/// missing.
fn places(args: &args::Survey, workshop: &Workshop) -> Result<(Vec<PathBuf>, Vec<Game>)> {
    if args.places.is_empty() {
        return Ok((known_places(workshop)?, Vec::new()));
    }
    let (mut places, mut missing) = (Vec::new(), Vec::new());
    for text in &args.places {
        let path = PathBuf::from(text);
        let game = if path.exists() { None } else { workshop.known_game(text)? };
        match game {
            None => places.push(path),
            Some(game) if game.root.is_dir() => places.push(game.root),
            Some(game) => missing.push(game),
        }
    }

    match (&places[..], &missing[..]) {
        // Nothing is left to look at: it is all there is to say.
        ([], [game]) => Err(game.gone().into()),
        _ => Ok((places, missing)),
    }
}

/// Surveys every known game.
pub(super) fn survey_known(workshop: &Workshop, session: &Session) -> Result<Survey> {
    let survey =
        workshop.survey(&known_places(workshop)?, &Filter::default(), &session.progress())?;
    workshop.remember(&survey)?;
    Ok(survey)
}

/// Reports that a game seems to have been moved.
pub(super) fn tell_moved(view: &GameView, moved: &Game) {
    let root = render::quoted(&render::slashes(&view.game.root));
    render::notice(&format!(
        "{} looks like {}, which was in {}. If it is the same game: spanner game set {} --root {root}",
        view.game.title,
        moved.title,
        render::slashes(&moved.root),
        moved.id
    ));
}

/// Reports games whose folders are missing; returns whether there are any.
pub(super) fn tell_gone(workshop: &Workshop) -> Result<bool> {
    let gone = workshop.games_gone()?;
    gone.iter().for_each(tell_that_gone);
    Ok(!gone.is_empty())
}

fn tell_that_gone(game: &Game) {
    let error = game.gone();
    render::notice(&format!("{error}. {}", remedy::of(&error).unwrap_or_default()));
}

/// The library roots, and the games known outside of them.
fn known_places(workshop: &Workshop) -> Result<Vec<PathBuf>> {
    let mut places = workshop.library_roots();
    let roots = places.clone();
    let outside = workshop
        .games()?
        .into_iter()
        .map(|game| game.root)
        .filter(|game| game.is_dir() && !roots.iter().any(|root| game.starts_with(root)));
    places.extend(outside);
    if places.is_empty() {
        bail!("say where your games are: `spanner survey FOLDER`");
    }
    Ok(places)
}
