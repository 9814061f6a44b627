//! `fit`: puts a build into a game, keeping what was there.

use anyhow::Result;
use upright_spanner_core::change::Change;
use upright_spanner_core::path::same_name;
use upright_spanner_core::survey::GameView;
use upright_spanner_core::{ClearedMerge, Error, FitOptions, FitPlan, RackError, Workshop};

use super::carry_out::{START, act, is_meant};
use super::survey::survey_known;
use super::target;
use crate::args;
use crate::document::change::Changed;
use crate::document::plan::{Fitted, OneOfSeveral, Plan, Several as SeveralGames};
use crate::exit::Exit;
use crate::prompt;
use crate::render::{self, plan, quoted};
use crate::session::Session;

pub fn run(args: &args::Fit, session: &Session) -> Result<Exit> {
    let workshop = session.open_for(args.dry_run)?;
    match (&args.game, &args.build, &args.all) {
        (Some(game), Some(build), _) => one(args, game, build, &workshop, session),
        (Some(game), None, _) => merge(args, game, &workshop, session),
        (_, _, Some(family)) => all(args, family, &workshop, session),
        // The parser lets nothing else through.
        _ => Ok(Exit::Usage),
    }
}

fn one(
    args: &args::Fit,
    game: &str,
    build: &str,
    workshop: &Workshop,
    session: &Session,
) -> Result<Exit> {
    let view = target::game(workshop, game, args.dry_run, session)?;
    let fit = planned(args, build, workshop, &view, session)?;
    if !session.json {
        plan::print(&fit.plan, session)?;
    }

    let stopped = !fit.plan.stops().is_empty();
    if stopped || args.dry_run || fit.plan.is_empty() {
        if session.json {
            render::json(&Plan::from(&fit.plan))?;
        } else if !stopped && args.dry_run && !fit.plan.is_empty() {
            let again = again(args, game, build);
            render::hint(session, &format!("Dry run: nothing was changed. To do it: {again}"))?;
        }
        return Ok(if stopped { Exit::Refused } else { Exit::Done });
    }

    if !fit.plan.handoff.is_empty() && args.handoff.is_none() {
        return Err(Error::Invalid {
            what: format!("part of {} is to be handed off to a mod manager", fit.build.id),
            remedy: "Say which folder the archive goes to: --handoff DIR.".into(),
        }
        .into());
    }

    if !is_meant(&fit.plan, None, session)? {
        render::hint(session, "Nothing was changed.")?;
        return Ok(Exit::Done);
    }
    let archive = match &args.handoff {
        Some(folder) if !fit.plan.handoff.is_empty() => {
            Some(workshop.alter()?.hand_off(&fit, folder)?)
        }
        _ => None,
    };

    let family = fit.build.id.family.clone();
    let change = if fit.plan.steps.is_empty() {
        None
    } else {
        Some(carry_out(fit, &args.despite, workshop, session)?)
    };
    if session.json {
        render::json(&Fitted::new(change.as_ref(), archive.as_deref()))?;
        return Ok(Exit::Done);
    }

    if let Some(archive) = archive {
        let shown = render::slashes(&archive);
        render::hint(session, &format!("For your mod manager: {shown}"))?;
    }
    if let Some(change) = change {
        let back = format!("spanner rollback {} {}", quoted(&view.game.id), quoted(&family));
        plan::print_done(&change, START, &back, session)?;
    }
    Ok(Exit::Done)
}

/// Clears a plan of its stops and carries it out.
fn carry_out(
    fit: FitPlan,
    despite: &[String],
    workshop: &Workshop,
    session: &Session,
) -> Result<Change> {
    let FitPlan { plan, parcel, .. } = fit;
    let cleared = workshop
        .clear(plan, despite)
        .map_err(|stopped| Error::Refused(stopped.stops().into_iter().cloned().collect()))?;
    let progress = session.progress();
    act(workshop, || workshop.alter()?.fit(cleared, parcel.as_ref(), &progress))
}

/// Whole folders onto the game's folder.
fn merge(args: &args::Fit, game: &str, workshop: &Workshop, session: &Session) -> Result<Exit> {
    let progress = session.progress();
    let view = target::game(workshop, game, args.dry_run, session)?;
    let merge = workshop.plan_merge(&view, &args.merge, &progress)?;
    let cleared = workshop.clear_merge(merge, &args.despite);
    let plan = cleared.as_ref().map_or_else(|stopped| &**stopped, ClearedMerge::plan);

    if !session.json {
        plan::print(plan, session)?;
    }
    let is_empty = plan.steps.is_empty();
    if cleared.is_err() || args.dry_run || is_empty {
        if session.json {
            render::json(&Plan::from(plan))?;
        } else if cleared.is_ok() {
            let text = if is_empty {
                "Every file is there already."
            } else {
                "Dry run: nothing was changed."
            };
            render::hint(session, text)?;
        }
        return Ok(if cleared.is_err() { Exit::Refused } else { Exit::Done });
    }

    let Ok(cleared) = cleared else { return Ok(Exit::Refused) };
    if !is_meant(cleared.plan(), None, session)? {
        render::hint(session, "Nothing was changed.")?;
        return Ok(Exit::Done);
    }

    let change = act(workshop, || workshop.alter()?.merge(cleared, &progress))?;
    if session.json {
        render::json(&Changed::new(&change))?;
    } else {
        let back = format!("spanner undo {}", change.number());
        plan::print_done(&change, START, &back, session)?;
    }

    Ok(Exit::Done)
}

