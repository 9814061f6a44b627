//! `history`: what was changed, and when.

use anyhow::Result;

use crate::args;
use crate::exit::Exit;
use crate::render;
use crate::session::Session;

pub fn run(args: &args::History, session: &Session) -> Result<Exit> {
    let workshop = session.look()?;
    let game = args.game.as_deref().map(|name| workshop.game_id(name)).transpose()?;
    let changes = workshop.history(game.as_deref())?;
    if session.json {
        render::json(&render::history::document(&changes))?;
    } else {
        render::history::print(&changes, session)?;
    }
    Ok(Exit::Done)
}
