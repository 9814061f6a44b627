//! Lists the files of a tree that could be programs or libraries, by their names; asks for size
//! and date of these alone. Links are not followed.

use std::collections::HashMap;
use std::fs::Metadata;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};

use filetime::FileTime;
use ignore::{WalkBuilder, WalkState};

use super::{LookError, Mark};
use crate::catalog::LIBRARY_EXTENSIONS;
use crate::error::in_words;
use crate::path::{SET_ASIDE, TreePath, extension};
use upright_spanner_change::Progress;

/// A file that could be a program or a library.
#[derive(Debug, Clone)]
pub(super) struct Found {
    /// Its path below the folder that was walked.
    pub path: TreePath,
    /// What shows whether it is the file that was there before.
    pub mark: Mark,
}

impl Found {
    /// The file as seen from a folder below the one walked, if it is in there.
    pub fn inside(&self, folder: &str) -> Option<Self> {
        Some(Self { path: inside(&self.path, folder)?, ..self.clone() })
    }

    /// Whether its name is that of a library or program, or of a copy of one.
    pub fn is_candidate_by_name(&self) -> bool {
        is_candidate(self.path.file_name().as_bytes())
    }

    /// Whether its name promises a library or program, rather than a copy of one put aside.
    pub fn is_library_by_name(&self) -> bool {
        let extension = extension(self.path.file_name());
        extension == "exe" || LIBRARY_EXTENSIONS.contains(&extension.as_str())
    }
}

/// A path as seen from a folder below the one walked, if it is in there.
pub(super) fn inside(path: &TreePath, folder: &str) -> Option<TreePath> {
    if folder.is_empty() {
        return Some(path.clone());
    }
    TreePath::new(path.as_str().strip_prefix(folder)?.strip_prefix('/')?).ok()
}

#[derive(Default)]
pub(super) struct Walked {
    pub images: Vec<Found>,
    /// Links with such names: a game follows them, and a survey does not.
    pub links: Vec<TreePath>,
    pub errors: Vec<LookError>,
}

/// Every candidate below each of some folders, in the order of their paths: one walk for all, so that no
/// processor waits for the last file of a folder.
pub(super) fn images(roots: &[PathBuf], progress: &dyn Progress) -> Vec<Walked> {
    let Some((first, others)) = roots.split_first() else { return Vec::new() };
    progress.begin("listing files", None);
    let mut walker = WalkBuilder::new(first);
    for root in others {
        walker.add(root);
    }

    let numbers: HashMap<&Path, usize> =
        roots.iter().enumerate().map(|(at, root)| (root.as_path(), at)).collect();
    let number_of = |path: &Path, depth: usize| numbers.get(path.ancestors().nth(depth)?).copied();
    let walked: Mutex<Vec<Walked>> = Mutex::new(roots.iter().map(|_| Walked::default()).collect());

    walker.standard_filters(false).follow_links(false);
    walker.filter_entry(|entry| entry.depth() == 0 || !is_set_aside(entry));
    walker.build_parallel().run(|| {
        Box::new(|entry| {
            progress.advance(1);
            let (root, seen) = match &entry {
                Ok(entry) => {
                    if !is_possible(entry) {
                        return WalkState::Continue;
                    }
                    let root = number_of(entry.path(), entry.depth()).unwrap_or(0);
                    if entry.path_is_symlink() {
                        let link = TreePath::below(&roots[root], entry.path());
                        let mut walked = walked.lock().unwrap_or_else(PoisonError::into_inner);
                        walked[root].links.extend(link);
                        return WalkState::Continue;
                    }
                    (root, candidate(&roots[root], entry))
                }
                Err(error) => {
                    let path = path_of(error);
                    let mut around = path.as_deref().map(Path::ancestors).into_iter().flatten();
                    let root = around.find_map(|p| numbers.get(p)).copied().unwrap_or(0);
                    (root, Err(walk_error(&roots[root], error)))
                }
            };
            // A thread that panicked elsewhere leaves the list as good as it was.
            let mut walked = walked.lock().unwrap_or_else(PoisonError::into_inner);
            match seen {
                Ok(found) => walked[root].images.push(found),
                Err(error) => walked[root].errors.push(error),
            }
            WalkState::Continue
        })
    });

    progress.end();
    let mut walked = walked.into_inner().unwrap_or_else(PoisonError::into_inner);
    for of_root in &mut walked {
        of_root.images.sort_by(|a, b| a.path.cmp(&b.path));
        of_root.errors.sort_by(|a, b| a.path.cmp(&b.path));
    }
    walked
}

