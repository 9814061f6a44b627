//! `refit`: puts fitted builds back that something else has overwritten.

use anyhow::Result;

use super::survey::known_places;
use super::{Talk, carry_out};
use crate::args;
use crate::exit::Exit;
use crate::render;
use crate::session::Session;

pub fn run(args: &args::Refit, session: &Session) -> Result<Exit> {
    let mut workshop = if args.dry_run { session.look()? } else { session.alter()? };
    let progress = session.progress();
    let views = match &args.game {
        Some(game) => vec![workshop.game(game, &progress)?],
        None => workshop.survey(&known_places(&workshop)?, &progress)?.games,
    };
    let mut worst = Exit::Done;
    let mut nothing = true;
    for view in &views {
        let family = args.family.as_deref();
        let refit = workshop.plan_refit(view, family, &args.despite, &progress)?;
        if refit.plan.steps.is_empty() && args.game.is_none() {
            continue;
        }
        nothing = false;
        let talk = Talk {
            question: "Put these files back in?",
            nothing: "Everything that was fitted is in place.",
            next: format!("spanner history {}", view.game.id),
        };
        let exit = carry_out(&mut workshop, refit.plan, args.dry_run, &talk, session)?;
        if exit != Exit::Done && worst == Exit::Done {
            worst = if args.game.is_some() { exit } else { Exit::Attend };
        }
    }
    if nothing {
        render::hint(session, "Everything that was fitted is in place.")?;
    }
    Ok(worst)
}
