//! `adopt`: takes swaps made by hand under management.

use anyhow::Result;
use upright_spanner_core::check::ABOUT;
use upright_spanner_core::plan::Plan;
use upright_spanner_core::{Adoption, Error, Workshop};

use super::carry_out::{ActOptions, Messages, carry_out_untold};
use super::target;
use crate::args;
use crate::document::adopt::Adopted;
use crate::exit::Exit;
use crate::progress::acting;
use crate::prompt;
use crate::render;
use crate::session::Session;

pub fn run(args: &args::Adopt, session: &Session) -> Result<Exit> {
    let workshop = session.open_for(args.dry_run)?;
    let view = target::game(&workshop, &args.game, args.dry_run, session)?;
    let (plan, adoptions) = workshop.plan_adopt(&view)?;
    let mut document = Adopted::new(&plan, &adoptions);

    if !session.json {
        render::adopt::print_adoptions(&view, &adoptions, session)?;
    }
    let mut exit = Exit::Done;
    let goes_on =
        !args.dry_run && !adoptions.is_empty() && take(&workshop, plan, &adoptions, session)?;
    if goes_on && args.remove_copies {
        let plan = workshop.plan_removal_of_copies(&view, &adoptions)?;
        let talk = Messages {
            question: Some("Remove these copies from the game's folder?"),
            nothing: "No copies were found.",
            next: "",
            back: "spanner undo".to_owned(),
        };
        let wish = ActOptions { despite: &args.despite, dry_run: false };
        let (removed, removal) = carry_out_untold(&workshop, plan, &wish, &talk, session)?;
        exit = removed;
        document.removal = Some(removal);
    }

    if session.json {
        render::json(&document)?;
    }
    Ok(exit)
}

/// Notes the originals as shipped, if there are any and the user agrees; gives whether to continue.
fn take(
    workshop: &Workshop,
    plan: Plan,
    adoptions: &[Adoption],
    session: &Session,
) -> Result<bool> {
    if plan.steps.is_empty() {
        return Ok(true);
    }
    if !prompt::go_on(session, "Treat these originals as the files the game shipped?")? {
        render::hint(session, "Nothing was noted.")?;
        return Ok(false);
    }

    // Nothing in the game is altered, so nothing of the machine's state speaks against it.
    let all = ABOUT.each_ref().map(|about| about.code.to_owned());
    let cleared = workshop
        .clear(plan, &all)
        .map_err(|stopped| Error::Refused(stopped.stops().into_iter().cloned().collect()))?;
    let change = acting(|| workshop.alter()?.adopt(cleared, adoptions))?;
    let text = format!(
        "Noted as change {}; no file in the game was touched. To go back to the originals: \
         spanner rollback {}",
        change.number(),
        change.game()
    );
    render::hint(session, &text)?;
    Ok(true)
}
