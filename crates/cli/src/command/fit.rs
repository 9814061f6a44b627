//! `fit`: fits a build into a game, and stores the files it replaces.

use std::path::PathBuf;

use anyhow::Result;
use upright_spanner_core::change::Change;
use upright_spanner_core::game::GameEdit;
use upright_spanner_core::survey::{Filter, GameView};
use upright_spanner_core::{Error, FitOptions, FitPlan, RackError, Workshop};

use super::carry_out::{ActOptions, act, is_meant, start_it};
use super::feed::refresh_due;
use super::get;
use super::reg_file;
use super::several::{self, Job, Several};
use super::survey::survey_known;
use super::target;
use crate::args;
use crate::document::feed::Got;
use crate::document::plan::{Fitted, Plan};
use crate::exit::Exit;
use crate::prompt;
use crate::render::{self, feed, plan, quoted};
use crate::session::Session;

pub fn run(args: &args::Fit, session: &Session) -> Result<Exit> {
    let workshop = session.open_for(args.dry_run)?;
    match &args.game {
        Some(game) => one(args, game, &workshop, session),
        None => all(args, &workshop, session),
    }
}

fn one(args: &args::Fit, game: &str, workshop: &Workshop, session: &Session) -> Result<Exit> {
    if args.builds.len() > 1
        && (args.as_name.is_some() || args.place.is_some() || args.variant.is_some())
    {
        return Err(Error::Invalid {
            what: "a name, a place or a variant is that of one build, and several are named"
                .to_owned(),
            remedy: "Fit that one separately.".into(),
        }
        .into());
    }
    let view = target::game(workshop, game, args.dry_run, session)?;
    if args.get {
        if let Some(exit) = get_first(args, game, &view, workshop, session)? {
            return Ok(exit);
        }
    }
    let (fit, chosen) = planned(args, workshop, &view, session)?;
    if !session.json {
        plan::print(&fit.plan, session)?;
        if fit.plan.stops().is_empty() {
            plan::print_signers(&workshop.signers(&fit), session)?;
        }
    }
    let folder_for = |family: &str| handoff_folder(args, &view, family);
    let stopped = !fit.plan.stops().is_empty();
    if !stopped {
        // An impossible hand-off is reported before anything is done, even in a dry run.
        for part in &fit.plan.handoff {
            folder_for(&part.of.family)?;
        }
    }
    reg_file::write(args.reg_file.as_deref(), &fit.plan, args.dry_run, session)?;
    if stopped || args.dry_run || fit.plan.is_empty() {
        if session.json {
            render::json(&Plan::from(&fit.plan))?;
        } else if !stopped && args.dry_run && !fit.plan.is_empty() {
            let again = again(args, game, &chosen);
            render::hint(session, &format!("Dry run: nothing was changed. To do it: {again}"))?;
        }
        return Ok(if stopped { Exit::Refused } else { Exit::Done });
    }

    if !is_meant(&fit.plan, None, session)? {
        render::hint(session, "Nothing was changed.")?;
        return Ok(Exit::Done);
    }
    let archives = if fit.plan.handoff.is_empty() {
        Vec::new()
    } else {
        workshop.alter()?.hand_off(&fit, folder_for)?
    };
    remember(args, &view, &fit, workshop)?;

    let families: Vec<String> = fit.builds.iter().map(|build| build.id.family.clone()).collect();
    let change = if fit.plan.steps.is_empty() {
        None
    } else {
        Some(carry_out(fit, &args.despite, workshop, session)?)
    };
    if session.json {
        render::json(&Fitted::new(change.as_ref(), &archives))?;
        return Ok(Exit::Done);
    }

    for archive in archives {
        let shown = render::slashes(&archive);
        render::hint(session, &format!("For your mod manager: {shown}"))?;
    }
    if let Some(change) = change {
        let back = match &families[..] {
            [family] => format!("spanner rollback {} {}", quoted(&view.game.id), quoted(family)),
            _ => format!("spanner undo {}", change.number()),
        };
        workshop.refresh();
        let start = start_it(workshop, &view.game.root.to_string_lossy());
        plan::print_done(&change, &start, &back, session)?;
    }
    Ok(Exit::Done)
}

