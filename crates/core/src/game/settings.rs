//! The user's settings of a game, which override anything detected.

use std::collections::BTreeMap;
use std::path::PathBuf;

use regex::Regex;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::catalog::slug;
use crate::error::{Error, Result};
use crate::path::TreePath;

/// The user's settings of a game.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct GameSettings {
    /// The executable that counts.
    pub executable: Option<TreePath>,
    /// The store edition, in the user's words.
    pub edition: Option<String>,
    /// Whether it is played online; not said if it is left out.
    pub online: Option<bool>,
    /// Further folders that files go to, also outside the game's folder.
    pub bays: BTreeMap<String, PathBuf>,
    /// Parts of builds that the game is not to have, by family.
    pub left_out: BTreeMap<String, Vec<String>>,
    /// Folders that data parts go to for a mod manager, by family.
    pub handoffs: BTreeMap<String, PathBuf>,
    /// The folder of the environment in which the game runs, if it does not run on Windows itself.
    pub prefix: Option<PathBuf>,
    /// The program, with its first arguments, that starts Windows programs in the prefix.
    pub run_with: Option<Vec<String>>,
    /// The program to start: a file of the game, a command, or an address for the system's opener.
    pub start: Option<String>,
    /// Its arguments.
    pub arguments: Vec<String>,
    /// Variables of the environment that it is started in.
    pub environment: BTreeMap<String, String>,
    /// If the game's version is written, if the executable does not say it.
    pub version_file: Option<VersionFile>,
}

/// A text file that states the game's version.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema, Deserialize)]
pub struct VersionFile {
    /// The file.
    #[schemars(with = "String")]
    pub path: TreePath,
    /// A regular expression; its first group, or all of it, is the version.
    pub pattern: String,
}

impl VersionFile {
    /// Any version at the start of a line.
    pub const ANY: &'static str = r"(?m)^\W*v?(\d+(?:[._]\d+)+\S*)";

    /// Checks the pattern.
    ///
    /// # Errors
    /// If the pattern is not a regular expression, or has no group.
    pub fn new(path: TreePath, pattern: &str) -> Result<Self> {
        match Regex::new(pattern) {
            Ok(_) => Ok(Self { path, pattern: pattern.to_owned() }),
            Err(error) => Err(Error::Invalid {
                what: format!("the pattern for the version is not a regular expression: {error}"),
                remedy: r"Give one with a group around the version, as in `Build (\d[\d.]*)`."
                    .into(),
            }),
        }
    }

    /// Finds the version in the file's text.
    pub(super) fn find_in<'a>(&self, text: &'a str) -> Option<&'a str> {
        let found = Regex::new(&self.pattern).ok()?.captures(text)?;
        found.get(1).or_else(|| found.get(0)).map(|part| part.as_str())
    }
}

/// Whether a further bay can have a name: `root` and `exe` are there already.
pub(crate) fn is_bay_name(name: &str) -> bool {
    !["root", "exe"].contains(&name) && slug(name) == name && !name.is_empty()
}
