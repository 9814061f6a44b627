//! `survey`: the games under some folders and the components in each.

use std::path::PathBuf;

use anyhow::{Result, bail};
use upright_spanner_core::path::same_name;

use crate::args;
use crate::exit::Exit;
use crate::render::{self, survey};
use crate::session::Session;

pub fn run(args: &args::Survey, session: &Session) -> Result<Exit> {
    let workshop = session.look()?;
    let known = workshop.known_games()?;
    let place = |text: &String| {
        let by_id = known.iter().find(|game| same_name(&game.id, text));
        by_id
            .filter(|_| !PathBuf::from(text).exists())
            .map_or_else(|| text.into(), |g| g.root.clone())
    };
    let places: Vec<PathBuf> = if args.places.is_empty() {
        known.iter().map(|game| game.root.clone()).collect()
    } else {
        args.places.iter().map(place).collect()
    };
    if places.is_empty() {
        bail!("say where your games are: `spanner survey FOLDER`");
    }
    let survey = workshop.survey(&places, &session.progress())?;
    if session.json {
        render::json(&survey::document(&survey, args.all))?;
    } else {
        survey::print(&survey, args, session)?;
    }
    render::look_errors(&survey.errors);
    Ok(if survey.errors.is_empty() { Exit::Done } else { Exit::Attend })
}
