//! `doctor`: looks the home folder over.

use anyhow::Result;
use upright_spanner_core::Workshop;

use crate::args;
use crate::exit::Exit;
use crate::prompt;
use crate::render::{self, bytes, count, hint, time};
use crate::session::Session;

pub fn run(args: &args::Doctor, session: &Session) -> Result<Exit> {
    let mut workshop = if args.dry_run { session.look()? } else { session.alter()? };
    if args.reclaim {
        return reclaim(&mut workshop, args.dry_run, session);
    }
    let diagnosis = workshop.doctor(args.deep, args.dry_run, &session.progress())?;
    if session.json {
        render::json(&time::diagnosis_document(&diagnosis))?;
    } else {
        time::print_diagnosis(&diagnosis, args.deep, args.dry_run, session)?;
    }
    Ok(if diagnosis.is_ill() { Exit::Attend } else { Exit::Done })
}

/// Shows what nothing needs, and removes it if that is meant.
fn reclaim(workshop: &mut Workshop, dry_run: bool, session: &Session) -> Result<Exit> {
    let waste = workshop.waste()?;
    let text = format!(
        "{} of {} in the store are needed by no build and no rollback point ({}).",
        bytes(waste.bytes),
        bytes(waste.of),
        count(waste.files.len(), "file")
    );
    hint(session, &text)?;
    let asked = !dry_run && !waste.files.is_empty();
    let removed = asked && prompt::confirm(session, "Remove them?")?;
    if removed {
        let removed = workshop.reclaim()?;
        hint(session, &format!("Removed: {}.", bytes(removed.bytes)))?;
    } else if asked {
        hint(session, "Nothing was removed. To do it: spanner doctor --reclaim --yes")?;
    }
    if session.json {
        render::json(&time::waste_document(&waste, removed))?;
    }
    Ok(Exit::Done)
}
