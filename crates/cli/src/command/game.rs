//! `game`: the user's settings of games, and the detected facts.

use anyhow::Result;
use upright_spanner_core::game::GameEdit;

use crate::args;
use crate::document::game::{Games, ShownGame};
use crate::document::noted::What;
use crate::exit::Exit;
use crate::render::{self, game, hint, noted};
use crate::session::Session;

pub fn run(args: &args::Game, session: &Session) -> Result<Exit> {
    match args {
        args::Game::Add { folder, edit } => {
            let added = session.alter()?.alter()?.add_game(folder, &edit.into())?;
            let text = format!("Registered {} as {}.", added.title, added.id);
            noted(session, &text, What::Game(added.id.clone()))?;
            hint(session, &format!("Next: spanner game show {}", added.id))?;
        }
        args::Game::Set { game, edit } => {
            let changed = session.alter()?.alter()?.set_game(game, &edit.into())?;
            let text = format!("Noted. Next: spanner game show {}", changed.id);
            noted(session, &text, What::Game(changed.id))?;
        }
        args::Game::List => {
            let games = session.look()?.games()?;
            if session.json {
                render::json(&Games::new(&games))?;
            } else {
                game::print_list(&games, session)?;
            }
        }
        args::Game::Show { game: name } => {
            let workshop = session.look()?;
            let view = workshop.game(name, &session.progress())?;
            let version = workshop.game_version(&view);
            let start = workshop.plan_start(&view, None, &[]).ok();
            if session.json {
                render::json(&ShownGame::new(&view, version.as_ref(), start.as_ref()))?;
            } else {
                game::print(&view, version.as_ref(), start.as_ref(), session)?;
            }
        }
        args::Game::Forget { game: name } => {
            let id = session.alter()?.alter()?.forget_game(name)?;
            let stays = "its files, its history and the kept originals stay.";
            noted(session, &format!("Forgotten: {id}; {stays}"), What::Forgotten(id))?;
        }
    }
    Ok(Exit::Done)
}

impl From<&args::GameEdit> for GameEdit {
    fn from(args: &args::GameEdit) -> Self {
        Self {
            title: args.title.clone(),
            root: args.root.clone(),
            executable: args.executable.clone(),
            edition: args.edition.clone(),
            online: args.online,
            bays: args.bay.clone(),
            prefix: args.prefix.clone(),
            run_with: args.run_with.clone(),
            start: args.start.clone(),
            arguments: args.args.clone(),
            environment: args.env.clone(),
            left_out: args.without.iter().map(without).collect(),
            handoffs: args.handoff.clone(),
            version_file: args.version_file.clone(),
            version_pattern: args.version_pattern.clone(),
        }
    }
}

fn without((family, part): &(String, String)) -> (String, Vec<String>) {
    (family.clone(), Some(part.clone()).filter(|part| !part.is_empty()).into_iter().collect())
}
