//! The environment that is in for Windows if a game runs in a prefix: which libraries it takes from the game's
//! folder. Its registry says so, and is read as the text that it is: looking starts nothing.

use std::collections::{BTreeMap, HashSet};
use std::path::{Path, PathBuf};

use crate::path::{fold, stem};
use upright_spanner_image::Machine;
use upright_spanner_image::file::bytes_of;
use upright_spanner_image::system::comes_with_windows;
use upright_spanner_settings::registry::PrefixRegistry;

/// The folder of a prefix that is its drive `C:`.
const DRIVE: &str = "drive_c";

/// The file of a prefix with the user's part of its registry.
const REGISTRY: &str = "user.reg";

/// The registry key with the overrides of libraries, and with those of a program.
const OVERRIDES: &str = r"Software\Wine\DllOverrides";
const OF_PROGRAMS: &str = r"Software\Wine\AppDefaults";

/// A registry of that size is not one of a game's prefix: they have some 4 MB.
const LONGEST: u64 = 64 << 20;

/// A prefix, as far as the libraries of a game matter.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Environment {
    /// Its folder.
    pub prefix: PathBuf,
    /// The overrides of libraries, by name in lower case without ending.
    overrides: BTreeMap<String, String>,
    /// The its own libraries, by machine: their names in lower case.
    own: Option<(HashSet<String>, HashSet<String>)>,
}

impl Environment {
    /// The prefix around a folder.
    pub(super) fn around(folder: &Path) -> Option<PathBuf> {
        let is_drive = |around: &&Path| around.file_name().is_some_and(|name| name == DRIVE);
        let prefix = folder.ancestors().find(is_drive)?.parent()?;
        Self::is_prefix(prefix).then(|| prefix.to_owned())
    }

    /// Whether a folder is a prefix.
    pub(super) fn is_prefix(folder: &Path) -> bool {
        folder.join(REGISTRY).is_file() && folder.join(DRIVE).is_dir()
    }

    /// Reads a prefix's overrides for the libraries of a program.
    pub(crate) fn read(prefix: &Path, program: &str) -> Self {
        let text = bytes_of(&prefix.join(REGISTRY), LONGEST).unwrap_or_default();
        Self::of(prefix, program, &String::from_utf8_lossy(&text))
    }

    /// The overrides for a program's libraries in the text of a prefix's registry.
    pub fn of(prefix: &Path, program: &str, registry: &str) -> Self {
        let mut overrides = BTreeMap::new();
        if let Some(registry) = PrefixRegistry::read(registry) {
            overrides.extend(overrides_in(&registry, OVERRIDES));
            overrides.extend(overrides_in(&registry, &Self::key_for(program)));
        }

        let windows = prefix.join(DRIVE).join("windows");
        let names = |folder: &str| -> Option<HashSet<String>> {
            let entries = std::fs::read_dir(windows.join(folder)).ok()?;
            Some(
                entries.flatten().map(|entry| fold(&entry.file_name().to_string_lossy())).collect(),
            )
        };
        // A prefix for 32 bits alone has them in the only folder.
        let wide = names("system32");
        let narrow = names("syswow64").or_else(|| wide.clone());
        let own = wide.zip(narrow);
        Self { prefix: prefix.to_owned(), overrides, own }
    }

    /// The key of the user's registry with the overrides for one program.
    pub(crate) fn key_of(program: &str) -> String {
        format!(r"{OF_PROGRAMS}\{program}")
    }

    /// The key that says which libraries a program takes.
    pub(crate) fn key_for(program: &str) -> String {
        format!(r"{}\DllOverrides", Self::key_of(program))
    }

    /// Whether the environment takes its own library of a name, whatever is beside the program.
    pub fn takes_its_own(&self, library: &str, machine: Machine) -> bool {
        let name = fold(library);
        let said = self.overrides.get(stem(&name)).or_else(|| self.overrides.get(&name));
        if let Some(order) = said {
            let first = order.split(',').next().unwrap_or_default().trim();
            return !first.starts_with(['n', 'N']);
        }
        match &self.own {
            Some((wide, narrow)) => match machine {
                Machine::X86 => narrow.contains(&name),
                _ => wide.contains(&name),
            },
            None => comes_with_windows(&name),
        }
    }
}

/// The values of a key: the names of libraries in lower case, without the mark that some have.
fn overrides_in(registry: &PrefixRegistry<'_>, key: &str) -> BTreeMap<String, String> {
    let said = registry.values(key).into_iter().filter_map(|(name, value)| {
        let name = fold(name.trim_start_matches('*'));
        Some((stem_of(&name), value.as_text()?))
    });
    said.collect()
}

fn stem_of(name: &str) -> String {
    name.strip_suffix(".dll").unwrap_or(name).to_owned()
}