/// Gets builds from feeds that the rack lacks. Returns the exit code if the run ends here.
fn get_first(
    args: &args::Fit,
    game: &str,
    view: &GameView,
    workshop: &Workshop,
    session: &Session,
) -> Result<Option<Exit>> {
    if !args.dry_run {
        refresh_due(workshop, session);
    }
    let downloads = workshop.downloads_to_fit(view, &args.builds, &session.progress())?;
    get::expect_no_stop(&downloads, &args.despite)?;
    if downloads.is_empty() {
        return Ok(None);
    }
    if !session.json {
        feed::print_downloads(&downloads, session)?;
    }
    if args.dry_run {
        if session.json {
            render::json(&Got::new(&downloads, &[], &[]))?;
        }
        let again = again(args, game, &options(args));
        let text = format!(
            "Dry run: nothing was downloaded. What it would do in the game can be told when it is there. To do \
             both: {again}"
        );
        render::hint(session, &text)?;
        return Ok(Some(Exit::Done));
    }
    if !get::is_meant(&downloads, session)? {
        render::hint(session, "Nothing was changed.")?;
        return Ok(Some(Exit::Done));
    }
    let mut outcome = get::get(&downloads, workshop, session);
    if let Some((_, error)) = outcome.failed.pop() {
        return Err(error);
    }
    if outcome.by_hand.is_empty() {
        return Ok(None);
    }
    if session.json {
        render::json(&Got::new(&downloads, &workshop.builds()?, &outcome.failed))?;
    } else {
        feed::print_by_hand(&outcome.by_hand, session)?;
    }
    Ok(Some(Exit::Attend))
}

/// The folder that a family's data part goes to for a mod manager: the one that was named, else the one that
/// was named before.
fn handoff_folder(
    args: &args::Fit,
    view: &GameView,
    family: &str,
) -> upright_spanner_core::Result<PathBuf> {
    let remembered = view.game.settings.handoffs.get(family);
    let Some(folder) = args.handoff.as_ref().or(remembered) else {
        return Err(Error::Invalid {
            what: format!("part of {family} is for a mod manager"),
            remedy: "Say which folder the archive goes to: --handoff DIR.".into(),
        });
    };
    if folder.is_dir() {
        return Ok(folder.clone());
    }
    Err(Error::Invalid {
        what: format!("{} is not a folder, so nothing can be handed off", render::slashes(folder)),
        remedy: "Make the folder first, or give another: --handoff DIR.".into(),
    })
}

/// Remembers the options for this game and family: parts left out, and a folder for a mod manager.
fn remember(args: &args::Fit, view: &GameView, fit: &FitPlan, workshop: &Workshop) -> Result<()> {
    let handed: Vec<&str> = fit.plan.handoff.iter().map(|part| &*part.of.family).collect();
    let mut edit = GameEdit::default();
    for family in fit.builds.iter().map(|build| &build.id.family) {
        if !args.without.is_empty() {
            edit.left_out.push((family.clone(), args.without.clone()));
        }
        if let Some(folder) = args.handoff.as_ref().filter(|_| handed.contains(&family.as_str())) {
            edit.handoffs.push((family.clone(), folder.clone()));
        }
    }
    if !edit.left_out.is_empty() || !edit.handoffs.is_empty() {
        workshop.alter()?.set_game(&view.game.root.to_string_lossy(), &edit)?;
    }
    Ok(())
}

/// Clears a plan of its stops and carries it out.
fn carry_out(
    fit: FitPlan,
    despite: &[String],
    workshop: &Workshop,
    session: &Session,
) -> Result<Change> {
    let FitPlan { plan, parcels, .. } = fit;
    let cleared = workshop
        .clear(plan, despite)
        .map_err(|stopped| Error::Refused(stopped.stops().into_iter().cloned().collect()))?;
    let progress = session.progress();
    act(workshop, || workshop.alter()?.fit(cleared, &parcels, &progress))
}

