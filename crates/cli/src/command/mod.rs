//! One file a command: parse, call the workshop, render.

mod adopt;
mod check;
mod compare;
mod demo;
mod doctor;
mod drift;
mod explain;
mod family;
mod fit;
mod game;
mod history;
mod inspect;
mod park;
mod pin;
mod rack;
mod refit;
mod rollback;
mod root;
mod survey;
mod undo;

use anyhow::Result;
use serde_json::Value;
use upright_spanner_core::change::Change;
use upright_spanner_core::game::GameEdit;
use upright_spanner_core::plan::Plan;
use upright_spanner_core::survey::GameView;
use upright_spanner_core::{Cleared, Workshop};

use crate::args::Command;
use crate::exit::Exit;
use crate::progress::acting;
use crate::prompt;
use crate::render;
use crate::session::Session;

/// What to say around a plan that is carried out.
struct Talk<'a> {
    /// What to ask before.
    question: &'a str,
    /// What to say where there is nothing to do.
    nothing: &'a str,
    /// What people do next, in a sentence.
    next: String,
}

/// What the user wants of a plan.
struct Wish<'a> {
    /// Findings to go on despite.
    despite: &'a [String],
    /// To be shown what would be done.
    dry_run: bool,
}

/// Shows a plan, asks, and carries it out: what all commands do that place only what is stored.
fn carry_out(
    workshop: &Workshop,
    plan: Plan,
    wish: &Wish<'_>,
    talk: &Talk<'_>,
    session: &Session,
) -> Result<Exit> {
    let (exit, document) = carry_out_untold(workshop, plan, wish, talk, session)?;
    if session.json {
        render::json(&document)?;
    }
    Ok(exit)
}

/// The same, but leaves the document for programs to the caller.
fn carry_out_untold(
    workshop: &Workshop,
    plan: Plan,
    wish: &Wish<'_>,
    talk: &Talk<'_>,
    session: &Session,
) -> Result<(Exit, Value)> {
    let cleared = workshop.clear(plan, wish.despite);
    let plan = cleared.as_ref().map_or_else(|stopped| &**stopped, Cleared::plan);
    let left = plan.findings.iter().any(|finding| finding.code == "altered-since");
    let attend = if left { Exit::Attend } else { Exit::Done };
    let document = render::document::plan(plan);
    if !session.json {
        render::plan::print(plan, session)?;
    }
    let Ok(cleared) = cleared else { return Ok((Exit::Refused, document)) };
    let is_empty = cleared.plan().steps.is_empty();
    if is_empty || wish.dry_run {
        let nothing = if is_empty { talk.nothing } else { "Dry run: nothing was changed." };
        render::hint(session, nothing)?;
        return Ok((attend, document));
    }
    if !prompt::go_on(session, talk.question)? {
        render::hint(session, "Nothing was changed.")?;
        return Ok((Exit::Done, document));
    }
    let change = act(workshop, || workshop.alter()?.apply(cleared, &session.progress()))?;
    if !session.json {
        render::plan::print_done(&change, &talk.next, session)?;
    }
    Ok((attend, render::plan::change_document(&change)))
}

/// Alters a game, and looks at its libraries once more a moment later.
fn act(
    workshop: &Workshop,
    alter: impl FnOnce() -> upright_spanner_core::Result<Change>,
) -> Result<Change> {
    let change = acting(alter)?;
    for path in workshop.gone_since(&change) {
        let path = render::slashes(&path);
        render::notice(&format!(
            "{path} was there when it was read back, and is not what was put there any more: a virus \
             scanner may have set it aside. Look in its quarantine, then: spanner drift {}",
            change.game()
        ));
    }
    Ok(change)
}

/// The game that a text names. Where its folder looks like a game that stood somewhere else, it is asked
/// whether it is that one: its history goes along then. One that only looks is told, and nothing is noted.
fn game(workshop: &Workshop, name: &str, only_looks: bool, session: &Session) -> Result<GameView> {
    let view = workshop.game(name, &session.progress())?;
    let Some(moved) = workshop.moved_from(&view)? else { return Ok(view) };
    let question = format!(
        "This looks like {}, which stood in {}. Is it that game?",
        moved.title,
        render::slashes(&moved.root)
    );
    if only_looks || !prompt::confirm(session, &question)? {
        survey::tell_moved(&view, &moved);
        return Ok(view);
    }
    let edit = GameEdit { root: Some(view.game.root.clone()), ..GameEdit::default() };
    let game = workshop.alter()?.set_game(&moved.id, &edit)?;
    Ok(workshop.game(&game.id, &session.progress())?)
}

/// Runs a command.
pub fn run(command: Command, session: &Session) -> Result<Exit> {
    match command {
        Command::Survey(args) => survey::run(&args, session),
        Command::Inspect(args) => inspect::run(&args, session),
        Command::Compare(args) => compare::run(&args, session),
        Command::Root(args) => root::run(&args, session),
        Command::Game(args) => game::run(&args, session),
        Command::Family(args) => family::run(&args, session),
        Command::Rack(args) => rack::run(&args, session),
        Command::Check(args) => check::run(&args, session),
        Command::Explain(args) => explain::run(&args, session),
        Command::Fit(args) => fit::run(&args, session),
        Command::Rollback(args) => rollback::run(&args, session),
        Command::Undo(args) => undo::run(&args, session),
        Command::Drift(args) => drift::run(&args, session),
        Command::Refit(args) => refit::run(&args, session),
        Command::Adopt(args) => adopt::run(&args, session),
        Command::Park(args) => park::park(&args, session),
        Command::Unpark(args) => park::unpark(&args, session),
        Command::Pin(args) => pin::pin(&args, session),
        Command::Unpin(args) => pin::unpin(&args, session),
        Command::History(args) => history::run(&args, session),
        Command::Doctor(args) => doctor::run(&args, session),
        Command::Demo(args) => demo::run(&args, session),
    }
}
