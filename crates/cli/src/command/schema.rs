//! `schema`: what programs can rely on in the documents of `--json`, as `docs/schema/` has it.

use std::fs;
use std::path::Path;

use anyhow::{Context, Result};

use crate::document::schema;
use crate::exit::Exit;
use crate::text::slashes;

/// Writes a JSON Schema a document.
pub fn run(folder: &Path) -> Result<Exit> {
    let failed = || format!("could not write the schemas into {}", slashes(folder));
    fs::create_dir_all(folder).with_context(failed)?;
    for (name, schema) in schema::all() {
        let text = serde_json::to_string_pretty(&schema)? + "\n";
        fs::write(folder.join(format!("{name}.json")), text).with_context(failed)?;
    }
    Ok(Exit::Done)
}
