//! Paths inside a game, which cannot leave it.

use std::fmt;
use std::path::{Component, Path, PathBuf};

use serde::{Deserialize, Deserializer, Serialize};

/// A path relative to a game's root folder, with `/` between its parts, in the tree's spelling.
///
/// It is never empty or absolute and has no `.` or `..`, so joined to a root it stays below it
/// (links aside, which the change engine checks).
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize)]
#[serde(transparent)]
pub struct GamePath(String);

/// A text that is no path inside a game.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("`{0}` is not a path inside the game's folder")]
pub struct NotInside(String);

impl GamePath {
    /// Checks and takes a relative path; `\` counts as `/`.
    pub fn new(text: &str) -> Result<Self, NotInside> {
        let text = text.replace('\\', "/");
        let fine = |part: &str| {
            !part.is_empty() && part != "." && part != ".." && !part.contains([':', '\0'])
        };
        if text.split('/').all(fine) { Ok(Self(text)) } else { Err(NotInside(text)) }
    }

    /// The part of `path` below `root`; `None` where it is not below it or not Unicode.
    pub fn below(root: &Path, path: &Path) -> Option<Self> {
        let relative = path.strip_prefix(root).ok()?;
        let parts: Option<Vec<&str>> = relative
            .components()
            .map(|part| match part {
                Component::Normal(name) => name.to_str(),
                _ => None,
            })
            .collect();
        let parts = parts.filter(|parts| !parts.is_empty())?;
        Some(Self(parts.join("/")))
    }

    /// The whole path, with `/` between the parts.
    pub fn as_str(&self) -> &str {
        &self.0
    }

    /// The last part.
    pub fn file_name(&self) -> &str {
        self.0.rsplit_once('/').map_or(&self.0, |(_, name)| name)
    }

    /// Everything before the last part; empty for a file in the root.
    pub fn folder(&self) -> &str {
        self.0.rsplit_once('/').map_or("", |(folder, _)| folder)
    }

    /// How many folders lie between the root and the file.
    pub fn depth(&self) -> usize {
        self.0.matches('/').count()
    }

    /// The path of another file in the same folder.
    pub fn sibling(&self, name: &str) -> Result<Self, NotInside> {
        match self.folder() {
            "" => Self::new(name),
            folder => Self::new(&format!("{folder}/{name}")),
        }
    }

    /// The path on disk.
    pub fn on(&self, root: &Path) -> PathBuf {
        self.0.split('/').fold(root.to_owned(), |path, part| path.join(part))
    }

    /// Whether both name the same file to a game, which does not regard case.
    pub fn same_as(&self, other: &Self) -> bool {
        same_name(&self.0, &other.0)
    }
}

impl fmt::Display for GamePath {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(&self.0)
    }
}

impl<'de> Deserialize<'de> for GamePath {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        Self::new(&String::deserialize(deserializer)?).map_err(serde::de::Error::custom)
    }
}

/// A name in the form in which names are compared: without regard to case.
pub fn fold(name: &str) -> String {
    name.to_lowercase()
}

/// Whether two names are the same without regard to case.
pub fn same_name(a: &str, b: &str) -> bool {
    a.eq_ignore_ascii_case(b) || (!(a.is_ascii() && b.is_ascii()) && fold(a) == fold(b))
}

/// A name without its last extension.
pub fn stem(name: &str) -> &str {
    match name.rsplit_once('.') {
        Some((stem, _)) if !stem.is_empty() => stem,
        _ => name,
    }
}

/// The last extension of a name in lower case, or nothing.
pub fn extension(name: &str) -> String {
    match name.rsplit_once('.') {
        Some((stem, extension)) if !stem.is_empty() => extension.to_ascii_lowercase(),
        _ => String::new(),
    }
}
