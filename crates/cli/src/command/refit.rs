//! `refit`: puts fitted builds back that something else has overwritten.

use anyhow::Result;
use upright_spanner_core::Workshop;
use upright_spanner_core::survey::GameView;

use super::carry_out::{ActOptions, Messages, START, carry_out, carry_out_untold};
use super::survey::{survey_known, tell_gone};
use super::target;
use crate::args;
use crate::document::plan::{OneOfSeveral, Several};
use crate::exit::Exit;
use crate::render;
use crate::session::Session;

/// What to say if no file has to be put back.
const NOTHING: &str = "Everything that was fitted is in place.";

pub fn run(args: &args::Refit, session: &Session) -> Result<Exit> {
    let workshop = session.open_for(args.dry_run)?;
    match &args.game {
        Some(game) => {
            let view = target::game(&workshop, game, args.dry_run, session)?;
            let plan = workshop.plan_refit(&view, args.family.as_deref(), &args.despite)?.plan;
            carry_out(&workshop, plan, &wish(args), &talk(), session)
        }
        None => all(args, &workshop, session),
    }
}

/// Refits one game before it is started.
pub fn put_back(view: &GameView, session: &Session) -> Result<Exit> {
    let workshop = session.alter()?;
    let plan = workshop.plan_refit(view, None, &[])?.plan;
    let wish = ActOptions { despite: &[], dry_run: false };
    carry_out(&workshop, plan, &wish, &talk(), session)
}

/// Every known game, and on past one that is refused or fails.
fn all(args: &args::Refit, workshop: &Workshop, session: &Session) -> Result<Exit> {
    let views = survey_known(workshop, session)?.games;
    let mut worst = if tell_gone(workshop)? { Exit::Attend } else { Exit::Done };
    let mut games = Vec::new();

    for view in &views {
        match refit(args, view, workshop, session) {
            Ok(None) => {}
            Ok(Some((exit, game))) => {
                games.push(game);
                worst = if exit == Exit::Done { worst } else { Exit::Attend };
            }
            Err(error) => {
                render::error(&error);
                games.push(OneOfSeveral::failed(&view.game.id, &error));
                worst = Exit::Attend;
            }
        }
    }

    if session.json {
        render::json(&Several::new(games))?;
    } else if games.is_empty() {
        render::hint(session, NOTHING)?;
    }

    Ok(worst)
}

/// One of several games; `None` where everything is in place.
fn refit(
    args: &args::Refit,
    view: &GameView,
    workshop: &Workshop,
    session: &Session,
) -> Result<Option<(Exit, OneOfSeveral)>> {
    let plan = workshop.plan_refit(view, args.family.as_deref(), &args.despite)?.plan;
    if plan.steps.is_empty() {
        return Ok(None);
    }
    let (exit, outcome) = carry_out_untold(workshop, plan, &wish(args), &talk(), session)?;
    Ok(Some((exit, outcome.into())))
}

fn wish(args: &args::Refit) -> ActOptions<'_> {
    ActOptions { despite: &args.despite, dry_run: args.dry_run }
}

fn talk() -> Messages<'static> {
    Messages { question: None, nothing: NOTHING, next: START, back: "spanner undo".to_owned() }
}
