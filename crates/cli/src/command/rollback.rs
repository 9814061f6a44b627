//! `rollback`: puts back what the game came with, or what was there at an earlier point.

use anyhow::Result;
use jiff::civil::Date;
use jiff::tz::TimeZone;
use upright_spanner_core::plan::{NothingToDo, Point};
use upright_spanner_core::{ChangeError, Error, Workshop};

use super::carry_out::{START, Talk, Wish, carry_out};
use super::target;
use crate::args;
use crate::exit::Exit;
use crate::session::Session;

pub fn run(args: &args::Rollback, session: &Session) -> Result<Exit> {
    let workshop = session.open_for(args.dry_run)?;
    let view = target::game(&workshop, &args.game, args.dry_run, session)?;
    let to = point(&args.to, &workshop)?;
    let family = args.family.as_deref();
    let (plan, nothing) = workshop.plan_rollback(&view, family, to, args.settings)?;
    let talk = Talk {
        question: None,
        nothing: match nothing {
            Some(NothingToDo::NothingRecorded) => {
                "Nothing to roll back: spanner has not changed any file of this game."
            }
            Some(NothingToDo::LeftAlone) => {
                "Nothing to roll back: what differs was changed by something else since then, and stays."
            }
            _ => "Nothing to roll back: every file is already as it was then.",
        },
        next: START,
        back: "spanner undo".to_owned(),
    };

    let wish = Wish { despite: &args.despite, dry_run: args.dry_run };
    carry_out(&workshop, plan, &wish, &talk, session)
}

/// The point that a text names: `shipped`, a change, or a day.
fn point(text: &str, workshop: &Workshop) -> Result<Point> {
    if text == "shipped" {
        return Ok(Point::Shipped);
    }
    if let Ok(number) = text.parse::<i64>() {
        let known = number == 0 || workshop.history()?.changes.iter().any(|c| c.number() == number);
        return if known {
            Ok(Point::After(number))
        } else {
            Err(Error::from(ChangeError::Unknown { number }).into())
        };
    }

    let day = text.parse::<Date>().map_err(|_| Error::Invalid {
        what: format!("`{text}` is not a point in time"),
        remedy: "Write `shipped`, the number of a change, or a day as in 2026-03-09.".into(),
    })?;
    let end = day.tomorrow()?.to_zoned(TimeZone::system())?.timestamp();
    Ok(Point::After(workshop.change_at(end)?))
}
