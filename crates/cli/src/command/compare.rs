//! `compare`: what differs between two library files.

use std::path::Path;

use anyhow::Result;
use upright_spanner_core::Error;
use upright_spanner_core::compare::compare;
use upright_spanner_core::inspect::inspect_one;
use upright_spanner_core::inspect::trusted_roots;

use crate::args;
use crate::document::compare::Compared;
use crate::exit::Exit;
use crate::render;
use crate::session::Session;

pub fn run(args: &args::Compare, session: &Session) -> Result<Exit> {
    let trust = trusted_roots(args.trust.as_deref())?;
    let read = |path: &Path| inspect_one(path, trust.as_ref()).map_err(Error::image(path));
    let (old, new) = (read(&args.old)?, read(&args.new)?);
    let comparison = compare(&old, &new);
    if session.json {
        render::json(&Compared::new(&args.old, &args.new, &comparison))?;
    } else {
        render::compare::print(&comparison, session)?;
    }
    Ok(Exit::Done)
}
