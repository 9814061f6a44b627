//! Families: the names of components. The user's catalog has them, otherwise the file itself.

mod add;
mod entry;
mod identity;
mod learn;
mod learn_log;
mod log;
mod pattern;
mod role;
mod setting;

use std::borrow::Cow;
use std::collections::HashMap;
use std::fs;
use std::path::{Path, PathBuf};

pub use crate::error::CatalogError;
use crate::path::{fold, followed, same_name};
pub(crate) use add::add_preset;
pub(crate) use entry::LONGEST_CATALOG;
pub use entry::{
    Editions, Family, Generation, Recognition, Relation, SCHEMA, Stated, Supports, parse, schema,
};
pub use identity::{
    LIBRARY_EXTENSIONS, companies_agree, family_of, identity_differences, is_windows, keyed_beside,
    keyed_to, role_of, same_maker, slug, stated_versions,
};
pub use learn::Lesson;
pub(crate) use learn::learn;
pub(crate) use learn_log::{LogLesson, learn_log};
pub use log::{Log, LogPatterns};
pub use pattern::{Pattern, Piece};
pub use role::Role;
pub(crate) use setting::{ARGUMENTS, ENVIRONMENT};
pub use setting::{Allowed, Choice, Preset, Setting, SettingPlace};
use upright_spanner_image::Facts;
use upright_spanner_image::file::{bytes_of, text_of};

/// The catalog file that may are beside a game's other files.
pub const BESIDE_GAME: &str = "spanner-families.toml";

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

    /// This catalog with the one that is in a game's folder before it, if there is one.
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
        // A stranger's catalog counts only for the game that it is beside.
        for family in &mut own.families {
            family.settings.retain(|setting| setting.place.is_in_game());
            family.logs.retain(Log::is_in_game);
        }
        own.families.extend(self.families.iter().cloned());
        own.index = Index::of(&own.families);
        Cow::Owned(own)
    }

    /// This catalog with families that others describe: they complete the ones it has.
    pub(crate) fn completed_by(mut self, others: Vec<Family>) -> Self {
        let mut places: HashMap<String, usize> = HashMap::new();
        for (place, own) in self.families.iter().enumerate() {
            places.entry(fold(&own.id)).or_insert(place);
        }
        for other in others {
            let place = *places.entry(fold(&other.id)).or_insert(self.families.len());
            match self.families.get_mut(place) {
                Some(own) => own.complete(&other),
                None => self.families.push(other),
            }
        }
        self.index = Index::of(&self.families);
        self
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

    /// The id of a file's family: the catalog's, else the one that the file itself states.
    pub fn family_of(&self, facts: &Facts, file_name: &str) -> String {
        let known = self.find(facts, file_name).map(|family| family.id.clone());
        known.unwrap_or_else(|| family_of(facts, file_name))
    }
}
