//! `fit`: puts a build into a game, keeping what was there.

use anyhow::Result;
use upright_spanner_core::survey::GameView;
use upright_spanner_core::{Error, FitOptions, FitPlan, Workshop};

use crate::args;
use crate::exit::Exit;
use crate::prompt;
use crate::render::{self, plan, quoted};
use crate::session::Session;

pub fn run(args: &args::Fit, session: &Session) -> Result<Exit> {
    let mut workshop = if args.dry_run { session.look()? } else { session.alter()? };
    let progress = session.progress();
    let view = workshop.game(&args.game, &progress)?;
    let fit = planned(args, &workshop, &view, session)?;
    if !session.json {
        plan::print(&fit.plan, session)?;
    }
    let stopped = !fit.plan.stops().is_empty();
    if stopped || args.dry_run || fit.plan.is_empty() {
        if session.json {
            render::json(&plan::document(&fit.plan))?;
        } else if !stopped && args.dry_run && !fit.plan.is_empty() {
            let again = again(args);
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

/// The plan; where several builds could be meant, the user is asked.
fn planned(
    args: &args::Fit,
    workshop: &Workshop,
    view: &GameView,
    session: &Session,
) -> Result<FitPlan> {
    let mut options = FitOptions {
        variant: args.variant.clone(),
        as_name: args.as_name.clone(),
        hand_off: args.handoff.is_some(),
    };
    let progress = session.progress();
    match workshop.plan_fit(view, &args.build, &options, &progress) {
        Err(Error::SeveralBuilds { spec, candidates }) => {
            let question = format!("{} could use each of these. Which one?", view.game.title);
            let Some(chosen) = prompt::choose(session, &question, &candidates)? else {
                return Err(Error::SeveralBuilds { spec, candidates }.into());
            };
            options.variant = Some(candidates[chosen].clone());
            Ok(workshop.plan_fit(view, &args.build, &options, &progress)?)
        }
        other => Ok(other?),
    }
}

/// The command that does what a dry run showed.
fn again(args: &args::Fit) -> String {
    let mut words = vec!["spanner fit".to_owned(), quoted(&args.game), quoted(&args.build)];
    let handoff = args.handoff.as_ref().map(|folder| folder.to_string_lossy().into_owned());
    for (option, value) in
        [("--variant", &args.variant), ("--as", &args.as_name), ("--handoff", &handoff)]
    {
        if let Some(value) = value {
            words.push(format!("{option} {}", quoted(value)));
        }
    }
    words.join(" ")
}
