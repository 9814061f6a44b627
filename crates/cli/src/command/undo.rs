//! `undo`: takes one change back.

use anyhow::Result;

use upright_spanner_core::change::Purpose;

use super::carry_out::{ActOptions, Messages, START, carry_out, check_again};
use crate::args;
use crate::document::noted::What;
use crate::exit::Exit;
use crate::render;
use crate::session::Session;

pub fn run(args: &args::Undo, session: &Session) -> Result<Exit> {
    let workshop = session.open_for(args.dry_run)?;
    let Some(change) = workshop.change_to_undo(args.change)? else {
        render::noted(session, "There is nothing to undo.", What::Change(()))?;
        return Ok(Exit::Done);
    };
    let view = workshop.game(&change.root().to_string_lossy(), &session.progress())?;
    let plan = workshop.plan_undo(&view, &change)?;
    // A file beside the game does not affect how it works.
    let is_beside = matches!(change.purpose, Purpose::Shortcut | Purpose::Hold { .. });
    let talk = Messages {
        question: None,
        nothing: "Nothing to undo: every file is already as it was before that change.",
        next: if is_beside { "" } else { START },
        // The last change is another one, which is not an undo.
        back: String::new(),
    };

    let wish = ActOptions { despite: &args.despite, dry_run: args.dry_run };
    let exit = carry_out(&workshop, plan, &wish, &talk, session)?;
    if change.purpose.is_wind() && !args.dry_run && !session.json {
        workshop.refresh();
        check_again(&workshop, &change.root().to_string_lossy(), session)?;
    }
    Ok(exit)
}
