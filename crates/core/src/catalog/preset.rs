//! Writes a preset into a catalog file, beside what stands there.

use std::path::Path;

use toml_edit::{ArrayOfTables, DocumentMut, Item, Table, value};

use super::entry::LONGEST_CATALOG;
use crate::error::{Error, Result};
use upright_spanner_change::{Folder, line};
use upright_spanner_image::file::text_of;

/// Adds a preset to a family of a catalog file, in place of one of that name.
///
/// # Errors
/// Where the file cannot be read or written, or does not have the family.
pub(crate) fn add_preset(
    path: &Path,
    family: &str,
    name: &str,
    settings: &[(String, String)],
) -> Result<()> {
    let text = text_of(path, LONGEST_CATALOG).map_err(Error::io("read", path))?;
    let damaged = |what: String| Error::io("add to", path)(std::io::Error::other(what));
    let mut document: DocumentMut =
        text.parse().map_err(|e: toml_edit::TomlError| damaged(e.message().to_owned()))?;
    let families = document.get_mut("family").and_then(Item::as_array_of_tables_mut);
    let is_it = |table: &&mut Table| table.get("id").and_then(Item::as_str) == Some(family);
    let entry = families.and_then(|families| families.iter_mut().find(is_it));
    let entry = entry.ok_or_else(|| damaged(format!("it does not describe {family}")))?;

    let presets = entry
        .entry("preset")
        .or_insert(Item::ArrayOfTables(ArrayOfTables::new()))
        .as_array_of_tables_mut()
        .ok_or_else(|| damaged("`preset` is not a list of tables".to_owned()))?;
    let same = |table: &Table| {
        let known = table.get("name").and_then(Item::as_str);
        known.is_some_and(|known| known.eq_ignore_ascii_case(name))
    };
    presets.retain(|table| !same(table));

    let mut preset = Table::new();
    preset["name"] = value(name);
    let mut values = Table::new();
    for (setting, text) in settings {
        values[setting] = value(text);
    }
    preset["settings"] = Item::Table(values);
    presets.push(preset);
    let folder = Folder::make(path.parent().unwrap_or(Path::new(".")))?;
    let file = path.file_name().unwrap_or_default().to_string_lossy();
    Ok(line::write_over(&folder, &file, &document.to_string())?)
}
