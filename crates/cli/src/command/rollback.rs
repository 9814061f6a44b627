//! `rollback`: restores the shipped files, or those of an earlier point.

use anyhow::Result;
use jiff::civil::Date;
use jiff::tz::TimeZone;
use upright_spanner_core::plan::{NothingToDo, Point, Selection};
use upright_spanner_core::{ChangeError, Error, Workshop};

use super::carry_out::{ActOptions, Messages, START, carry_out};
use super::several::{self, Job, Several};
use super::survey::survey_known;
use super::target;
use crate::args;
use crate::exit::Exit;
use crate::render::quoted;
use crate::session::Session;

pub fn run(args: &args::Rollback, session: &Session) -> Result<Exit> {
    let workshop = session.open_for(args.dry_run)?;
    let Some(game) = &args.game else { return all(args, &workshop, session) };
    let view = target::game(&workshop, game, args.dry_run, session)?;
    let to = point(&args.to, &workshop)?;
    let of = match &args.family {
        Some(family) => Selection::Family(family),
        None if args.saves => Selection::Saves,
        None => Selection::Everything,
    };
    let (plan, nothing) = workshop.plan_rollback(&view, of, to, args.settings)?;
    let talk = Messages {
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

    let wish = ActOptions { despite: &args.despite, dry_run: args.dry_run };
    carry_out(&workshop, plan, &wish, &talk, session)
}

/// Every known game that has something to put back.
fn all(args: &args::Rollback, workshop: &Workshop, session: &Session) -> Result<Exit> {
    let to = point(&args.to, workshop)?;
    let family = args.all.as_deref().filter(|family| !family.is_empty());
    let of = family.map_or(Selection::Everything, Selection::Family);
    let survey = survey_known(workshop, session)?;
    let (mut jobs, mut several) = (Vec::new(), Several::default());
    for view in &survey.games {
        match workshop.plan_rollback(view, of, to, args.settings) {
            Ok((plan, Some(NothingToDo::NothingRecorded))) if plan.is_empty() => {}
            Ok((plan, _)) => {
                jobs.push(Job { what: family.unwrap_or("all of it").to_owned(), plan });
            }
            // A game that had nothing of the family has nothing to put back.
            Err(Error::Change(ChangeError::UnknownFamily { .. })) => {}
            Err(error) => several.fails(&view.game.id, &error.into()),
        }
    }
    let named = family.map_or_else(String::new, |family| format!(" {}", quoted(family)));
    let talk = several::SeveralMessages {
        nothing: "Nothing to roll back in any known game.",
        question: &|games| format!("Put back what {games} came with?"),
        again: &format!("spanner rollback --all{named}"),
    };
    let wish = ActOptions { despite: &args.despite, dry_run: args.dry_run };
    several.carry_out(jobs, workshop, &wish, &talk, session)
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
