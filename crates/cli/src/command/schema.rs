//! `schema`: what programs can rely on in the documents of `--json`, as `docs/schema/` has it.

use std::fs;
use std::path::Path;

use anyhow::{Context, Result};
use upright_spanner_core::catalog;

use crate::document::schema;
use crate::exit::Exit;
use crate::text::slashes;

/// Writes a JSON Schema a document, and those of files that people write below.
pub fn run(folder: &Path) -> Result<Exit> {
    let failed = || format!("could not write the schemas into {}", slashes(folder));
    fs::create_dir_all(folder).with_context(failed)?;
    for (name, schema) in schema::all() {
        let text = serde_json::to_string_pretty(&schema)? + "\n";
        fs::write(folder.join(format!("{name}.json")), text).with_context(failed)?;
    }

    let files = folder.join("files");
    fs::create_dir_all(&files).with_context(failed)?;
    let text = serde_json::to_string_pretty(&catalog::schema())? + "\n";
    fs::write(files.join("catalog.json"), text).with_context(failed)?;
    Ok(Exit::Done)
}
