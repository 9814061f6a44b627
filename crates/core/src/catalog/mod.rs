//! Families: what a component is called. The user's catalog says it, else the file itself.

mod entry;
mod learn;
mod pattern;
mod role;

use std::borrow::Cow;
use std::collections::HashMap;
use std::fs;
use std::path::{Path, PathBuf};

pub use crate::error::CatalogError;
use crate::error::{Error, GameError, Result};
use crate::path::{extension, followed, same_name, stem};
pub use entry::{Editions, Family, Generation, Relation, SCHEMA, Stated, Supports, parse};
pub use learn::Lesson;
pub use pattern::{Pattern, Piece};
pub use role::Role;
use upright_spanner_image::file::{bytes_of, text_of};
use upright_spanner_image::{Facts, Version};

/// The catalog file that may lie beside a game's other files.
pub const BESIDE_GAME: &str = "spanner-families.toml";

/// The longest catalog that is read: one of 10,000 families has one to two MB. To read one takes up to eighty
/// times its length in memory.
pub(crate) const LONGEST_CATALOG: u64 = 3 << 20;

/// The longest that is read beside a game, which comes from strangers: several are read at once.
const LONGEST_BESIDE: u64 = 256 << 10;

/// The families that the user describes.
#[derive(Debug, Default, Clone)]
pub struct Catalog {
    families: Vec<Family>,
    index: Index,
    /// Files that cannot be used; the families of the others count all the same.
    pub errors: Vec<CatalogError>,
}

/// Where families are that a name finds, and all others.
#[derive(Debug, Default, Clone)]
struct Index {
    by_name: HashMap<String, Vec<usize>>,
    others: Vec<usize>,
}

impl Index {
    fn of(families: &[Family]) -> Self {
        let mut index = Self::default();
        for (place, family) in families.iter().enumerate() {
            let names = family.names.iter().map(|name| match name {
                Pattern::Text(name) => Some(name),
                Pattern::Pieces(_) => None,
            });
            match names.collect::<Option<Vec<_>>>() {
                Some(names) if !names.is_empty() => {
                    for name in names {
                        index.by_name.entry(name.to_string()).or_default().push(place);
                    }
                }
                _ => index.others.push(place),
            }
        }
        index
    }
}

impl Catalog {
    /// Reads every `.toml` file of a folder, in the order of their names.
    pub fn read_folder(folder: &Path) -> Self {
        let mut catalog = Self::default();
        let Ok(entries) = fs::read_dir(folder) else {
            return catalog;
        };
        let mut files: Vec<PathBuf> = entries.flatten().map(|entry| entry.path()).collect();
        files.retain(|path| path.extension().is_some_and(|end| end.eq_ignore_ascii_case("toml")));
        files.sort();
        for path in files {
            catalog.read_file(&path);
        }
        catalog.index = Index::of(&catalog.families);
        catalog
    }

    /// This catalog with the one that lies in a game's folder before it, if there is one.
    pub fn beside(&self, game: &Path) -> Cow<'_, Self> {
        let mut own = Self::default();
        let path = game.join(BESIDE_GAME);
        // Files of a game come from strangers: no link is followed, and nothing is waited for.
        let is_plain = path.symlink_metadata().is_ok_and(|found| found.is_file());
        if is_plain {
            let text = bytes_of(&path, LONGEST_BESIDE);
            own.take(&path, text.map(|bytes| String::from_utf8_lossy(&bytes).into_owned()));
        }
        if own.families.is_empty() && own.errors.is_empty() {
            return Cow::Borrowed(self);
        }
        own.families.extend(self.families.iter().cloned());
        own.index = Index::of(&own.families);
        Cow::Owned(own)
    }

    fn read_file(&mut self, path: &Path) {
        self.take(path, text_of(&followed(path), LONGEST_CATALOG));
    }

    fn take(&mut self, path: &Path, text: std::io::Result<String>) {
        let text = text.map_err(|error| CatalogError {
            path: path.to_owned(),
            line: 1,
            what: format!("it cannot be read: {error}"),
        });
        match text.and_then(|text| parse(path, &text)) {
            Ok(families) => self.families.extend(families),
            Err(error) => self.errors.push(error),
        }
    }

    /// Every family, in the order in which they are tried.
    pub fn families(&self) -> &[Family] {
        &self.families
    }

    /// The family of a file, if the catalog has it.
    pub fn find(&self, facts: &Facts, file_name: &str) -> Option<&Family> {
        let stated = Stated::of(facts, file_name);
        let first = |among: &[usize]| {
            among.iter().copied().find(|&place| self.families[place].matches(&stated))
        };
        let named = self.index.by_name.get(&stated.name).and_then(|among| first(among));
        let place = first(&self.index.others).into_iter().chain(named).min()?;
        self.families.get(place)
    }

    /// The family of that id.
    pub fn family(&self, id: &str) -> Option<&Family> {
        self.families.iter().find(|family| same_name(&family.id, id))
    }

    /// The id of a file's family: the catalog's, else the one that the file itself tells.
    pub fn family_of(&self, facts: &Facts, file_name: &str) -> String {
        let known = self.find(facts, file_name).map(|family| family.id.clone());
        known.unwrap_or_else(|| family_of(facts, file_name))
    }

    /// Describes a sample file in the catalog file at `path`; gives the id of the new family.
    pub fn learn(
        path: &Path,
        facts: &Facts,
        file_name: &str,
        lesson: Lesson,
    ) -> Result<String, Error> {
        let entry = learn::entry(facts, file_name, lesson);
        if slug(&entry.id) != entry.id || entry.id.is_empty() {
            return Err(Error::Game(GameError::Id { id: entry.id.clone(), like: slug(&entry.id) }));
        }
        learn::append(path, &entry)?;
        Ok(entry.id)
    }
}

