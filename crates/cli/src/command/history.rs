//! `history`: changes, the newest last.

use anyhow::Result;
use upright_spanner_core::change::Change;
use upright_spanner_core::{ChangeError, Error, History, Workshop};

use crate::args::{self, HistoryCommand};
use crate::document::history as document;
use crate::exit::Exit;
use crate::render;
use crate::session::Session;

pub fn run(args: &args::History, session: &Session) -> Result<Exit> {
    let workshop = session.look()?;
    if args.size {
        return size(&workshop, session);
    }
    let history = workshop.history()?;
    for fault in &history.faults {
        let path = render::slashes(&fault.path);
        render::notice(&format!("{path}: {}. `spanner doctor` says more.", fault.what));
    }

    match args.command {
        Some(HistoryCommand::Show { change }) => show(&workshop, &history, change, session)?,
        None => list(&workshop, &history, args.game.as_deref(), session)?,
    }
    Ok(if history.faults.is_empty() { Exit::Done } else { Exit::Attend })
}

/// Shows the use of the store by game.
fn size(workshop: &Workshop, session: &Session) -> Result<Exit> {
    let used = workshop.store_use()?;
    if session.json {
        render::json(&document::StoreSize::from(&used))?;
    } else {
        render::history::print_size(&used, session)?;
    }
    Ok(Exit::Done)
}

/// One change with every file.
fn show(workshop: &Workshop, history: &History, number: i64, session: &Session) -> Result<()> {
    let changes = history.changes.iter().filter(|change| change.number() == number);
    let changes: Vec<Change> = changes.cloned().collect();
    let statuses = workshop.statuses(&changes)?;
    let unknown = || Error::from(ChangeError::Unknown { number });
    let (change, status) = changes.first().zip(statuses.first()).ok_or_else(unknown)?;
    let proofs = workshop.proofs();
    if session.json {
        render::json(&document::History::new(&changes, &statuses, &proofs))
    } else {
        render::history::print_one(change, *status, &proofs, session)?;
        render::plan::print_signers(&workshop.signers_in(change), session)
    }
}

/// Every change, or those of one game.
fn list(
    workshop: &Workshop,
    history: &History,
    game: Option<&str>,
    session: &Session,
) -> Result<()> {
    let game = game.map(|name| workshop.game_id(name)).transpose()?;
    let is_meant = |change: &&Change| game.as_ref().is_none_or(|game| change.game() == game);
    let changes: Vec<Change> = history.changes.iter().filter(is_meant).cloned().collect();
    let statuses = workshop.statuses(&changes)?;
    if let Some(error) = workshop.proofs_fault() {
        render::notice(&format!("Recorded proofs are not shown: {error}."));
    }
    let proofs = workshop.proofs();
    if session.json {
        render::json(&document::History::new(&changes, &statuses, &proofs))
    } else {
        render::history::print(&changes, &statuses, &proofs, session)
    }
}
