//! `refit`: puts fitted builds back that something else has overwritten.

use anyhow::Result;

use super::carry_out::{START, Talk, Wish, carry_out_untold};
use super::survey::{survey_known, tell_gone};
use super::target;
use crate::args;
use crate::exit::Exit;
use crate::render::{self, document, plan::several_document};
use crate::session::Session;

pub fn run(args: &args::Refit, session: &Session) -> Result<Exit> {
    let workshop = session.open_for(args.dry_run)?;
    let views = match &args.game {
        Some(game) => vec![target::game(&workshop, game, args.dry_run, session)?],
        None => survey_known(&workshop, session)?.games,
    };
    let gone = args.game.is_none() && tell_gone(&workshop)?;
    let mut worst = if gone { Exit::Attend } else { Exit::Done };
    let mut documents = Vec::new();
    for view in &views {
        let family = args.family.as_deref();
        let refit = workshop.plan_refit(view, family, &args.despite)?;
        if refit.plan.steps.is_empty() && args.game.is_none() {
            continue;
        }
        let talk = Talk {
            question: None,
            nothing: "Everything that was fitted is in place.",
            next: START,
            back: "spanner undo".to_owned(),
        };
        let wish = Wish { despite: &args.despite, dry_run: args.dry_run };
        let done = carry_out_untold(&workshop, refit.plan, &wish, &talk, session);
        let (exit, document) = match done {
            // What was done to other games is told, and what is to be done to them goes on.
            Err(error) if args.game.is_none() => {
                render::error(&error);
                documents.push(document::failed_game(&view.game.id, &error));
                worst = Exit::Attend;
                continue;
            }
            done => done?,
        };
        documents.push(document);
        if exit != Exit::Done && worst == Exit::Done {
            worst = if args.game.is_some() { exit } else { Exit::Attend };
        }
    }
    if session.json {
        let one = documents.first().filter(|_| args.game.is_some());
        render::json(&one.cloned().unwrap_or_else(|| several_document(&documents)))?;
    } else if documents.is_empty() {
        render::hint(session, "Everything that was fitted is in place.")?;
    }
    Ok(worst)
}
