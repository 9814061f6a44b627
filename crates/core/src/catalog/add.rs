//! Adds a preset or a log to a family in a catalog file, and keeps the rest of the file.

use std::path::Path;

use toml_edit::{Array, ArrayOfTables, DocumentMut, Item, Table, value};

use super::entry::LONGEST_CATALOG;
use super::log::LogEntry;
use crate::error::{Error, Result};
use upright_spanner_change::{Folder, line};
use upright_spanner_image::file::text_of;

/// Adds a preset to a family of a catalog file, in place of one of that name.
///
/// # Errors
/// If the file cannot be read or written, or does not have the family.
pub(crate) fn add_preset(
    path: &Path,
    family: &str,
    name: &str,
    settings: &[(String, String)],
) -> Result<()> {
    let mut preset = Table::new();
    preset["name"] = value(name);
    let mut values = Table::new();
    for (setting, text) in settings {
        values[setting] = value(text);
    }
    preset["settings"] = Item::Table(values);
    add(path, family, "preset", ("name", name), preset)
}

/// Adds a log to a family of a catalog file, in place of one of that file.
///
/// # Errors
/// If the file cannot be read or written, or does not have the family.
pub(super) fn add_log(path: &Path, family: &str, log: &LogEntry) -> Result<()> {
    let mut table = Table::new();
    table["file"] = value(&log.file);
    if let Some(version) = &log.version {
        table["version"] = value(version);
    }
    if !log.errors.is_empty() {
        table["errors"] = value(log.errors.iter().collect::<Array>());
    }
    add(path, family, "log", ("file", &log.file), table)
}

/// Adds a table to one of a family's lists, in place of one whose key has the same value.
fn add(path: &Path, family: &str, list: &str, (key, name): (&str, &str), new: Table) -> Result<()> {
    let text = text_of(path, LONGEST_CATALOG).map_err(Error::io("read", path))?;
    let damaged = |what: String| Error::io("add to", path)(std::io::Error::other(what));
    let mut document: DocumentMut =
        text.parse().map_err(|e: toml_edit::TomlError| damaged(e.message().to_owned()))?;
    let families = document.get_mut("family").and_then(Item::as_array_of_tables_mut);
    let is_it = |table: &&mut Table| table.get("id").and_then(Item::as_str) == Some(family);
    let entry = families.and_then(|families| families.iter_mut().find(is_it));
    let entry = entry.ok_or_else(|| damaged(format!("it does not describe {family}")))?;

    let tables = entry
        .entry(list)
        .or_insert(Item::ArrayOfTables(ArrayOfTables::new()))
        .as_array_of_tables_mut()
        .ok_or_else(|| damaged(format!("`{list}` is not a list of tables")))?;
    let same = |table: &Table| {
        let known = table.get(key).and_then(Item::as_str);
        known.is_some_and(|known| known.eq_ignore_ascii_case(name))
    };
    tables.retain(|table| !same(table));
    tables.push(new);

    let folder = Folder::make(path.parent().unwrap_or(Path::new(".")))?;
    let file = path.file_name().unwrap_or_default().to_string_lossy();
    Ok(line::write_over(&folder, &file, &document.to_string())?)
}
