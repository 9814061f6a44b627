//! `rollback`: puts back what the game came with.

use anyhow::Result;

use crate::args;
use crate::exit::Exit;
use crate::prompt;
use crate::render::{self, plan};
use crate::session::Session;

pub fn run(args: &args::Rollback, session: &Session) -> Result<Exit> {
    let mut workshop = if args.dry_run { session.look()? } else { session.alter()? };
    let progress = session.progress();
    let view = workshop.game(&args.game, &progress)?;
    let rollback = workshop.plan_rollback(&view, args.family.as_deref())?;
    let attend = if rollback.findings.is_empty() { Exit::Done } else { Exit::Attend };
    if !session.json {
        plan::print(&rollback, session)?;
    }
    if rollback.steps.is_empty() || args.dry_run {
        if session.json {
            render::json(&plan::document(&rollback))?;
        } else if rollback.steps.is_empty() {
            let what = "every file is already as it was before spanner changed it";
            render::hint(session, &format!("Nothing to roll back: {what}."))?;
        } else {
            render::hint(session, "Dry run: nothing was changed.")?;
        }
        return Ok(attend);
    }
    if !prompt::go_on(session, "Put these files back?")? {
        render::hint(session, "Nothing was changed.")?;
        return Ok(Exit::Done);
    }
    let change = workshop.rollback(rollback, &progress)?;
    if session.json {
        render::json(&plan::change_document(&change))?;
    } else {
        let next = format!("spanner history {}", view.game.id);
        plan::print_done(&change, &next, session)?;
    }
    Ok(attend)
}
