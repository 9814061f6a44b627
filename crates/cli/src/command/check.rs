//! `check`: will this work with this executable, before anything is copied.

use anyhow::Result;
use upright_spanner_core::check::Verdict;
use upright_spanner_core::load::Edge;
use upright_spanner_core::path::same_name;
use upright_spanner_core::{CheckedGame, FitOptions};

use super::feed::refresh_due;
use super::survey::{survey_known, tell_gone};
use crate::args;
use crate::document::check::{Checked, CheckedBuild, EntryNames};
use crate::document::loads::{Loads, Ways};
use crate::exit::Exit;
use crate::render::{self, check, loads};
use crate::session::Session;

pub fn run(args: &args::Check, session: &Session) -> Result<Exit> {
    match (&args.game, &args.build) {
        (None, _) => all(session),
        (Some(game), None) if args.entries => entries(game, session),
        (Some(game), None) if args.loads.is_some() => {
            loads(game, args.loads.as_deref().unwrap_or_default(), session)
        }
        (Some(game), None) => now(game, session),
        (Some(game), Some(build)) => would_be(game, build, args, session),
    }
}

/// Checks the present components of a game.
fn now(game: &str, session: &Session) -> Result<Exit> {
    let workshop = session.look()?;
    refresh_due(&workshop, session);
    let views = [workshop.game(game, &session.progress())?];
    let mut checked = workshop.check_games(&views)?;
    let checked = checked.pop().unwrap_or_default();
    if session.json {
        render::json(&Checked::new(&[(&views[0], &checked)], &[]))?;
    } else {
        check::print(&views[0], &checked, &workshop.feeds(), session)?;
    }
    Ok(exit(&checked))
}

/// Checks a build for a game.
fn would_be(game: &str, build: &str, args: &args::Check, session: &Session) -> Result<Exit> {
    let workshop = session.look()?;
    let progress = session.progress();
    let view = workshop.game(game, &progress)?;
    let options = FitOptions { as_name: args.as_name.clone(), ..FitOptions::default() };
    let fit = workshop.plan_fit(&view, build, &options, &progress)?;
    let verdict = Verdict::of(&fit.plan.findings);

    if session.json {
        render::json(&CheckedBuild::new(&fit.plan, fit.build(), verdict))?;
    } else {
        check::print_plan(&fit.plan, fit.build(), verdict, session)?;
    }

    Ok(if verdict == Verdict::Fine { Exit::Done } else { Exit::Attend })
}

/// Every known game.
fn all(session: &Session) -> Result<Exit> {
    let workshop = session.look()?;
    refresh_due(&workshop, session);
    let survey = survey_known(&workshop, session)?;
    let checked = workshop.check_games(&survey.games)?;
    let rows: Vec<_> = survey.games.iter().zip(&checked).collect();

    if session.json {
        render::json(&Checked::new(&rows, &survey.errors))?;
    } else {
        check::print_all(&rows, session)?;
    }

    let gone = tell_gone(&workshop)?;
    render::look_errors(&survey.errors);
    let worst = checked.iter().map(exit).find(|exit| *exit != Exit::Done);
    let attend = gone || !survey.errors.is_empty();
    Ok(worst.unwrap_or(if attend { Exit::Attend } else { Exit::Done }))
}

fn entries(game: &str, session: &Session) -> Result<Exit> {
    let workshop = session.look()?;
    let view = workshop.game(game, &session.progress())?;
    let entries = workshop.entry_names(&view);
    if session.json {
        render::json(&EntryNames::new(&view, &entries))?;
    } else {
        check::print_entries(&view, &entries, session)?;
    }
    Ok(Exit::Done)
}

/// The libraries a game would load, or the path to one file.
fn loads(game: &str, file: &str, session: &Session) -> Result<Exit> {
    let workshop = session.look()?;
    let view = workshop.game(game, &session.progress())?;
    let graph = workshop.loads(&view);
    if file.is_empty() {
        if session.json {
            render::json(&Loads::new(&view, &graph))?;
        } else {
            loads::print(&view, &graph, session)?;
        }
        let broken = graph.processes.iter().flat_map(|process| &process.images);
        let is_whole = !broken.flat_map(|image| &image.edges).any(Edge::is_broken);
        return Ok(if is_whole { Exit::Done } else { Exit::Attend });
    }

    let name = file.replace('\\', "/");
    let file_name = |path: &str| path.rsplit('/').next().is_some_and(|own| same_name(own, &name));
    let is_it = |path: &str| same_name(path, &name) || file_name(path);
    let ways = graph.ways(is_it);
    if session.json {
        render::json(&Ways::new(&view, &ways))?;
    } else {
        loads::print_ways(&view, file, &ways, session)?;
    }
    Ok(if ways.is_empty() { Exit::Attend } else { Exit::Done })
}

fn exit(checked: &CheckedGame) -> Exit {
    if checked.verdict() == Verdict::Fine { Exit::Done } else { Exit::Attend }
}
