//! The description of a launcher: a TOML file of the home's folder `launchers`, described in docs/formats.md.

use std::fs;
use std::path::{Path, PathBuf};

use regex::{Regex, RegexBuilder};
use serde::Deserialize;

use crate::catalog::slug;
use crate::error::{CatalogError, line_at};
use upright_spanner_image::file::text_of;
use upright_spanner_settings::{Format, KeyPath};

/// The longest description: it has some twenty lines.
const LONGEST: u64 = 64 << 10;

/// So much memory a pattern may take.
const LARGEST_PATTERN: usize = 1 << 20;

/// The names of groups in patterns.
const GROUPS: [&str; 7] = ["title", "folder", "build", "next", "waiting", "id", "library"];

/// A launcher as the user describes it.
#[derive(Debug, Clone)]
pub struct Launcher {
    /// Its name here.
    pub name: String,
    /// The locations of its records, with placeholders and `*`.
    pub records: Vec<String>,
    /// The patterns for a record: regular expressions with named groups.
    pub(crate) patterns: Vec<Regex>,
    /// The folder of a game, with the placeholder `{folder}`; by default the record has a whole path.
    pub(crate) games: Option<String>,
    /// If it writes down its library roots, and how.
    pub(crate) libraries: Option<(Vec<String>, Regex)>,
    /// How it starts a game: an address or a command, with `{id}` and other placeholders.
    pub start: Option<String>,
    /// The key of a record that keeps it from updating a game; by default the read-only mark.
    pub hold: Option<HoldKey>,
}

/// A key of a record that keeps a launcher from updating a game.
#[derive(Debug, Clone)]
pub struct HoldKey {
    /// How the record is written.
    pub format: Format,
    /// The key.
    pub path: KeyPath,
    /// The value that it is to have, in plain text.
    pub value: String,
}

/// The launchers that the user describes.
#[derive(Debug, Clone, Default)]
pub struct Launchers {
    /// Those that can be used.
    pub launchers: Vec<Launcher>,
    /// Files that cannot.
    pub errors: Vec<CatalogError>,
}

impl Launchers {
    /// Reads every `.toml` file of a folder, in the order of their names.
    pub fn read_folder(folder: &Path) -> Self {
        let mut known = Self::default();
        let entries = fs::read_dir(folder).into_iter().flatten().flatten();
        let mut files: Vec<PathBuf> = entries.map(|entry| entry.path()).collect();
        files.retain(|path| path.extension().is_some_and(|end| end.eq_ignore_ascii_case("toml")));
        files.sort();
        for path in files {
            let text = text_of(&path, LONGEST).map_err(|error| CatalogError {
                path: path.clone(),
                line: 1,
                what: format!("it cannot be read: {error}"),
            });
            match text.and_then(|text| parse(&path, &text)) {
                Ok(launchers) => known.launchers.extend(launchers),
                Err(error) => known.errors.push(error),
            }
        }
        known
    }

    /// The launcher of a name.
    pub fn named(&self, name: &str) -> Option<&Launcher> {
        self.launchers.iter().find(|launcher| launcher.name == slug(name))
    }
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct DescriptionFile {
    schema: u32,
    launcher: Vec<Entry>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
struct Entry {
    name: String,
    records: Vec<String>,
    patterns: Vec<String>,
    games: Option<String>,
    libraries: Option<LibrariesEntry>,
    start: Option<String>,
    hold: Option<HoldEntry>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
struct LibrariesEntry {
    files: Vec<String>,
    pattern: String,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
struct HoldEntry {
    format: String,
    key: Vec<String>,
    value: String,
}

/// Reads a description.
///
/// # Errors
/// With the line, if it cannot be understood.
pub fn parse(path: &Path, text: &str) -> Result<Vec<Launcher>, CatalogError> {
    let wrong = |line: usize, what: String| CatalogError { path: path.to_owned(), line, what };
    let file: DescriptionFile =
        toml::from_str(text).map_err(|error| CatalogError::of_toml(path, text, &error))?;
    if file.schema != 1 {
        return Err(wrong(1, format!("schema {} is not known", file.schema)));
    }
    let launchers = file.launcher.into_iter().map(|entry| {
        let line = text.find(&entry.name).map_or(1, |at| line_at(text, at));
        entry.into_launcher().map_err(|what| wrong(line, what))
    });
    launchers.collect()
}

impl Entry {
    fn into_launcher(self) -> Result<Launcher, String> {
        let name = slug(&self.name);
        if name.is_empty() {
            return Err(format!("`{}` is not a valid name", self.name));
        }
        if self.records.is_empty() || self.patterns.is_empty() {
            return Err(format!("{name} needs records and patterns"));
        }
        let patterns =
            self.patterns.iter().map(|text| pattern(text)).collect::<Result<Vec<_>, _>>()?;
        let libraries = match self.libraries {
            None => None,
            Some(LibrariesEntry { files, pattern: text }) => {
                let pattern = pattern(&text)?;
                if !pattern.capture_names().flatten().any(|group| group == "library") {
                    return Err(format!("`{text}` has no group (?<library>...)"));
                }
                files.iter().try_for_each(|place| expect_place(place))?;
                Some((files, pattern))
            }
        };
        self.records.iter().try_for_each(|place| expect_place(place))?;
        let hold = match self.hold {
            None => None,
            Some(HoldEntry { format, key, value }) => Some(HoldKey {
                format: Format::from_name(&format)
                    .ok_or_else(|| format!("no format `{format}`"))?,
                path: KeyPath::new(key).ok_or("the key of `hold` has no name")?,
                value,
            }),
        };
        let (records, games, start) = (self.records, self.games, self.start);
        Ok(Launcher { name, records, patterns, games, libraries, start, hold })
    }
}

fn pattern(text: &str) -> Result<Regex, String> {
    let built = RegexBuilder::new(text).size_limit(LARGEST_PATTERN).build();
    let pattern =
        built.map_err(|error| format!("`{text}` is not a regular expression: {error}"))?;
    let mut groups = pattern.capture_names().flatten();
    match groups.find(|group| !GROUPS.contains(group)) {
        Some(other) => Err(format!("`{text}` has the group {other}, which says nothing here")),
        None if pattern.captures_len() == 1 => {
            Err(format!("`{text}` has no group, such as (?<title>...)"))
        }
        None => Ok(pattern),
    }
}

/// A place begins with one of the placeholders for it.
fn expect_place(place: &str) -> Result<(), String> {
    const MARKS: [&str; 4] = ["{library}/", "{documents}/", "{local}/", "{roaming}/"];
    let is_plain = !place.split(['/', '\\']).any(|part| part == "..");
    if is_plain && MARKS.iter().any(|mark| place.starts_with(mark)) {
        return Ok(());
    }
    Err(format!("`{place}` does not begin with {} or with {}", MARKS[0], MARKS[1..].join(", ")))
}
