//! `doctor`: looks the home folder over.

use std::io::Write;

use anyhow::Result;
use upright_spanner_core::Workshop;

use crate::args;
use crate::document::doctor::{DiagnosisDocument, Reclaimable, Settled};
use crate::exit::Exit;
use crate::progress::acting;
use crate::prompt;
use crate::render::{self, bytes, count, hint};
use crate::session::Session;

pub fn run(args: &args::Doctor, session: &Session) -> Result<Exit> {
    let workshop =
        if args.dry_run { session.look()? } else { session.alter_to_show(args.settle)? };
    if let Some(number) = args.settle {
        return settle(&workshop, number, args.dry_run, session);
    }
    if args.reclaim {
        return reclaim(&workshop, args, session);
    }

    let diagnosis = workshop.examine(args.deep, &session.progress())?;
    let mend = || acting(|| workshop.alter()?.mend(&diagnosis));
    let mended = if args.dry_run { None } else { Some(mend()?) };

    if session.json {
        render::json(&DiagnosisDocument::new(&diagnosis, mended.as_ref()))?;
    } else {
        render::doctor::print_diagnosis(&diagnosis, mended.as_ref(), args.deep, session)?;
    }

    Ok(if render::doctor::is_ill(&diagnosis, mended.as_ref()) { Exit::Attend } else { Exit::Done })
}

/// Shows the targets of an interrupted change, and settles it after asking.
fn settle(workshop: &Workshop, number: i64, dry_run: bool, session: &Session) -> Result<Exit> {
    let (change, targets) = workshop.look_at_interrupted(number, &session.progress())?;
    let text = format!("change {number} ({}, {}):", change.game(), change.summary());
    hint(session, &text)?;
    for target in targets.iter().filter(|_| !session.quiet && !session.json) {
        let how = format!("{}: {}", target.target, target.how);
        write!(anstream::stdout(), "{}", render::wrapped(&how, "  ", 2, session.width))?;
    }

    let is_meant = !dry_run
        && prompt::remove(session, "Stop trying to revert it, and keep the present files?")?;
    if is_meant {
        acting(|| workshop.alter()?.settle(number, &session.progress()))?;
        session.look_again(workshop)?;
        hint(session, "The present files are kept. The change no longer waits.")?;
    } else {
        hint(session, "Nothing was changed.")?;
    }

    if session.json {
        render::json(&Settled::new(number, &targets, is_meant))?;
    }
    Ok(Exit::Done)
}

/// Shows unneeded contents, and removes them after asking.
fn reclaim(workshop: &Workshop, args: &args::Doctor, session: &Session) -> Result<Exit> {
    let found = workshop.unreferenced()?;
    let text = format!(
        "{} of {} in the store are needed by no build and no rollback point ({}).",
        bytes(found.bytes),
        bytes(found.of),
        count(found.contents.len(), "file")
    );
    hint(session, &text)?;

    let asked = !args.dry_run && !found.contents.is_empty();
    let removed = asked && prompt::confirm(session, "Remove them?")?;
    if removed {
        let removed = acting(|| workshop.alter()?.reclaim(&args.despite))?;
        hint(session, &format!("Removed: {}.", bytes(removed.bytes)))?;
    } else if asked {
        hint(session, "Nothing was removed. To do it: spanner doctor --reclaim --yes")?;
    }

    if session.json {
        render::json(&Reclaimable::new(&found, removed))?;
    }
    Ok(Exit::Done)
}
