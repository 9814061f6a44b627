//! `wind`: puts another release of the game itself onto its folder.

use anyhow::Result;
use upright_spanner_core::survey::GameView;
use upright_spanner_core::{WindOptions, WindPlan, Workshop};

use super::carry_out::{act, check_again, is_meant, start_it};
use super::target;
use crate::args;
use crate::document::change::Changed;
use crate::document::plan::Plan;
use crate::document::wind::WindOutcome;
use crate::exit::Exit;
use crate::prompt;
use crate::render::{self, plan};
use crate::session::Session;

/// The finding that asks whether fitted components stay.
const IN_THE_WAY: &str = "fitted-in-the-way";

pub fn run(args: &args::Wind, session: &Session) -> Result<Exit> {
    let workshop = session.open_for(args.dry_run)?;
    let view = target::game(&workshop, &args.game, args.dry_run, session)?;
    let wind = planned(args, &workshop, &view, session)?;
    let (stopped, is_empty) = (!wind.plan.stops().is_empty(), wind.plan.is_empty());
    if !session.json {
        let outlined = render::wind::outlined(&wind.plan, &wind.outline, session);
        plan::print_with(&wind.plan, &outlined, session)?;
    }
    if stopped || args.dry_run || is_empty {
        if session.json {
            render::json(&WindOutcome::planned(Plan::from(&wind.plan), &wind.outline))?;
        } else if is_empty {
            render::hint(session, "Every file is there already.")?;
        } else if !stopped {
            render::hint(session, "Dry run: nothing was changed.")?;
        }
        return Ok(if stopped { Exit::Refused } else { Exit::Done });
    }

    if !is_meant(&wind.plan, None, session)? {
        render::hint(session, "Nothing was changed.")?;
        return Ok(Exit::Done);
    }
    let outline = wind.outline.clone();
    let progress = session.progress();
    let change = act(&workshop, || workshop.alter()?.wind(wind, &args.despite, &progress))?;
    if session.json {
        render::json(&WindOutcome::done(Changed::new(&change), &outline))?;
        return Ok(Exit::Done);
    }
    workshop.refresh();
    let root = view.game.root.to_string_lossy();
    let back = format!("spanner undo {}", change.number());
    plan::print_done(&change, &start_it(&workshop, &root), &back, session)?;
    check_again(&workshop, &root, session)?;
    Ok(Exit::Done)
}

/// The plan; if fitted components are in the way and no option decides, the user is asked.
fn planned(
    args: &args::Wind,
    workshop: &Workshop,
    view: &GameView,
    session: &Session,
) -> Result<WindPlan> {
    let keep_fitted = match (args.keep_fitted, args.replace_fitted) {
        (true, _) => Some(true),
        (_, true) => Some(false),
        _ => None,
    };
    let mut options = WindOptions {
        aside: args.aside.clone(),
        expect: args.expect.clone(),
        keep_fitted,
        settings: args.settings,
        hold: args.hold,
        despite: args.despite.clone(),
    };
    let progress = session.progress();
    let wind = workshop.plan_wind(view, &args.from, &options, &progress)?;
    let asks = wind.plan.stops();
    let [question] = &asks[..] else { return Ok(wind) };
    if question.code != IN_THE_WAY {
        return Ok(wind);
    }
    let choices = ["Keep the fitted components", "Use the files of the release"].map(str::to_owned);
    let Some(chosen) = prompt::choose(session, &question.sentence, &choices)? else {
        return Ok(wind);
    };
    options.keep_fitted = Some(chosen == 0);
    Ok(workshop.plan_wind(view, &args.from, &options, &progress)?)
}
