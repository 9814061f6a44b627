//! `inspect`: the facts of library and program files.

use anyhow::Result;
use upright_spanner_core::inspect;
use upright_spanner_core::inspect::trusted_roots;

use crate::args;
use crate::document::inspect::InspectionDocument;
use crate::exit::Exit;
use crate::render;
use crate::session::Session;

pub fn run(args: &args::Inspect, session: &Session) -> Result<Exit> {
    let trust = trusted_roots(args.trust.as_deref())?;
    let inspection = inspect::inspect(&args.files, trust.as_ref());
    if session.json {
        render::json(&InspectionDocument::from(&inspection))?;
    } else {
        render::inspect::print(&inspection, session)?;
    }
    render::look_errors(&inspection.errors);
    Ok(if inspection.errors.is_empty() { Exit::Done } else { Exit::Attend })
}
