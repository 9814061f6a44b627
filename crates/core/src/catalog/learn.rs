//! Writes a catalog entry from a sample file.

use std::path::Path;

use toml_edit::{ArrayOfTables, DocumentMut, Item, Table, value};

use super::entry::{FamilyEntry, LONGEST_CATALOG, SCHEMA};
use super::identity::{family_of, role_of, slug};
use super::pattern::escape;
use super::role::Role;
use crate::error::{Error, GameError, Result};
use upright_spanner_change::{Folder, line};
use upright_spanner_image::Facts;
use upright_spanner_image::file::text_of;

/// The user's answers about a learned family.
#[derive(Debug, Clone, Default)]
pub struct Lesson {
    /// The id, if the file's own name is not wanted.
    pub id: Option<String>,
    /// The role, if the file's own words do not give it.
    pub role: Option<Role>,
    /// The group of related families that it belongs to.
    pub group: Option<String>,
    /// Its name for people.
    pub title: Option<String>,
}

/// Describes a sample file in the catalog file at `path`; gives the id of the new family.
///
/// # Errors
/// If the id is not valid, or the file cannot be read or written.
pub(crate) fn learn(path: &Path, facts: &Facts, file_name: &str, lesson: Lesson) -> Result<String> {
    let entry = entry(facts, file_name, lesson);
    if slug(&entry.id) != entry.id || entry.id.is_empty() {
        return Err(GameError::Id { like: slug(&entry.id), id: entry.id }.into());
    }
    append(path, &entry)?;
    Ok(entry.id)
}

/// The entry that describes a file: by its author's statements if it has any, else by its name.
fn entry(facts: &Facts, file_name: &str, lesson: Lesson) -> FamilyEntry {
    let text = |key: &str| facts.string(key).map(str::to_owned);
    let original = text("OriginalFilename");
    let tells =
        text("CompanyName").is_some() && (original.is_some() || text("ProductName").is_some());

    FamilyEntry {
        id: lesson.id.unwrap_or_else(|| family_of(facts, file_name)),
        title: lesson.title.or_else(|| text("FileDescription")),
        role: lesson.role.or_else(|| role_of(facts)),
        group: lesson.group,
        // A file that states its maker and product may have any name in a game.
        names: if tells && original.is_some() { Vec::new() } else { vec![file_name.to_owned()] },
        company: text("CompanyName").filter(|_| tells),
        product: text("ProductName").filter(|_| tells),
        original_name: original.filter(|_| tells),
        linked_name: if tells { None } else { facts.export_name.clone() },
        ..FamilyEntry::default()
    }
}

/// Adds an entry to a catalog file, and keeps the rest of the file.
fn append(path: &Path, entry: &FamilyEntry) -> Result<()> {
    let text = match text_of(path, LONGEST_CATALOG) {
        Ok(text) => text,
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => {
            format!(
                "# Families learned from files. The format is described in docs/formats.md.\nschema = {SCHEMA}\n"
            )
        }
        Err(error) => return Err(Error::io("read", path)(error)),
    };

    let damaged = |what: String| Error::io("add to", path)(std::io::Error::other(what));
    let mut document: DocumentMut =
        text.parse().map_err(|e: toml_edit::TomlError| damaged(e.message().to_owned()))?;
    let families = document
        .entry("family")
        .or_insert(Item::ArrayOfTables(ArrayOfTables::new()))
        .as_array_of_tables_mut()
        .ok_or_else(|| damaged("`family` is not a list of tables".to_owned()))?;
    families.push(table(entry));

    let folder = Folder::make(path.parent().unwrap_or(Path::new(".")))?;
    let name = path.file_name().unwrap_or_default().to_string_lossy();
    Ok(line::write_over(&folder, &name, &document.to_string())?)
}

fn table(entry: &FamilyEntry) -> Table {
    let mut table = Table::new();
    table["id"] = value(&entry.id);
    let role = entry.role.map(|role| role.name().to_owned());
    let texts = [("title", &entry.title), ("role", &role), ("group", &entry.group)];
    for (key, text) in texts {
        if let Some(text) = text {
            table[key] = value(text);
        }
    }

    if !entry.names.is_empty() {
        table["names"] = value(entry.names.iter().collect::<toml_edit::Array>());
    }
    for (key, text) in [
        ("company", &entry.company),
        ("product", &entry.product),
        ("original-name", &entry.original_name),
        ("linked-name", &entry.linked_name),
    ] {
        if let Some(text) = text {
            table[key] = value(escape(text));
        }
    }

    table
}
