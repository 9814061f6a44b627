//! `hold`: keeps a launcher from updating a game, or lets it again.

use anyhow::Result;
use upright_spanner_core::HoldRequest;

use super::carry_out::{ActOptions, Messages, carry_out};
use super::target;
use crate::args;
use crate::exit::Exit;
use crate::render::quoted;
use crate::session::Session;

pub fn run(args: &args::Hold, session: &Session) -> Result<Exit> {
    let workshop = session.open_for(args.dry_run)?;
    let view = target::game(&workshop, &args.game, args.dry_run, session)?;
    let game = quoted(&view.game.id);
    let (plan, nothing, next) = if args.lift {
        let plan = workshop.plan_lift(&view)?;
        (plan, "Nothing to lift: no launcher is kept from updating this game.", String::new())
    } else {
        let wish = HoldRequest { why: args.why.clone(), file: args.file.clone() };
        let plan = workshop.plan_hold(&view, &wish)?;
        let next = format!("To let it update the game again: spanner hold {game} --lift");
        (plan, "It is held already.", next)
    };
    let talk = Messages { question: None, nothing, next: &next, back: String::new() };
    let wish = ActOptions { despite: &args.despite, dry_run: args.dry_run };
    carry_out(&workshop, plan, &wish, &talk, session)
}
