//! `history`: what was changed, and when.

use anyhow::Result;
use upright_spanner_core::{ChangeError, Error};

use crate::args;
use crate::exit::Exit;
use crate::render;
use crate::session::Session;

pub fn run(args: &args::History, session: &Session) -> Result<Exit> {
    let workshop = session.look()?;
    if args.size {
        let used = workshop.store_use()?;
        if session.json {
            render::json(&render::history::size_document(&used))?;
        } else {
            render::history::print_size(&used, session)?;
        }
        return Ok(Exit::Done);
    }
    let history = workshop.history()?;
    let damaged = !history.faults.is_empty();
    for fault in &history.faults {
        let path = render::slashes(&fault.path);
        render::notice(&format!("{path}: {}. `spanner doctor` says more.", fault.what));
    }
    let exit = if damaged { Exit::Attend } else { Exit::Done };
    let mut changes = history.changes;
    if let (Some("show"), Some(number)) = (args.game.as_deref(), args.number) {
        changes.retain(|change| change.number() == number);
        let statuses = workshop.statuses(&changes)?;
        let shown = changes
            .first()
            .zip(statuses.first())
            .ok_or(Error::from(ChangeError::Unknown { number }))?;
        if session.json {
            render::json(&render::history::document(&changes, &statuses))?;
        } else {
            render::history::print_one(shown.0, *shown.1, session)?;
        }
        return Ok(exit);
    }
    if let Some(name) = &args.game {
        let game = workshop.game_id(name)?;
        changes.retain(|change| change.game() == game);
    }
    let statuses = workshop.statuses(&changes)?;
    if session.json {
        render::json(&render::history::document(&changes, &statuses))?;
    } else {
        render::history::print(&changes, &statuses, session)?;
    }
    Ok(exit)
}