/// What became of several games.
#[derive(Default)]
struct Several {
    games: Vec<OneOfSeveral>,
    done: usize,
    refused: usize,
    as_they_were: usize,
    failed: usize,
}

impl Several {
    fn fails(&mut self, game: &str, error: &anyhow::Error) {
        self.failed += 1;
        self.games.push(OneOfSeveral::failed(game, error));
        render::error(error);
    }

    fn exit(&self) -> Exit {
        if self.refused + self.failed > 0 { Exit::Attend } else { Exit::Done }
    }
}

/// Every known game that has a family: one table, one change a game, and on past a refused one.
fn all(args: &args::Fit, family: &str, workshop: &Workshop, session: &Session) -> Result<Exit> {
    let progress = session.progress();
    let survey = survey_known(workshop, session)?;
    let has = |view: &&GameView| {
        let live = view.libraries.iter().filter(|library| !library.put_aside);
        live.into_iter().any(|library| same_name(&library.family, family))
    };
    let mut fits = Vec::new();
    let mut several = Several::default();

    for view in survey.games.iter().filter(has) {
        match workshop.plan_fit(view, family, &options(args), &progress) {
            Ok(fit) => fits.push(fit),
            Err(error) => several.fails(&view.game.id, &error.into()),
        }
    }

    if fits.is_empty() && several.failed == 0 {
        if session.json {
            render::json(&SeveralGames::new(Vec::new()))?;
        } else {
            render::hint(session, &format!("No known game has {family}."))?;
        }
        return Ok(Exit::Done);
    }

    if !session.json {
        plan::print_several(&fits, session)?;
    }
    if args.dry_run {
        several.refused = fits.iter().filter(|fit| !fit.plan.stops().is_empty()).count();
        let exit = several.exit();
        if session.json {
            several.games.extend(fits.iter().map(|fit| OneOfSeveral::planned(&fit.plan)));
            render::json(&SeveralGames::new(several.games))?;
        } else {
            let again = format!("spanner fit --all {}", quoted(family));
            render::hint(session, &format!("Dry run: nothing was changed. To do it: {again}"))?;
        }
        return Ok(exit);
    }

    let to_do = fits.iter().filter(|fit| fit.plan.stops().is_empty() && !fit.plan.steps.is_empty());
    let to_do = render::count(to_do.count(), "game");
    if !prompt::go_on(session, &format!("Put the builds into {to_do}?"))? {
        render::hint(session, "Nothing was changed.")?;
        return Ok(Exit::Done);
    }

    for fit in fits {
        let game = fit.plan.game.id.clone();
        if !fit.plan.stops().is_empty() {
            several.refused += 1;
            several.games.push(OneOfSeveral::refused(&fit.plan));
        } else if fit.plan.steps.is_empty() {
            several.as_they_were += 1;
        } else {
            match carry_out(fit, &args.despite, workshop, session) {
                Ok(change) => {
                    several.done += 1;
                    several.games.push(OneOfSeveral::done(&change));
                }
                Err(error) => several.fails(&game, &error),
            }
        }
    }

    let exit = several.exit();
    if session.json {
        render::json(&SeveralGames::new(several.games))?;
    } else {
        let text = format!(
            "Done: {}; {} as they were, {} refused, {} failed.",
            render::count(several.done, "game"),
            several.as_they_were,
            several.refused,
            several.failed
        );
        render::hint(session, &text)?;
    }

    Ok(exit)
}

fn options(args: &args::Fit) -> FitOptions {
    FitOptions {
        variant: args.variant.clone(),
        as_name: args.as_name.clone(),
        hand_off: args.handoff.is_some(),
        despite: args.despite.clone(),
    }
}

/// The plan; where several builds could be meant, the user is asked.
fn planned(
    args: &args::Fit,
    build: &str,
    workshop: &Workshop,
    view: &GameView,
    session: &Session,
) -> Result<FitPlan> {
    let mut options = options(args);
    let progress = session.progress();
    match workshop.plan_fit(view, build, &options, &progress) {
        Err(Error::Rack(RackError::Several { spec, candidates })) => {
            let question =
                format!("Each of these could be used in {}; choose one", view.game.title);
            let Some(chosen) = prompt::choose(session, &question, &candidates)? else {
                return Err(Error::from(RackError::Several { spec, candidates }).into());
            };
            options.variant = Some(candidates[chosen].clone());
            Ok(workshop.plan_fit(view, build, &options, &progress)?)
        }
        other => Ok(other?),
    }
}

/// The command that does what a dry run showed.
fn again(args: &args::Fit, game: &str, build: &str) -> String {
    let mut words = vec!["spanner fit".to_owned(), quoted(game), quoted(build)];
    let handoff = args.handoff.as_ref().map(|folder| folder.to_string_lossy().into_owned());
    let despite = args.despite.iter().map(|code| ("--despite", Some(code)));
    let named = [
        ("--variant", args.variant.as_ref()),
        ("--as", args.as_name.as_ref()),
        ("--handoff", handoff.as_ref()),
    ];
    for (option, value) in named.into_iter().chain(despite) {
        if let Some(value) = value {
            words.push(format!("{option} {}", quoted(value)));
        }
    }

    words.join(" ")
}
