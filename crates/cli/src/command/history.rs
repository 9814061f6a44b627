//! `history`: what was changed, and when.

use anyhow::Result;
use upright_spanner_core::Error;

use crate::args;
use crate::exit::Exit;
use crate::render;
use crate::session::Session;

pub fn run(args: &args::History, session: &Session) -> Result<Exit> {
    let workshop = session.look()?;
    if let (Some("show"), Some(number)) = (args.game.as_deref(), args.number) {
        let mut changes = workshop.history(None)?;
        changes.retain(|change| change.number == number);
        let force = workshop.forces(&changes)?;
        let shown = changes.first().zip(force.first()).ok_or(Error::UnknownChange { number })?;
        if session.json {
            render::json(&render::history::document(&changes, &force))?;
        } else {
            render::history::print_one(shown.0, *shown.1, session)?;
        }
        return Ok(Exit::Done);
    }
    let game = args.game.as_deref().map(|name| workshop.game_id(name)).transpose()?;
    let changes = workshop.history(game.as_deref())?;
    let forces = workshop.forces(&changes)?;
    if session.json {
        render::json(&render::history::document(&changes, &forces))?;
    } else {
        render::history::print(&changes, &forces, session)?;
    }
    Ok(Exit::Done)
}
