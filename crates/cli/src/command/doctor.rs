//! `doctor`: looks the home folder over.

use anyhow::Result;

use crate::args;
use crate::exit::Exit;
use crate::prompt;
use crate::render::{self, bytes, count, hint, time};
use crate::session::Session;

pub fn run(args: &args::Doctor, session: &Session) -> Result<Exit> {
    let mut workshop = if args.dry_run { session.look()? } else { session.alter()? };
    if args.reclaim {
        let waste = workshop.waste()?;
        let text = format!(
            "{} of {} in the store are needed by no build and no rollback point ({}).",
            bytes(waste.bytes),
            bytes(waste.of),
            count(waste.files.len(), "file")
        );
        hint(session, &text)?;
        if args.dry_run || waste.files.is_empty() {
            return Ok(Exit::Done);
        }
        if !prompt::confirm(session, "Remove them?")? {
            hint(session, "Nothing was removed. To do it: spanner doctor --reclaim --yes")?;
            return Ok(Exit::Done);
        }
        let removed = workshop.reclaim()?;
        hint(session, &format!("Removed: {}.", bytes(removed.bytes)))?;
        return Ok(Exit::Done);
    }
    let diagnosis = workshop.doctor(args.deep, args.dry_run, &session.progress())?;
    if session.json {
        render::json(&time::diagnosis_document(&diagnosis))?;
    } else {
        time::print_diagnosis(&diagnosis, args.deep, args.dry_run, session)?;
    }
    Ok(if diagnosis.is_ill() { Exit::Attend } else { Exit::Done })
}
