//! Paths inside a folder, and places: which folder, and where in it.
//!
//! A path that this type accepts is one that Linux and Windows can both hold, and its text is read
//! back as the same path. What cannot be so is refused with the reason, wherever it comes from: a
//! store, a layout, an option or a merge.

use std::fmt;
use std::path::{Component, Path, PathBuf};

use typed_path::constants::windows::{DISALLOWED_FILENAME_CHARS, RESERVED_DEVICE_NAMES_STR};

/// A path relative to a folder, with `/` between its parts, in the tree's spelling.
///
/// It is never empty or absolute and has no `.` or `..`, so joined to a folder it stays below it
/// (links aside, which are never followed).
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord, bitcode::Encode, bitcode::Decode)]
pub struct TreePath(String);

/// A text that is not a path inside a folder, or one that some system cannot hold.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("`{text}` cannot be used as a path: {why}")]
pub struct BadPath {
    /// The text.
    pub text: String,
    /// The reason.
    pub why: &'static str,
}

/// Devices of Windows that are not in the list of reserved names.
const CONSOLE: [&str; 2] = ["CONIN$", "CONOUT$"];

/// The longest name that file systems hold, in units of UTF-16.
const LONGEST_NAME: usize = 255;

impl TreePath {
    /// Checks and takes a relative path as people write it; `\` counts as `/`.
    ///
    /// # Errors
    /// If a part is empty, `.` or `..`, or a name that Windows cannot hold.
    pub fn new(text: &str) -> Result<Self, BadPath> {
        let text = text.replace('\\', "/");
        match text.split('/').find_map(fault) {
            None => Ok(Self(text)),
            Some(why) => Err(BadPath { text, why }),
        }
    }

    /// The part of `path` below `root`.
    ///
    /// # Errors
    /// If it is not below it, not Unicode, or has a name that Windows cannot hold.
    pub fn below(root: &Path, path: &Path) -> Result<Self, BadPath> {
        let bad = |why| BadPath { text: path.to_string_lossy().into_owned(), why };
        let relative = path.strip_prefix(root).map_err(|_| bad("it is not below that folder"))?;
        let mut parts = Vec::new();

        for part in relative.components() {
            let Component::Normal(name) = part else {
                return Err(bad("it leads out of the folder"));
            };
            let name = name.to_str().ok_or_else(|| bad("its name is not Unicode"))?;
            if name.contains('\\') {
                return Err(bad("Windows takes `\\` for the end of a folder's name"));
            }
            parts.push(name);
        }

        if let Some(why) = parts.iter().find_map(|part| fault(part)) {
            return Err(bad(why));
        }
        if parts.is_empty() {
            Err(bad("it is that folder itself"))
        } else {
            Ok(Self(parts.join("/")))
        }
    }

    /// The whole path, with `/` between the parts.
    pub fn as_str(&self) -> &str {
        &self.0
    }

    /// The parts, from the outermost folder to the name.
    pub fn parts(&self) -> impl Iterator<Item = &str> {
        self.0.split('/')
    }

    /// The last part.
    pub fn file_name(&self) -> &str {
        self.0.rsplit_once('/').map_or(&self.0, |(_, name)| name)
    }

    /// Everything before the last part; empty for a name alone.
    pub fn folder(&self) -> &str {
        self.0.rsplit_once('/').map_or("", |(folder, _)| folder)
    }

    /// The folder that it is in; nothing for a name alone.
    pub fn parent(&self) -> Option<Self> {
        self.0.rsplit_once('/').map(|(folder, _)| Self(folder.to_owned()))
    }

    /// The number of folders between the root and the file.
    pub fn depth(&self) -> usize {
        self.0.matches('/').count()
    }

    /// The path of another file in the same folder.
    ///
    /// # Errors
    /// If the name is not valid.
    pub fn sibling(&self, name: &str) -> Result<Self, BadPath> {
        match self.folder() {
            "" => Self::new(name),
            folder => Self::new(&format!("{folder}/{name}")),
        }
    }

    /// The path on disk.
    pub fn on(&self, root: &Path) -> PathBuf {
        self.parts().fold(root.to_owned(), |path, part| path.join(part))
    }

    /// Whether both name the same file to a game, which does not regard case.
    pub fn same_as(&self, other: &Self) -> bool {
        same_name(&self.0, &other.0)
    }
}

/// A path as every message and document spells it: with `/` between its parts, on Windows too.
pub fn slashes(path: &Path) -> String {
    let text = path.to_string_lossy();
    if cfg!(windows) { text.replace('\\', "/") } else { text.into_owned() }
}

/// Whether Windows takes a name for a device, in whatever folder and with whatever extension it is
/// written. It takes a raised digit for the digit.
pub fn is_device(name: &str) -> bool {
    let stem = name.split('.').next().unwrap_or(name).trim_end().to_uppercase();
    let stem = stem.replace('¹', "1").replace('²', "2").replace('³', "3");
    RESERVED_DEVICE_NAMES_STR.contains(&stem.as_str()) || CONSOLE.contains(&stem.as_str())
}

