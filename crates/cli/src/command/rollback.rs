//! `rollback`: puts back what the game came with, or what was there at an earlier point.

use anyhow::Result;
use jiff::civil::Date;
use jiff::tz::TimeZone;
use upright_spanner_core::plan::Point;
use upright_spanner_core::{Error, Workshop};

use super::{Talk, carry_out};
use crate::args;
use crate::exit::Exit;
use crate::session::Session;

pub fn run(args: &args::Rollback, session: &Session) -> Result<Exit> {
    let mut workshop = if args.dry_run { session.look()? } else { session.alter()? };
    let view = workshop.game(&args.game, &session.progress())?;
    let to = point(&args.to, &workshop)?;
    let plan = workshop.plan_rollback(&view, args.family.as_deref(), to)?;
    let talk = Talk {
        question: "Put these files back?",
        nothing: "Nothing to roll back: every file is already as it was then.",
        next: format!("spanner history {}", view.game.id),
    };
    carry_out(&mut workshop, plan, args.dry_run, &talk, session)
}

/// The point that a text names: `shipped`, a change, or a day.
fn point(text: &str, workshop: &Workshop) -> Result<Point> {
    if text == "shipped" {
        return Ok(Point::Shipped);
    }
    if let Ok(number) = text.parse::<i64>() {
        let known = number == 0 || workshop.history(None)?.iter().any(|c| c.number == number);
        return if known {
            Ok(Point::After(number))
        } else {
            Err(Error::UnknownChange { number }.into())
        };
    }
    let day = text.parse::<Date>().map_err(|_| Error::Setting {
        what: format!("`{text}` is no point in time"),
        advice: "Write `shipped`, the number of a change, or a day as in 2026-03-09.",
    })?;
    let end = day.tomorrow()?.to_zoned(TimeZone::system())?.timestamp();
    Ok(Point::After(workshop.change_at(end)?))
}
