//! Paths inside a game, names, and the system's own spelling of a path.

use std::borrow::Cow;
use std::io;
use std::path::{Path, PathBuf};

pub use upright_spanner_change::{BadPath, TreePath, fold, same_name, slashes};

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

/// Whether a name is that of a download that is not finished: programs give such endings to a file while
/// they fetch it.
pub fn is_unfinished_download(name: &str) -> bool {
    const ENDINGS: [&str; 7] =
        ["part", "partial", "crdownload", "download", "opdownload", "filepart", "!ut"];
    ENDINGS.contains(&extension(name).as_str())
}

/// The ending of the folder beside a game's that contains files moved out of the game.
pub(crate) const SET_ASIDE: &str = "set-aside";

/// The folder beside a game's for files moved out of it; `None` if the game has no folder around it.
pub(crate) fn set_aside_of(root: &Path) -> Option<PathBuf> {
    let mut name = root.file_name()?.to_owned();
    name.push(".");
    name.push(SET_ASIDE);
    Some(root.with_file_name(name))
}

/// The path of a folder as the system spells it, links resolved.
pub(crate) fn canonical(path: &Path) -> io::Result<PathBuf> {
    dunce::canonicalize(path).map(share)
}

/// The path of a file that the user named: a link is followed.
pub(crate) fn followed(path: &Path) -> Cow<'_, Path> {
    let is_link = path.symlink_metadata().is_ok_and(|found| found.is_symlink());
    let linked = is_link.then(|| canonical(path).ok()).flatten();
    linked.map_or(Cow::Borrowed(path), Cow::Owned)
}

/// A path on another machine without `\\?\UNC\`, which no user writes and the library leaves.
fn share(path: PathBuf) -> PathBuf {
    let share = path.to_str().filter(|_| cfg!(windows)).and_then(|p| p.strip_prefix(r"\\?\UNC\"));
    share.map(|share| PathBuf::from(format!(r"\\{share}"))).unwrap_or(path)
}
