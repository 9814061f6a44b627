//! `park` and `unpark`: a component out for now, and back as it was.

use anyhow::Result;

use super::{Talk, carry_out};
use crate::args;
use crate::exit::Exit;
use crate::render::quoted;
use crate::session::Session;

pub fn park(args: &args::Park, session: &Session) -> Result<Exit> {
    let mut workshop = if args.dry_run { session.look()? } else { session.alter()? };
    let view = workshop.game(&args.game, &session.progress())?;
    let plan = workshop.plan_park(&view, &args.family)?;
    let talk = Talk {
        question: "Take these files out?",
        nothing: "There is nothing to take out.",
        next: format!("spanner unpark {} {}", view.game.id, quoted(&args.family)),
    };
    carry_out(&mut workshop, plan, args.dry_run, &talk, session)
}

pub fn unpark(args: &args::Park, session: &Session) -> Result<Exit> {
    let mut workshop = if args.dry_run { session.look()? } else { session.alter()? };
    let progress = session.progress();
    let view = workshop.game(&args.game, &progress)?;
    let plan = workshop.plan_unpark(&view, &args.family, &args.despite)?;
    let talk = Talk {
        question: "Put these files back?",
        nothing: "Everything is back already.",
        next: format!("spanner check {}", view.game.id),
    };
    carry_out(&mut workshop, plan, args.dry_run, &talk, session)
}
