//! `fit`: puts a build into a game, keeping what was there.

use anyhow::Result;
use upright_spanner_core::path::same_name;
use upright_spanner_core::survey::GameView;
use upright_spanner_core::{Error, FitOptions, FitPlan, Workshop};

use super::survey::known_places;
use crate::args;
use crate::exit::Exit;
use crate::prompt;
use crate::render::{self, plan, quoted};
use crate::session::Session;

pub fn run(args: &args::Fit, session: &Session) -> Result<Exit> {
    let workshop = if args.dry_run { session.look()? } else { session.alter()? };
    match (&args.game, &args.build, &args.all) {
        (Some(game), Some(build), _) => one(args, game, build, workshop, session),
        (Some(game), None, _) => merge(args, game, workshop, session),
        (_, _, Some(family)) => all(args, family, workshop, session),
        // The parser lets nothing else through.
        _ => Ok(Exit::Usage),
    }
}

fn one(
    args: &args::Fit,
    game: &str,
    build: &str,
    mut workshop: Workshop,
    session: &Session,
) -> Result<Exit> {
    let progress = session.progress();
    let view = workshop.game(game, &progress)?;
    let fit = planned(args, build, &workshop, &view, session)?;
    if !session.json {
        plan::print(&fit.plan, session)?;
    }
    let stopped = !fit.plan.stops().is_empty();
    if stopped || args.dry_run || fit.plan.is_empty() {
        if session.json {
            render::json(&plan::document(&fit.plan))?;
        } else if !stopped && args.dry_run && !fit.plan.is_empty() {
            let again = again(args, game, build);
            render::hint(session, &format!("Dry run: nothing was changed. To do it: {again}"))?;
        }
        return Ok(if stopped { Exit::Refused } else { Exit::Done });
    }
    if !fit.plan.handoff.is_empty() && args.handoff.is_none() {
        return Err(Error::Setting {
            what: format!("part of {} is to be handed off to a mod manager", fit.build.id),
            advice: "Say which folder the archive goes to: --handoff DIR.",
        }
        .into());
    }
    if !prompt::go_on(session, "Swap these files?")? {
        render::hint(session, "Nothing was changed.")?;
        return Ok(Exit::Done);
    }
    let archive = match &args.handoff {
        Some(folder) if !fit.plan.handoff.is_empty() => Some(workshop.hand_off(&fit, folder)?),
        _ => None,
    };
    let family = fit.build.id.family.clone();
    let change = if fit.plan.steps.is_empty() { None } else { Some(workshop.fit(fit, &progress)?) };
    if session.json {
        render::json(&plan::fitted_document(change.as_ref(), archive.as_deref()))?;
        return Ok(Exit::Done);
    }
    if let Some(archive) = archive {
        let shown = render::slashes(&archive);
        render::hint(session, &format!("For your mod manager: {shown}"))?;
    }
    if let Some(change) = change {
        let back = format!("spanner rollback {} {family}", view.game.id);
        plan::print_done(&change, &back, session)?;
    }
    Ok(Exit::Done)
}

/// Whole folders onto the game's folder.
fn merge(args: &args::Fit, game: &str, mut workshop: Workshop, session: &Session) -> Result<Exit> {
    let progress = session.progress();
    let view = workshop.game(game, &progress)?;
    let mut merge = workshop.plan_merge(&view, &args.merge, &progress)?;
    merge.override_stops(&args.despite);
    if !session.json {
        plan::print(&merge.plan, session)?;
    }
    let stopped = !merge.plan.stops().is_empty();
    if stopped || args.dry_run || merge.plan.steps.is_empty() {
        if session.json {
            render::json(&plan::document(&merge.plan))?;
        } else if !stopped {
            let nothing = merge.plan.steps.is_empty();
            let text = if nothing {
                "Every file is there already."
            } else {
                "Dry run: nothing was changed."
            };
            render::hint(session, text)?;
        }
        return Ok(if stopped { Exit::Refused } else { Exit::Done });
    }
    if !prompt::go_on(session, "Merge these files?")? {
        render::hint(session, "Nothing was changed.")?;
        return Ok(Exit::Done);
    }
    let change = workshop.merge(merge, &progress)?;
    if session.json {
        render::json(&plan::change_document(&change))?;
    } else {
        plan::print_done(&change, &format!("spanner undo {}", change.number), session)?;
    }
    Ok(Exit::Done)
}

/// Every known game that has a family: one table, one change a game, and on past a refused one.
fn all(args: &args::Fit, family: &str, mut workshop: Workshop, session: &Session) -> Result<Exit> {
    let progress = session.progress();
    let survey = workshop.survey(&known_places(&workshop)?, &progress)?;
    let has = |view: &&GameView| {
        let live = view.libraries.iter().filter(|library| !library.put_aside);
        live.into_iter().any(|library| same_name(&library.family, family))
    };
    let mut fits = Vec::new();
    let mut failed = 0;
    for view in survey.games.iter().filter(has) {
        match workshop.plan_fit(view, family, &options(args), &progress) {
            Ok(fit) => fits.push(fit),
            Err(error) => {
                failed += 1;
                render::error(&error.into());
            }
        }
    }
    if fits.is_empty() && failed == 0 {
        let none: [(); 0] = [];
        render::done(session, &format!("No known game has {family}."), "games", none)?;
        return Ok(Exit::Done);
    }
    if !session.json {
        plan::print_several(&fits, session)?;
    }
    if args.dry_run {
        let plans: Vec<_> = fits.iter().map(|fit| plan::document(&fit.plan)).collect();
        if session.json {
            render::json(&plan::several_document(&plans))?;
        } else {
            let again = format!("spanner fit --all {}", quoted(family));
            render::hint(session, &format!("Dry run: nothing was changed. To do it: {again}"))?;
        }
        return Ok(Exit::Done);
    }
    let to_do = fits.iter().filter(|fit| fit.plan.stops().is_empty() && !fit.plan.steps.is_empty());
    let to_do = render::count(to_do.count(), "game");
    if !prompt::go_on(session, &format!("Swap the files of {to_do}?"))? {
        render::hint(session, "Nothing was changed.")?;
        return Ok(Exit::Done);
    }
    let (mut done, mut refused, mut as_they_were) = (Vec::new(), 0, 0);
    for fit in fits {
        if !fit.plan.stops().is_empty() {
            refused += 1;
        } else if fit.plan.steps.is_empty() {
            as_they_were += 1;
        } else {
            match workshop.fit(fit, &progress) {
                Ok(change) => done.push(plan::change_document(&change)),
                Err(error) => {
                    failed += 1;
                    render::error(&error.into());
                }
            }
        }
    }
    if session.json {
        render::json(&plan::several_document(&done))?;
    } else {
        let text = format!(
            "Done: {}; {as_they_were} as they were, {refused} refused, {failed} failed.",
            render::count(done.len(), "game")
        );
        render::hint(session, &text)?;
    }
    Ok(if refused + failed > 0 { Exit::Attend } else { Exit::Done })
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
        Err(Error::SeveralBuilds { spec, candidates }) => {
            let question =
                format!("Each of these could be used in {}; choose one", view.game.title);
            let Some(chosen) = prompt::choose(session, &question, &candidates)? else {
                return Err(Error::SeveralBuilds { spec, candidates }.into());
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
