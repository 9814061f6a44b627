//! `start`: starts a game with the right program, and waits for a proof if requested.

use std::time::Duration;

use anyhow::Result;
use upright_spanner_core::prove::ProofRequest;
use upright_spanner_core::survey::GameView;
use upright_spanner_core::{Started, Workshop};

use super::{prove, refit, target};
use crate::args;
use crate::document::start::StartDocument;
use crate::exit::Exit;
use crate::prompt;
use crate::render::{self, quoted};
use crate::session::Session;

pub fn run(args: &args::Start, session: &Session) -> Result<Exit> {
    let workshop = session.look()?;
    let view = target::game(&workshop, &args.game, true, session)?;
    let start = workshop.plan_start(&view, args.program.as_deref(), &args.arguments)?;
    let before = workshop.before_start(&view)?;
    let mut document = StartDocument::new(&start, &before);
    if !session.json {
        render::start::print(&start, &before, session)?;
    }
    // A start that is not possible is reported before anything else.
    start.command()?;
    if args.dry_run {
        if session.json {
            render::json(&document)?;
        }
        return Ok(Exit::Done);
    }

    let offer = "Restore the changed files before the start?";
    if !session.json && !before.drifted.is_empty() && prompt::confirm(session, offer)? {
        refit::put_back(&view, session)?;
        workshop.refresh();
    }

    let mut started = workshop.start(&start, session.verbose)?;
    document.started(started.at);
    if args.prove {
        return prove_it(args, &workshop, &view, &mut started, document, session);
    }
    if args.wait {
        let code = started.wait()?;
        document.ended(code);
        if !session.json {
            render::start::print_end(code, session)?;
        }
    }
    if session.json {
        render::json(&document)?;
    } else if !args.wait {
        render::hint(session, &format!("Started. Next: spanner prove {}", quoted(&view.game.id)))?;
    }
    Ok(Exit::Done)
}

/// Waits until each component proved itself, and says whether it did.
fn prove_it(
    args: &args::Start,
    workshop: &Workshop,
    view: &GameView,
    started: &mut Started,
    mut document: StartDocument,
    session: &Session,
) -> Result<Exit> {
    let wish = ProofRequest { look_inside: args.look_inside, ..ProofRequest::default() };
    let patience = Duration::from_secs(args.within);
    let waiting = render::start::Waiting::new(args.within, session);
    let mut each = |proof: &_| waiting.show(proof);
    let proof = workshop.prove_started(view, &wish, started, patience, &mut each)?;
    waiting.end();
    prove::note(workshop, view, &proof);
    if session.json {
        document.proved(&proof);
        render::json(&document)?;
    } else {
        render::start::print_gap()?;
        render::prove::print(view, &proof, session)?;
    }
    Ok(prove::exit(&proof))
}
