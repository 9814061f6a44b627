//! What all commands do that alter a game: show the plan, ask, carry it out, and read it back.

use anyhow::Result;
use upright_spanner_core::change::Change;
use upright_spanner_core::plan::Plan;
use upright_spanner_core::progress::Silent;
use upright_spanner_core::start::Chosen;
use upright_spanner_core::{Cleared, Workshop};

use crate::document::change::Changed;
use crate::document::plan::Outcome;
use crate::exit::Exit;
use crate::progress::acting;
use crate::prompt;
use crate::render;
use crate::session::Session;

/// The next step after a change, if nothing more is known about starting the game.
pub const START: &str = "Start the game to see that it works.";

/// The next step after a change: the program that starts the game, and the command that does so and proves it.
pub fn start_it(workshop: &Workshop, game: &str) -> String {
    let start = || -> Result<String> {
        let view = workshop.game(game, &Silent)?;
        let start = workshop.plan_start(&view, None, &[])?;
        let id = render::quoted(&view.game.id);
        let brought = match &start.chosen {
            Chosen::Starter { family } => format!(", the starter of {family}"),
            Chosen::Launcher { name } => format!(", through {name}"),
            _ => String::new(),
        };
        Ok(format!("Start the game with {}{brought}: spanner start {id} --prove", start.what()))
    };
    start().unwrap_or_else(|_| START.to_owned())
}

/// What to say around a plan that is carried out.
pub struct Messages<'a> {
    /// The question before a change; by default what happens to how many files.
    pub question: Option<&'a str>,
    /// What to say if there is nothing to do.
    pub nothing: &'a str,
    /// The next step: a sentence, or a command.
    pub next: &'a str,
    /// The command that goes back; if it is empty, what undoes the change by its number.
    pub back: String,
}

/// The user's options for a plan.
pub struct ActOptions<'a> {
    /// Findings to continue despite.
    pub despite: &'a [String],
    /// Only show the plan.
    pub dry_run: bool,
}

/// Shows a plan, asks, and carries it out: the common part of all commands that place only stored files.
pub fn carry_out(
    workshop: &Workshop,
    plan: Plan,
    wish: &ActOptions<'_>,
    talk: &Messages<'_>,
    session: &Session,
) -> Result<Exit> {
    let (exit, outcome) = carry_out_untold(workshop, plan, wish, talk, session)?;
    if session.json {
        render::json(&outcome)?;
    }
    Ok(exit)
}

/// The same, but leaves the document for programs to the caller.
pub fn carry_out_untold(
    workshop: &Workshop,
    plan: Plan,
    wish: &ActOptions<'_>,
    talk: &Messages<'_>,
    session: &Session,
) -> Result<(Exit, Outcome)> {
    let cleared = workshop.clear(plan, wish.despite);
    let plan = cleared.as_ref().map_or_else(|stopped| &**stopped, Cleared::plan);
    let left = plan.findings.iter().any(|finding| finding.code == "altered-since");
    let attend = if left { Exit::Attend } else { Exit::Done };
    let planned = Outcome::Planned(plan.into());

    if !session.json {
        render::plan::print(plan, session)?;
    }
    let Ok(cleared) = cleared else { return Ok((Exit::Refused, planned)) };
    let is_empty = cleared.plan().steps.is_empty();
    if is_empty || wish.dry_run {
        let nothing = if is_empty { talk.nothing } else { "Dry run: nothing was changed." };
        render::hint(session, nothing)?;
        return Ok((attend, planned));
    }

    if !is_meant(cleared.plan(), talk.question, session)? {
        render::hint(session, "Nothing was changed.")?;
        return Ok((Exit::Done, planned));
    }
    let change = act(workshop, || workshop.alter()?.apply(cleared, &session.progress()))?;
    if !session.json {
        let back = match &talk.back {
            none if none.is_empty() => format!("spanner undo {}", change.number()),
            back => back.clone(),
        };
        render::plan::print_done(&change, talk.next, &back, session)?;
    }
    Ok((attend, Outcome::Done(Changed::new(&change))))
}

/// Asks for confirmation, with the command's question or with what happens to how many files. If files are removed,
/// Enter alone keeps them.
pub fn is_meant(plan: &Plan, question: Option<&str>, session: &Session) -> Result<bool> {
    let question = question.map_or_else(|| render::plan::question(plan), str::to_owned);
    if plan.files().any(|step| step.after().state.is_absent()) {
        prompt::remove(session, &question)
    } else {
        prompt::go_on(session, &question)
    }
}

/// Prints the findings about fitted components after the game itself has changed.
pub fn check_again(workshop: &Workshop, game: &str, session: &Session) -> Result<()> {
    let view = workshop.game(game, &Silent)?;
    let drift = workshop.drift(&view)?;
    let checked = workshop.check_games(std::slice::from_ref(&view))?.pop();
    let is_ours = |family: &str| drift.files.iter().any(|file| file.owner.is_family(family));
    let found = checked.unwrap_or_default().about(is_ours);
    if !found.is_empty() {
        render::hint(session, "The fitted components, with the game as it is now:")?;
    }
    render::check::print_findings(&found, session)
}

/// Alters a game, and looks at its libraries once more a moment later.
pub fn act(
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