/// Whether an entry is the folder beside a game's with files moved out of it.
fn is_set_aside(entry: &ignore::DirEntry) -> bool {
    let path = entry.path();
    path.extension().is_some_and(|ending| ending == SET_ASIDE)
        && entry.file_type().is_some_and(|kind| kind.is_dir())
        && path.with_extension("").is_dir()
}

/// Why an entry cannot be had, in words.
fn reason(error: &ignore::Error) -> String {
    error.io_error().map_or_else(|| error.to_string(), in_words)
}

/// Whether an entry is a file, or a link, with the name of a program or a library.
fn is_possible(entry: &ignore::DirEntry) -> bool {
    entry.file_type().is_some_and(|kind| kind.is_file() || kind.is_symlink())
        && is_candidate(entry.file_name().as_encoded_bytes())
}

fn candidate(root: &Path, entry: &ignore::DirEntry) -> Result<Found, LookError> {
    let unreadable =
        |message: String| LookError { path: entry.path().to_owned(), code: "unreadable", message };
    let path = match TreePath::below(root, entry.path()) {
        Ok(path) => path,
        Err(error) => return Err(unreadable(format!("it is skipped: {}", error.why))),
    };
    match entry.metadata() {
        Ok(metadata) => Ok(Found { path, mark: mark(&metadata) }),
        Err(error) => Err(unreadable(format!("it cannot be read: {}", reason(&error)))),
    }
}

/// A file below a folder, if it can be named.
pub(super) fn found(root: &Path, path: &Path, metadata: &Metadata) -> Option<Found> {
    Some(Found { path: TreePath::below(root, path).ok()?, mark: mark(metadata) })
}

fn mark(metadata: &Metadata) -> Mark {
    let modified = FileTime::from_last_modification_time(metadata);
    let modified = (modified.unix_seconds(), modified.nanoseconds());
    Mark { size: metadata.len(), modified, file: file_number(metadata) }
}

#[cfg(unix)]
fn file_number(metadata: &Metadata) -> u64 {
    use std::os::unix::fs::MetadataExt;
    metadata.ino()
}

#[cfg(not(unix))]
fn file_number(_: &Metadata) -> u64 {
    0
}

/// Programs, libraries, and renamed libraries: names with one of these extensions at the end, or followed by a
/// character that is neither letter nor digit. This is asked of every file in a tree, so it examines bytes and
/// allocates nothing.
pub(super) fn is_candidate(name: &[u8]) -> bool {
    const LEN: usize = 4;
    let ends = |extension: &str, at: usize| {
        let found = &name[at..at + LEN];
        found[0] == b'.' && found[1..].eq_ignore_ascii_case(extension.as_bytes())
    };
    let Some(last) = name.len().checked_sub(LEN) else {
        return false;
    };
    if ends("exe", last) {
        return true;
    }
    (0..=last).filter(|&at| name[at] == b'.').any(|at| {
        LIBRARY_EXTENSIONS.iter().any(|extension| ends(extension, at))
            && name.get(at + LEN).is_none_or(|behind| !behind.is_ascii_alphanumeric())
    })
}

fn walk_error(root: &Path, error: &ignore::Error) -> LookError {
    let path = path_of(error).unwrap_or_else(|| root.to_owned());
    let reason = reason(error);
    LookError { path, code: "unreadable", message: format!("it cannot be read: {reason}") }
}

fn path_of(error: &ignore::Error) -> Option<PathBuf> {
    match error {
        ignore::Error::WithPath { path, .. } => Some(path.clone()),
        ignore::Error::WithDepth { err, .. } | ignore::Error::WithLineNumber { err, .. } => {
            path_of(err)
        }
        _ => None,
    }
}
