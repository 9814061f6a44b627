//! `park` and `unpark`: a component out for now, and back as it was.

use anyhow::Result;

use super::carry_out::{ActOptions, Messages, START, carry_out};
use super::target;
use crate::args;
use crate::exit::Exit;
use crate::render::quoted;
use crate::session::Session;

pub fn park(args: &args::Park, session: &Session) -> Result<Exit> {
    let workshop = session.open_for(args.dry_run)?;
    let view = target::game(&workshop, &args.game, args.dry_run, session)?;
    let plan = workshop.plan_park(&view, &args.family)?;
    let talk = Messages {
        question: None,
        nothing: "There is nothing to take out.",
        next: START,
        back: format!("spanner unpark {} {}", view.game.id, quoted(&args.family)),
    };

    let wish = ActOptions { despite: &args.despite, dry_run: args.dry_run };
    carry_out(&workshop, plan, &wish, &talk, session)
}

pub fn unpark(args: &args::Park, session: &Session) -> Result<Exit> {
    let workshop = session.open_for(args.dry_run)?;
    let view = target::game(&workshop, &args.game, args.dry_run, session)?;
    let plan = workshop.plan_unpark(&view, &args.family, &args.despite)?;
    let talk = Messages {
        question: None,
        nothing: "Everything is back already.",
        next: START,
        back: "spanner undo".to_owned(),
    };

    let wish = ActOptions { despite: &args.despite, dry_run: args.dry_run };
    carry_out(&workshop, plan, &wish, &talk, session)
}
