//! `adopt`: takes swaps made by hand under management.

use anyhow::Result;

use super::{Talk, carry_out};
use crate::args;
use crate::exit::Exit;
use crate::prompt;
use crate::render::{self, time};
use crate::session::Session;

pub fn run(args: &args::Adopt, session: &Session) -> Result<Exit> {
    let mut workshop = if args.dry_run { session.look()? } else { session.alter()? };
    let view = workshop.game(&args.game, &session.progress())?;
    let (plan, adoptions) = workshop.plan_adopt(&view)?;
    if session.json {
        render::json(&time::adoptions_document(&plan, &adoptions))?;
    } else {
        time::print_adoptions(&view, &adoptions, session)?;
    }
    if args.dry_run || adoptions.is_empty() {
        return Ok(Exit::Done);
    }
    if !plan.steps.is_empty() {
        if !prompt::go_on(session, "Take these originals for what the game shipped?")? {
            render::hint(session, "Nothing was noted.")?;
            return Ok(Exit::Done);
        }
        let change = workshop.adopt(plan, &adoptions)?;
        let id = &view.game.id;
        let text = format!(
            "Noted as change {}; no file in the game was touched. To go back to the originals: \
             spanner rollback {id}",
            change.number
        );
        render::hint(session, &text)?;
    }
    if !args.remove_copies {
        return Ok(Exit::Done);
    }
    let plan = workshop.plan_removal_of_copies(&view, &adoptions)?;
    let talk = Talk {
        question: "Remove these copies from the game's folder?",
        nothing: "There is no copy to remove.",
        next: "spanner undo".to_owned(),
    };
    carry_out(&mut workshop, plan, false, &talk, session)
}
