//! `tune`: shows the settings of a game's components, and sets them.

use anyhow::Result;
use upright_spanner_core::path::same_name;
use upright_spanner_core::survey::GameView;
use upright_spanner_core::tune::COMPAT;
use upright_spanner_core::{Error, TuneRequest, Workshop};

use super::carry_out::{ActOptions, Messages, START, carry_out};
use super::reg_file;
use super::several::{self, Job, Several};
use super::survey::survey_known;
use super::target;
use crate::args;
use crate::document::noted::What;
use crate::document::tune::{Modes, Tuned};
use crate::exit::Exit;
use crate::render::{self, quoted, slashes};
use crate::session::Session;

/// The words after the game on the command line: a family, and settings with values.
struct Words<'a> {
    family: Option<&'a str>,
    set: Vec<(String, String)>,
}

pub fn run(args: &args::Tune, session: &Session) -> Result<Exit> {
    let (game, words) = match (&args.game, args.all) {
        (Some(game), false) => (Some(game), words(args.words.iter())?),
        // Without a game the first word is a family.
        (first, _) => (None, words(first.iter().chain(&args.words))?),
    };
    let wish = TuneRequest {
        set: words.set,
        unset: args.unset.clone(),
        reset: args.reset,
        preset: args.preset.clone(),
        lock: if args.lock || args.unlock { Some(args.lock) } else { None },
        program: args.program.clone(),
        to_reg_file: args.reg_file.is_some(),
    };
    let is_look = wish.is_empty() && args.save_preset.is_none();
    let workshop = if is_look { session.look()? } else { session.open_for(args.dry_run)? };
    let Some(game) = game else {
        return all(args, words.family, &wish, &workshop, session);
    };
    let view = target::game(&workshop, game, is_look || args.dry_run, session)?;

    match (&args.save_preset, words.family) {
        (Some(name), Some(family)) => save(&workshop, &view, family, name, session),
        (Some(_), None) => Err(Error::Invalid {
            what: "a preset is one of a family's, and none is named".to_owned(),
            remedy: "Name the family behind the game.".into(),
        }
        .into()),
        (None, Some(family)) if is_look && same_name(family, COMPAT) => {
            modes(&workshop, &view, session)
        }
        (None, family) if is_look => show(&workshop, &view, family, session),
        (None, family) => set(args, &wish, &workshop, &view, family, session),
    }
}

/// Takes words apart: those with `=` are settings, and the other one is a family.
fn words<'a>(words: impl Iterator<Item = &'a String>) -> Result<Words<'a>> {
    let mut taken = Words { family: None, set: Vec::new() };
    for word in words {
        match word.split_once('=') {
            Some((name, value)) => taken.set.push((name.trim().to_owned(), value.to_owned())),
            None if taken.family.is_none() => taken.family = Some(word),
            None => {
                return Err(Error::Invalid {
                    what: format!("`{word}` sets nothing"),
                    remedy: format!(
                        "Write a setting with its value: {}",
                        quoted(&format!("{word}=VALUE"))
                    )
                    .into(),
                }
                .into());
            }
        }
    }
    Ok(taken)
}

fn show(
    workshop: &Workshop,
    view: &GameView,
    family: Option<&str>,
    session: &Session,
) -> Result<Exit> {
    let tuning = workshop.tuning(view, family)?;
    if session.json {
        render::json(&Tuned::new(&view.game.id, &tuning))?;
    } else {
        render::tune::print(&view.game, family, &tuning, session)?;
    }
    Ok(Exit::Done)
}

/// The compatibility modes that there are, and the one of each program.
fn modes(workshop: &Workshop, view: &GameView, session: &Session) -> Result<Exit> {
    let tuning = workshop.tuning(view, None)?;
    if session.json {
        render::json(&Modes::new(&view.game.id, &tuning))?;
    } else {
        render::tune::print_modes(&view.game, &tuning, session)?;
    }
    Ok(Exit::Done)
}

fn set(
    args: &args::Tune,
    wish: &TuneRequest,
    workshop: &Workshop,
    view: &GameView,
    family: Option<&str>,
    session: &Session,
) -> Result<Exit> {
    let plan = workshop.plan_tune(view, family, wish)?;
    let is_written = reg_file::write(args.reg_file.as_deref(), &plan, args.dry_run, session)?;
    if plan.steps.is_empty() && is_written {
        if session.json {
            render::json(&crate::document::plan::Plan::from(&plan))?;
        }
        return Ok(Exit::Done);
    }
    let talk = Messages {
        question: None,
        nothing: "Everything is set so already.",
        next: START,
        back: "spanner undo".to_owned(),
    };
    let wish = ActOptions { despite: &args.despite, dry_run: args.dry_run };
    carry_out(workshop, plan, &wish, &talk, session)
}

/// Every known game that has a family.
fn all(
    args: &args::Tune,
    family: Option<&str>,
    wish: &TuneRequest,
    workshop: &Workshop,
    session: &Session,
) -> Result<Exit> {
    let Some(family) = family.filter(|_| !wish.is_empty()) else {
        return Err(Error::Invalid {
            what: "in every game, one family is set, to a preset or to values".to_owned(),
            remedy: "Name the family and a preset: spanner tune --all FAMILY --preset NAME".into(),
        }
        .into());
    };
    let survey = survey_known(workshop, session)?;
    let (mut jobs, mut several) = (Vec::new(), Several::default());
    let has = |view: &&GameView| {
        let mut live = view.libraries.iter().filter(|library| !library.put_aside);
        live.any(|library| same_name(&library.family, family))
    };
    for view in survey.games.iter().filter(has) {
        match workshop.plan_tune(view, Some(family), wish) {
            Ok(plan) => jobs.push(Job { what: family.to_owned(), plan }),
            Err(error) => several.fails(&view.game.id, &error.into()),
        }
    }
    let again: Vec<String> = std::env::args().skip(1).filter(|word| word != "--dry-run").collect();
    let again: Vec<String> = again.iter().map(|word| quoted(word)).collect();
    let talk = several::SeveralMessages {
        nothing: "No known game has it.",
        question: &|games| format!("Set it in {games}?"),
        again: &format!("spanner {}", again.join(" ")),
    };
    let wish = ActOptions { despite: &args.despite, dry_run: args.dry_run };
    several.carry_out(jobs, workshop, &wish, &talk, session)
}

/// Saves the present settings as a preset.
fn save(
    workshop: &Workshop,
    view: &GameView,
    family: &str,
    name: &str,
    session: &Session,
) -> Result<Exit> {
    let file = workshop.alter()?.save_preset(view, family, name)?;
    let text =
        format!("Saved the present settings as preset {name} of {family}, in {}", slashes(&file));
    render::noted(
        session,
        &text,
        What::Preset { family: family.to_owned(), preset: name.to_owned() },
    )?;
    Ok(Exit::Done)
}
