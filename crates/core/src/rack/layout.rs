//! Layouts: the bay, name and policy of each file of a build. They are inferred from the content of a package.

use std::collections::BTreeSet;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::path::{TreePath, fold};

/// The bay that means "where the game has the file already".
pub const SLOT: &str = "slot";
/// The bay beside the executable that counts.
pub const EXE: &str = "exe";
/// The bay that is the game's folder.
pub const ROOT: &str = "root";

/// The reason given for a place that a layout assigns.
pub(super) const BY_LAYOUT: &str = "the layout says so";

/// The places of a build's files.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, JsonSchema, Deserialize)]
pub struct Layout {
    /// The places; a file may have several, or none.
    pub places: Vec<Placement>,
    /// Names of files beside the library that earlier builds left and that go when this one comes.
    #[serde(default)]
    #[schemars(with = "Vec<String>")]
    pub retires: Vec<TreePath>,
}

/// The place of one file of a build.
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
    /// Whether the game is started with it from then on.
    #[serde(default)]
    pub start: bool,
}

/// What becomes of a file that the game has already.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, JsonSchema, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Policy {
    /// The build's takes its place.
    Replace,
    /// The user's stays as it is.
    Keep,
    /// The user's values are kept, and new keys are added.
    Merge,
    /// It is not put into the game but packed into an archive for a mod manager.
    Handoff,
    /// It is not put into the game, but its values are set in the registry.
    Registry,
    /// It stays on the rack.
    Leave,
}

impl Policy {
    /// The word used in layouts.
    pub fn name(self) -> &'static str {
        match self {
            Self::Replace => "replace",
            Self::Keep => "keep",
            Self::Merge => "merge",
            Self::Handoff => "handoff",
            Self::Registry => "registry",
            Self::Leave => "leave",
        }
    }
}

/// The folder that all of some folders are in, as far as no game has one of that name itself.
pub(crate) fn wrapping<'a>(folders: &BTreeSet<&'a str>) -> &'a str {
    let common = common_folder(folders);
    let mut at = 0;
    for folder in common.split('/') {
        if fold(folder) == "data" {
            return common[..at].trim_end_matches('/');
        }
        at += folder.len() + 1;
    }
    common
}

/// The longest folder that all of some folders are in.
pub(super) fn common_folder<'a>(folders: &BTreeSet<&'a str>) -> &'a str {
    let mut common = folders.first().copied().unwrap_or_default();
    while !folders.iter().all(|folder| is_below(common, folder)) {
        common = common.rsplit_once('/').map_or("", |(parent, _)| parent);
    }
    common
}

/// Whether a folder is equal to or below another.
pub(super) fn is_below(folder: &str, path: &str) -> bool {
    folder.is_empty()
        || path == folder
        || path.strip_prefix(folder).is_some_and(|rest| rest.starts_with('/'))
}
