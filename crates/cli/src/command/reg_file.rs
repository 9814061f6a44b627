//! Registry values, written to a `.reg` file instead.

use std::io::Write;
use std::path::Path;

use anyhow::{Context, Result};
use upright_spanner_core::Error;
use upright_spanner_core::plan::Plan;
use upright_spanner_core::registry::RegFile;

use crate::render::{self, slashes};
use crate::session::Session;

/// Writes the registry values of a plan to a new file, unless it is a dry run or something stops the plan. Returns
/// whether there were any.
pub fn write(file: Option<&Path>, plan: &Plan, dry_run: bool, session: &Session) -> Result<bool> {
    let Some(file) = file.filter(|_| !plan.written.is_empty() && plan.stops().is_empty()) else {
        return Ok(false);
    };
    if dry_run {
        return Ok(true);
    }
    if file.symlink_metadata().is_ok() {
        return Err(Error::Invalid {
            what: format!("{} is there already", slashes(file)),
            remedy: "Name a file that is not: --reg-file FILE".into(),
        }
        .into());
    }
    let failed = || format!("could not write {}", slashes(file));
    let mut open = std::fs::File::create_new(file).with_context(failed)?;
    open.write_all(&RegFile::write(&plan.written)).with_context(failed)?;
    render::hint(session, &format!("The values for the registry are in {}", slashes(file)))?;
    Ok(true)
}
