//! `fit`: puts a build into a game, keeping what was there.

use anyhow::Result;

use crate::args;
use crate::exit::Exit;
use crate::prompt;
use crate::render::{self, plan};
use crate::session::Session;

pub fn run(args: &args::Fit, session: &Session) -> Result<Exit> {
    let mut workshop = if args.dry_run { session.look()? } else { session.alter()? };
    let progress = session.progress();
    let view = workshop.game(&args.game, &progress)?;
    let fit = workshop.plan_fit(&view, &args.build, &progress)?;
    if !session.json {
        plan::print(&fit.plan, session)?;
    }
    if !fit.plan.stops().is_empty() {
        if session.json {
            render::json(&plan::document(&fit.plan))?;
        }
        return Ok(Exit::Refused);
    }
    let again =
        format!("spanner fit {} {}", render::quoted(&args.game), render::quoted(&args.build));
    if args.dry_run || fit.plan.steps.is_empty() {
        if session.json {
            render::json(&plan::document(&fit.plan))?;
        } else if args.dry_run && !fit.plan.steps.is_empty() {
            render::hint(session, &format!("Dry run: nothing was changed. To do it: {again}"))?;
        }
        return Ok(Exit::Done);
    }
    if !prompt::go_on(session, "Swap these files?")? {
        render::hint(session, "Nothing was changed.")?;
        return Ok(Exit::Done);
    }
    let family = fit.build.id.family.clone();
    let change = workshop.fit(fit, &progress)?;
    if session.json {
        render::json(&plan::change_document(&change))?;
    } else {
        let back = format!("spanner rollback {} {family}", view.game.id);
        plan::print_done(&change, &back, session)?;
    }
    Ok(Exit::Done)
}
