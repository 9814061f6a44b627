//! `survey`: the games under some folders and the components in each.

use std::path::PathBuf;

use anyhow::{Result, bail};
use upright_spanner_core::Workshop;
use upright_spanner_core::path::same_name;
use upright_spanner_core::survey::Filter;

use crate::args;
use crate::exit::Exit;
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
    let places = places(args, &workshop)?;
    let mut found = workshop.survey(&places, &session.progress())?;
    filter.apply(&mut found);
    let view = survey::View {
        why: args.why,
        all: args.all || args.name.is_some(),
        filtered: !filter.is_open(),
    };
    if session.json {
        render::json(&survey::document(&found, view))?;
    } else {
        survey::print(&found, view, session)?;
    }
    render::look_errors(&found.errors);
    Ok(if found.errors.is_empty() { Exit::Done } else { Exit::Attend })
}

/// Where to look: what was asked for, else everything that is known.
fn places(args: &args::Survey, workshop: &Workshop) -> Result<Vec<PathBuf>> {
    if args.places.is_empty() {
        return known_places(workshop);
    }
    let games = workshop.games()?;
    let place = |text: &String| {
        let path = PathBuf::from(text);
        let by_id = games.iter().find(|game| same_name(&game.id, text));
        by_id.filter(|_| !path.exists()).map_or(path, |game| game.root.clone())
    };
    Ok(args.places.iter().map(place).collect())
}

/// The library roots, and the games known outside of them.
pub(super) fn known_places(workshop: &Workshop) -> Result<Vec<PathBuf>> {
    let mut places = workshop.library_roots()?;
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
