//! `pin` and `unpin`: families that stay as they are in a game.

use anyhow::Result;

use crate::args;
use crate::document::noted::What;
use crate::exit::Exit;
use crate::render::noted;
use crate::session::Session;

pub fn pin(args: &args::Pin, session: &Session) -> Result<Exit> {
    let workshop = session.alter()?;
    let view = workshop.game(&args.game, &session.progress())?;
    let pin = workshop.alter()?.pin(&view, &args.family, args.at.as_deref(), &args.why)?;
    let text = format!("{} stays at {} in {}.", pin.family, pin.at(), view.game.title);
    noted(session, &text, What::Pin(pin))?;
    Ok(Exit::Done)
}

pub fn unpin(args: &args::Unpin, session: &Session) -> Result<Exit> {
    let workshop = session.alter()?;
    let game = workshop.game_id(&args.game)?;
    let pin = workshop.alter()?.unpin(&game, &args.family)?;
    let text = format!("{} is free again in {game}; it was pinned: {}.", pin.family, pin.why);
    noted(session, &text, What::Unpinned(pin))?;
    Ok(Exit::Done)
}
