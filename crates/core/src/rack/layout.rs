//! Layouts: which file of a build goes to which bay, under which name, by which policy. They are
//! inferred from what a package holds.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::path::TreePath;

/// The bay that stands for wherever a game has the file already.
pub const SLOT: &str = "slot";
/// The bay beside the executable that counts.
pub const EXE: &str = "exe";
/// The bay that is the game's folder.
pub const ROOT: &str = "root";

/// Where the files of a build go.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, JsonSchema, Deserialize)]
pub struct Layout {
    /// The places; a file may have several, or none.
    pub places: Vec<Placement>,
    /// Names of files beside the library that earlier builds left and that go when this one comes.
    #[serde(default)]
    #[schemars(with = "Vec<String>")]
    pub retires: Vec<TreePath>,
}

/// Where one file of a build goes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema, Deserialize)]
pub struct Placement {
    /// Its path in the package.
    #[schemars(with = "String")]
    pub from: TreePath,
    /// The bay: `slot`, `exe`, `root` or one that the user named.
    pub bay: String,
    /// Its path in the bay.
    #[schemars(with = "String")]
    pub to: TreePath,
    /// What becomes of a file that is there already.
    pub policy: Policy,
}

/// What becomes of a file that the game has already.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, JsonSchema, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Policy {
    /// The build's takes its place.
    Replace,
    /// The user's stays as it is.
    Keep,
    /// The user's values stay, and what is new comes in.
    Merge,
    /// It is not put into the game but packed into an archive for a mod manager.
    Handoff,
}

impl Policy {
    /// The word used in layouts.
    pub fn name(self) -> &'static str {
        match self {
            Self::Replace => "replace",
            Self::Keep => "keep",
            Self::Merge => "merge",
            Self::Handoff => "handoff",
        }
    }
}

/// A path relative to the folders that it shares with the library's.
pub(super) fn short(library: &TreePath, file: &TreePath) -> TreePath {
    let mut shared = library.folder();
    while !shared.is_empty() && !file.as_str().starts_with(&format!("{shared}/")) {
        shared = shared.rsplit_once('/').map_or("", |(parent, _)| parent);
    }
    let rest = file.as_str()[shared.len()..].trim_start_matches('/');
    TreePath::new(rest).unwrap_or_else(|_| file.clone())
}