/// Every known game that has one of some families: one change a game.
fn all(args: &args::Fit, workshop: &Workshop, session: &Session) -> Result<Exit> {
    let progress = session.progress();
    let survey = survey_known(workshop, session)?;
    let mut jobs = Vec::new();
    let mut several = Several::default();

    let filter = Filter::default().game(args.games.as_deref())?;
    for view in survey.games.iter().filter(|view| filter.keeps_game(&view.game)) {
        let wanted = workshop.wanted_in(view, &args.all)?;
        let wanted: Vec<&str> = wanted.iter().map(String::as_str).collect();
        if wanted.is_empty() {
            continue;
        }
        match workshop.plan_fits(view, &wanted, &options(args), &progress) {
            Ok(fit) => {
                let names = fit.builds.iter().map(|build| build.id.to_string());
                let what = names.collect::<Vec<_>>().join(", ");
                jobs.push(Job { what, plan: fit.plan });
            }
            Err(error) => several.fails(&view.game.id, &error.into()),
        }
    }

    let families = args.all.join(", ");
    let quoted: Vec<String> = args.all.iter().map(|family| quoted(family)).collect();
    let games = args
        .games
        .as_ref()
        .map_or_else(String::new, |games| format!(" --game {}", render::quoted(games)));
    let talk = several::SeveralMessages {
        nothing: &format!("No known game has {families}."),
        question: &|games| format!("Put the builds into {games}?"),
        again: &format!("spanner fit --all {}{games}", quoted.join(" ")),
    };
    let wish = ActOptions { despite: &args.despite, dry_run: args.dry_run };
    several.carry_out(jobs, workshop, &wish, &talk, session)
}

fn options(args: &args::Fit) -> FitOptions {
    FitOptions {
        variant: args.variant.clone(),
        as_name: args.as_name.clone(),
        place: args.place.as_ref().map(|place| place.replace('\\', "/")),
        without: args.without.clone(),
        beside: args.beside,
        clear: args.clear,
        hand_off: args.handoff.is_some(),
        registry: args.registry,
        to_reg_file: args.reg_file.is_some(),
        undo_old: args.undo_old,
        despite: args.despite.clone(),
    }
}

/// The plan, and the options with the user's choices; if several builds or names are possible, the user is asked.
fn planned(
    args: &args::Fit,
    workshop: &Workshop,
    view: &GameView,
    session: &Session,
) -> Result<(FitPlan, FitOptions)> {
    let mut options = options(args);
    let progress = session.progress();
    let builds: Vec<&str> = args.builds.iter().map(String::as_str).collect();
    loop {
        match workshop.plan_fits(view, &builds, &options, &progress) {
            Err(Error::Rack(RackError::Several { spec, candidates })) if builds.len() == 1 => {
                let question =
                    format!("Each of these could be used in {}; choose one", view.game.title);
                let Some(chosen) = prompt::choose(session, &question, &candidates)? else {
                    return Err(Error::from(RackError::Several { spec, candidates }).into());
                };
                options.variant = Some(candidates[chosen].clone());
            }
            Err(Error::Rack(RackError::SeveralEntries { game, build, names }))
                if builds.len() == 1 =>
            {
                let question = format!("{} loads each of these names", view.game.title);
                let Some(chosen) = prompt::choose(session, &question, &names)? else {
                    let error = RackError::SeveralEntries { game, build, names };
                    return Err(Error::from(error).into());
                };
                options.as_name = Some(names[chosen].clone());
            }
            fit => return Ok((fit?, options)),
        }
    }
}

/// The command that carries out a dry run.
fn again(args: &args::Fit, game: &str, chosen: &FitOptions) -> String {
    let mut words = vec!["spanner fit".to_owned(), quoted(game)];
    words.extend(args.builds.iter().map(|build| quoted(build)));
    let spelled = |path: &PathBuf| path.to_string_lossy().into_owned();
    let handoff = args.handoff.as_ref().map(spelled);
    let reg_file = args.reg_file.as_ref().map(spelled);
    let named = [
        ("--variant", chosen.variant.as_ref()),
        ("--as", chosen.as_name.as_ref()),
        ("--place", args.place.as_ref()),
        ("--handoff", handoff.as_ref()),
        ("--reg-file", reg_file.as_ref()),
    ];
    let named = named.into_iter().filter_map(|(option, value)| Some((option, value?)));
    let without = args.without.iter().map(|part| ("--without", part));
    let despite = args.despite.iter().map(|code| ("--despite", code));
    let named = named.chain(without).chain(despite);
    words.extend(named.map(|(option, value)| format!("{option} {}", quoted(value))));
    let switches = [
        ("--get", args.get),
        ("--beside", args.beside),
        ("--clear", args.clear),
        ("--registry", args.registry),
        ("--undo-old", args.undo_old),
    ];
    words.extend(switches.iter().filter(|(_, on)| *on).map(|(switch, _)| (*switch).to_owned()));
    words.join(" ")
}