/// Why a name cannot be held by both systems, if it cannot.
fn fault(name: &str) -> Option<&'static str> {
    match name {
        "" => Some("a part of it is empty"),
        "." | ".." => Some("it leads out of the folder"),
        _ if name.contains(':') => Some("Windows takes `:` for a drive or a stream of a file"),
        _ if name.chars().any(char::is_control) => Some("it contains control characters"),
        _ if name.contains(DISALLOWED_FILENAME_CHARS) => {
            Some("Windows has no names with < > \" | ? *")
        }
        _ if name.ends_with(['.', ' ']) => {
            Some("Windows drops a dot or a space at the end of a name")
        }
        _ if is_device(name) => Some("it is the name of a device"),
        _ if name.encode_utf16().count() > LONGEST_NAME => {
            Some("a name is longer than 255 characters")
        }
        _ => None,
    }
}

impl fmt::Display for TreePath {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(&self.0)
    }
}

impl serde::Serialize for TreePath {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(&self.0)
    }
}

impl<'de> serde::Deserialize<'de> for TreePath {
    fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let text = String::deserialize(deserializer)?;
        Self::new(&text).map_err(serde::de::Error::custom)
    }
}

/// A location: below the root of the altered game, or below a folder elsewhere.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Place {
    bay: Option<PathBuf>,
    path: TreePath,
}

impl From<TreePath> for Place {
    fn from(path: TreePath) -> Self {
        Self { bay: None, path }
    }
}

impl Place {
    /// A path in a folder: below the root, if it is there.
    ///
    /// # Errors
    /// If the folder's own name is not Unicode, so that it could not be journalled.
    pub fn new(root: &Path, folder: &Path, path: TreePath) -> Result<Self, BadPath> {
        if let Ok(path) = TreePath::below(root, &path.on(folder)) {
            return Ok(path.into());
        }
        let named = folder.to_str().is_some_and(|name| !name.is_empty());
        if named { Ok(Self { bay: Some(folder.to_owned()), path }) } else { Err(unnamed(folder)) }
    }

    /// A place as it was stored.
    pub(crate) fn stored(bay: PathBuf, path: TreePath) -> Result<Self, BadPath> {
        if bay.as_os_str().is_empty() {
            Err(unnamed(&bay))
        } else {
            Ok(Self { bay: Some(bay), path })
        }
    }

    /// The folder that it is below, if that is not the root.
    pub fn bay(&self) -> Option<&Path> {
        self.bay.as_deref()
    }

    /// The path below it, or below the root.
    pub fn path(&self) -> &TreePath {
        &self.path
    }

    /// Another path below the same folder.
    #[must_use]
    pub fn with_path(&self, path: TreePath) -> Self {
        Self { bay: self.bay.clone(), path }
    }

    /// The folder that the path is below.
    pub fn base<'a>(&'a self, root: &'a Path) -> &'a Path {
        self.bay.as_deref().unwrap_or(root)
    }

    /// The path on disk.
    pub fn on(&self, root: &Path) -> PathBuf {
        self.path.on(self.base(root))
    }

    /// A path relative to the folder that this one is in.
    #[must_use]
    pub fn beside(&self, path: &TreePath) -> Self {
        let whole = match self.path.folder() {
            "" => path.clone(),
            folder => TreePath(format!("{folder}/{path}")),
        };
        self.with_path(whole)
    }

    /// The folders around it, the nearest first.
    pub fn folders(&self) -> Vec<Self> {
        let above = |place: &Self| place.path.parent().map(|path| self.with_path(path));
        std::iter::successors(above(self), above).collect()
    }

    /// Whether both are the same file to a game, which does not regard case.
    pub fn same_as(&self, other: &Self) -> bool {
        self.bay == other.bay && self.path.same_as(&other.path)
    }

    /// The same place after its folder, or one around it, was moved.
    #[must_use]
    pub fn moved(&self, from: &Path, to: &Path) -> Self {
        let moved = |bay: &PathBuf| bay.strip_prefix(from).map(|rest| to.join(rest)).ok();
        let bay = self.bay.as_ref().map(|bay| moved(bay).unwrap_or_else(|| bay.clone()));
        Self { bay, path: self.path.clone() }
    }
}

fn unnamed(folder: &Path) -> BadPath {
    BadPath {
        text: folder.to_string_lossy().into_owned(),
        why: "the folder's name is empty or not Unicode",
    }
}

impl fmt::Display for Place {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.bay {
            None => f.pad(self.path.as_str()),
            Some(bay) => f.pad(&format!("{}/{}", slashes(bay), self.path)),
        }
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
