//! Finds files of any kind by name, inside and outside of games.

use std::path::PathBuf;
use std::sync::{Mutex, PoisonError};

use filetime::FileTime;
use ignore::{WalkBuilder, WalkState};

use crate::catalog::Pattern;
use upright_spanner_change::Progress;
use upright_spanner_image::{Facts, Version};

/// A file that was sought by its name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NamedFile {
    /// Its location.
    pub path: PathBuf,
    /// Its length in bytes.
    pub size: u64,
    /// Its date: seconds since 1970.
    pub modified: i64,
    /// The version that it states, if it is an image that states one.
    pub version: Option<Version>,
}

/// Every file below some places whose name matches a pattern, in the order of their paths. Links are not
/// followed, and what cannot be looked into is passed over: the survey says so.
pub(crate) fn named(
    places: &[PathBuf],
    pattern: &Pattern,
    progress: &dyn Progress,
) -> Vec<NamedFile> {
    let Some((first, others)) = places.split_first() else { return Vec::new() };
    let mut walk = WalkBuilder::new(first);
    for place in others {
        walk.add(place);
    }
    walk.standard_filters(false).follow_links(false);
    let found: Mutex<Vec<NamedFile>> = Mutex::default();
    progress.begin("looking for files", None);
    walk.build_parallel().run(|| {
        Box::new(|entry| {
            progress.advance(1);
            let Ok(entry) = entry else { return WalkState::Continue };
            let is_file = entry.file_type().is_some_and(|kind| kind.is_file());
            if is_file && pattern.is_match(&entry.file_name().to_string_lossy()) {
                if let Ok(metadata) = entry.metadata() {
                    let file = NamedFile {
                        path: entry.path().to_owned(),
                        size: metadata.len(),
                        modified: FileTime::from_last_modification_time(&metadata).unix_seconds(),
                        version: Facts::read(entry.path()).ok().and_then(|facts| facts.version()),
                    };
                    found.lock().unwrap_or_else(PoisonError::into_inner).push(file);
                }
            }
            WalkState::Continue
        })
    });
    progress.end();
    let mut found = found.into_inner().unwrap_or_else(PoisonError::into_inner);
    found.sort_by(|a, b| a.path.cmp(&b.path));
    found.dedup_by(|a, b| a.path == b.path);
    found
}