/// Extensions under which libraries are dropped into games.
pub const LIBRARY_EXTENSIONS: [&str; 3] = ["dll", "asi", "ocx"];

/// The family that a file belongs to: the name that its author gave it, without extension, version
/// or case, in letters, digits and `-`.
///
/// The author's name is the resource's `OriginalFilename`, else the name that the library was linked
/// under, else the resource's `InternalName`, else the file's own.
pub fn family_of(facts: &Facts, file_name: &str) -> String {
    let original = facts.string("OriginalFilename").filter(|name| is_library_name(name));
    let linked = || facts.export_name.as_deref().filter(|name| is_library_name(name));
    let internal = || facts.string("InternalName").filter(|name| is_plain_name(name));
    let name = original.or_else(linked).or_else(internal).unwrap_or(file_name);
    let id = slug(without_version(without_extension(name)));
    if id.is_empty() { slug(stem(file_name)) } else { id }
}

/// The role of a component, from the words in its own description; `None` where they say nothing.
pub fn role_of(facts: &Facts) -> Option<Role> {
    role::from_words(["FileDescription", "ProductName", "Comments"].map(|key| facts.string(key)))
}

/// The version that a file's name is keyed to: at least three numbers that are not the file's own
/// version, as in `extender-22.4.7.dll`.
pub fn keyed_to(facts: &Facts, file_name: &str) -> Option<Version> {
    let (before, version) = Version::find_in(stem(file_name), 3)?;
    let own = facts.version().is_some_and(|own| own.same_numbers(&version));
    (!before.is_empty() && !own).then_some(version)
}

/// The versions of at least three numbers that a file's descriptions hold and that are not its own,
/// each with the statement that holds it: an extender's may be that of the game.
pub fn stated_versions(facts: &Facts) -> Vec<(&'static str, Version)> {
    const STATEMENTS: [&str; 5] =
        ["FileDescription", "ProductName", "Comments", "SpecialBuild", "PrivateBuild"];
    let own = facts.version();
    let foreign = |version: &Version| {
        version.numbers().len() > 2 && own.as_ref().is_none_or(|own| !own.same_numbers(version))
    };
    let words = STATEMENTS.into_iter().flat_map(|key| {
        let text = facts.string(key).unwrap_or_default();
        text.split([' ', '(', ')', ',', ';']).map(move |word| (key, word))
    });
    words.filter_map(|(key, word)| Some((key, word.parse().ok().filter(foreign)?))).collect()
}

/// Whether two files could be builds of one thing: the same company, or one that names none.
pub fn companies_agree(a: &Facts, b: &Facts) -> bool {
    match (a.string("CompanyName"), b.string("CompanyName")) {
        (Some(a), Some(b)) => same_name(a, b),
        _ => true,
    }
}

/// The statements of identity in which two files differ: company, product, internal name. What one
/// of them does not state tells nothing, and neither does a version inside a name.
pub fn identity_differences<'a>(
    a: &'a Facts,
    b: &'a Facts,
) -> Vec<(&'static str, &'a str, &'a str)> {
    let keys =
        [("company", "CompanyName"), ("product", "ProductName"), ("internal name", "InternalName")];
    let pairs = keys.into_iter().filter_map(|(what, key)| {
        let (a, b) = (a.string(key)?.trim(), b.string(key)?.trim());
        let plain = |name: &str| slug(without_version(without_extension(name)));
        (!a.is_empty() && !b.is_empty() && plain(a) != plain(b)).then_some((what, a, b))
    });
    pairs.collect()
}

fn is_library_name(name: &str) -> bool {
    is_plain_name(name) && LIBRARY_EXTENSIONS.contains(&extension(name).as_str())
}

/// A name and not a sentence or a left-over of a template.
fn is_plain_name(name: &str) -> bool {
    let plain = |c: char| c.is_alphanumeric() || "-_.+ ".contains(c);
    name.chars().count() <= 64 && name.chars().all(plain) && name.chars().any(char::is_alphanumeric)
}

fn without_extension(name: &str) -> &str {
    if is_library_name(name) { stem(name) } else { name }
}

/// Cuts a version of at least two numbers, and what follows it, off the end of a name.
fn without_version(name: &str) -> &str {
    match Version::find_in(name, 2) {
        Some((before, _)) if !before.is_empty() => before,
        _ => name,
    }
}

/// Lower case, with `-` for everything that is neither letter nor digit.
pub fn slug(text: &str) -> String {
    let mut out = String::new();
    for c in text.chars().flat_map(char::to_lowercase) {
        if c.is_alphanumeric() {
            out.push(c);
        } else if !out.is_empty() && !out.ends_with('-') {
            out.push('-');
        }
    }
    out.trim_end_matches('-').to_owned()
}
