//! Games and library roots.

use std::io::Write;
use std::path::PathBuf;

use anyhow::Result;
use owo_colors::OwoColorize;
use upright_spanner_core::game::command_line::typed;
use upright_spanner_core::game::{Game, GameVersion};
use upright_spanner_core::start::Start;
use upright_spanner_core::survey::GameView;

use super::table::table;
use super::{clean, hint, slashes, wrapped};
use crate::session::Session;

/// Programs that are listed as candidates, so that all is on one screen with their reasons; `-v` lists all.
const PROGRAMS_SHOWN: usize = 6;

/// Prints the facts of one game, and its programs with the reasons for and against each.
pub fn print(
    view: &GameView,
    version: Option<&GameVersion>,
    start: Option<&Start>,
    session: &Session,
) -> Result<()> {
    let mut out = anstream::stdout();
    let game = &view.game;
    writeln!(out, "{}  {}", clean(&game.title).bold(), format!("({})", game.id).dimmed())?;
    let mut line = |name: &str, value: &str| {
        writeln!(out, "  {} {}", format!("{name:<12}").dimmed(), clean(value))
    };
    line("folder", &slashes(&game.root))?;
    if let Some(known) = version {
        let text = match &known.version {
            Some(version) => format!("{version}, from {}", known.origin),
            None => known.origin.to_string(),
        };
        line("version", &text)?;
    }

    if let Some(edition) = &game.settings.edition {
        line("edition", edition)?;
    }
    if let Some(executable) = view.executable() {
        let machine = executable.facts.machine.spoken();
        line("executable", &format!("{}, {machine}", executable.path))?;
        let folder = executable.path.folder();
        line("bay exe", if folder.is_empty() { "the game's folder" } else { folder })?;
    }

    if let Some(start) = start {
        line("starts with", &super::start::in_words(start))?;
        if !start.arguments.is_empty() {
            line("arguments", &typed(&start.arguments))?;
        }
        for (name, value) in &game.settings.environment {
            line("environment", &format!("{name}={value}"))?;
        }
    }
    for (name, folder) in &game.settings.bays {
        line(&format!("bay {name}"), &slashes(folder))?;
    }
    if let Some(prefix) = game.prefix() {
        line("prefix", &slashes(&prefix))?;
        if let Some(command) = &game.settings.run_with {
            line("run with", &typed(command))?;
        }
    }
    for (family, parts) in &game.settings.left_out {
        line("without", &format!("{} of {family}", parts.join(", ")))?;
    }
    for (family, folder) in &game.settings.handoffs {
        line("handed off", &format!("the data of {family}, to {}", slashes(folder)))?;
    }
    for record in &view.records {
        let build =
            record.build.as_ref().map_or_else(String::new, |build| format!(", build {build}"));
        let waits = match &record.next {
            Some(next) if record.waiting => format!(", build {next} is waiting"),
            _ if record.waiting => ", an update is waiting".to_owned(),
            _ => String::new(),
        };
        let held = if view.is_held { ", held" } else { "" };
        line("launcher", &format!("{}{build}{waits}{held}", record.launcher))?;
        line("record", &slashes(&record.file))?;
    }
    line("components", &view.components().len().to_string())?;
    if view.programs.is_empty() {
        return hint(session, "This folder contains no program.");
    }
    writeln!(out)?;

    let shown = if session.verbose { usize::MAX } else { PROGRAMS_SHOWN };
    writeln!(out, "  {}", "POINTS  PROGRAM".dimmed())?;
    for program in view.programs.iter().take(shown) {
        writeln!(out, "  {:>6}  {}", program.score, clean(program.path.as_str()))?;
        let reasons = program.reasons.join(", ");
        if !reasons.is_empty() {
            write!(out, "{}", wrapped(&reasons, "          ", 10, session.width).dimmed())?;
        }
    }

    if view.programs.len() > shown {
        let rest = format!("  and {} more (-v)", view.programs.len() - shown);
        writeln!(out, "{}", rest.dimmed())?;
    }
    hint(session, &format!("Another one? spanner game set {} --executable PATH", game.id))
}

/// Prints a line a game.
pub fn print_list(games: &[Game], session: &Session) -> Result<()> {
    if games.is_empty() {
        return hint(session, "No games found so far. Next: spanner survey FOLDER");
    }
    let rows = games
        .iter()
        .map(|game| {
            let known = match (game.registered, game.root.is_dir()) {
                (_, false) => "gone",
                (true, true) => "named",
                (false, true) => "seen",
            };
            let title = clean(&game.title).into_owned();
            vec![game.id.clone(), title, known.to_owned(), clean(&slashes(&game.root)).into_owned()]
        })
        .collect();
    write!(anstream::stdout(), "{}", table(&["GAME", "TITLE", "KNOWN", "FOLDER"], &[], rows))?;
    Ok(())
}

/// Prints the library roots.
pub fn print_roots(roots: &[PathBuf], session: &Session) -> Result<()> {
    if roots.is_empty() {
        return hint(session, "No library roots yet. Next: spanner root add FOLDER");
    }
    for root in roots {
        let gone = if root.is_dir() { "" } else { "  (not there now)" };
        writeln!(anstream::stdout(), "{}{gone}", clean(&slashes(root)))?;
    }
    Ok(())
}
