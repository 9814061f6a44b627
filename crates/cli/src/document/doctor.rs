//! The state of the home folder.

use std::path::PathBuf;

use schemars::JsonSchema;
use serde::Serialize;
use upright_spanner_core::change::{self, Mending};
use upright_spanner_core::feed::FeedFault;
use upright_spanner_core::{Diagnosis, Mended, RecoveredTarget, Unreferenced};

use super::SchemaNumber;
use crate::text::slashes;

/// The faults of the home folder.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "Diagnosis")]
pub struct DiagnosisDocument {
    schema: SchemaNumber,
    /// The home folder.
    home: String,
    /// The faults of the index.
    database: Vec<String>,
    journal: Vec<JournalFault>,
    /// The faults of labels.
    rack: Vec<FileFault>,
    /// The faults of feeds.
    feeds: Vec<FileFault>,
    /// The reason why `games.toml` cannot be read.
    games: Option<String>,
    /// Why the file of proofs cannot be read.
    proofs: Option<String>,
    /// The numbers of changes that were interrupted.
    interrupted: Vec<i64>,
    /// Stored contents that are missing or damaged.
    contents: Vec<LostContent>,
    /// Files of commands that were cut off.
    leftovers: Vec<String>,
    /// Builds that are stored but not noted.
    arrived: Vec<String>,
    /// Games whose folder is not there, by id.
    gone: Vec<String>,
    /// Whether it was repaired.
    mended: bool,
}

/// A journal file that is damaged.
#[derive(Debug, Serialize, JsonSchema)]
struct JournalFault {
    /// The number of the change.
    change: i64,
    path: String,
    what: String,
    /// Whether the index has a copy.
    copied: bool,
    /// Whether it was written again.
    restored: bool,
}

/// A file that cannot be used.
#[derive(Debug, Serialize, JsonSchema)]
struct FileFault {
    path: String,
    what: String,
}

/// A stored content that is missing or damaged.
#[derive(Debug, Serialize, JsonSchema)]
struct LostContent {
    blake3: String,
    /// In bytes.
    size: u64,
    needed_by: String,
}

/// Contents of the store that nothing needs.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Reclaimable {
    schema: SchemaNumber,
    bytes: u64,
    /// Bytes of all that is stored.
    of: u64,
    files: usize,
    /// Files that no journal entry mentions.
    unmentioned: usize,
    removed: bool,
}

/// How the targets of an interrupted change are.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Settled {
    schema: SchemaNumber,
    /// The number of the change.
    change: i64,
    targets: Vec<SettledTarget>,
    /// Whether the change was ended with the present state.
    settled: bool,
}

/// A target, and how it is.
#[derive(Debug, Serialize, JsonSchema)]
struct SettledTarget {
    path: String,
    how: String,
}

impl From<&(PathBuf, String)> for FileFault {
    fn from((path, what): &(PathBuf, String)) -> Self {
        Self { path: slashes(path), what: what.clone() }
    }
}

impl From<&FeedFault> for FileFault {
    fn from(fault: &FeedFault) -> Self {
        Self { path: slashes(&fault.path), what: fault.why.clone() }
    }
}

impl DiagnosisDocument {
    pub fn new(diagnosis: &Diagnosis, mended: Option<&Mended>) -> Self {
        let labels = diagnosis.labels.iter();
        let contents = diagnosis.contents.iter();
        Self {
            schema: SchemaNumber,
            home: slashes(&diagnosis.home),
            database: diagnosis.index.clone(),
            journal: diagnosis.journal.iter().map(|it| JournalFault::new(it, mended)).collect(),
            rack: labels.map(FileFault::from).collect(),
            feeds: diagnosis.feeds.iter().map(FileFault::from).collect(),
            games: diagnosis.words.clone(),
            proofs: diagnosis.proofs.clone(),
            interrupted: diagnosis.interrupted.clone(),
            contents: contents
                .map(|(content, user)| LostContent {
                    blake3: content.blake3.to_string(),
                    size: content.size,
                    needed_by: user.clone(),
                })
                .collect(),
            leftovers: paths(&diagnosis.leftovers),
            arrived: paths(&diagnosis.arrived),
            gone: diagnosis.gone.iter().map(|game| game.id.clone()).collect(),
            mended: mended.is_some(),
        }
    }
}

impl JournalFault {
    fn new(fault: &change::Fault, mended: Option<&Mended>) -> Self {
        let restored = mended.into_iter().flat_map(|mended| &mended.journal);
        Self {
            change: fault.number,
            path: slashes(&fault.path),
            what: fault.what.clone(),
            copied: fault.mending == Some(Mending::Copy),
            restored: restored.into_iter().any(|(number, _)| *number == fault.number),
        }
    }
}

fn paths(paths: &[PathBuf]) -> Vec<String> {
    paths.iter().map(|path| slashes(path)).collect()
}

impl Reclaimable {
    pub fn new(found: &Unreferenced, removed: bool) -> Self {
        Self {
            schema: SchemaNumber,
            bytes: found.bytes,
            of: found.of,
            files: found.contents.len(),
            unmentioned: found.unmentioned.len(),
            removed,
        }
    }
}

impl Settled {
    pub fn new(change: i64, targets: &[RecoveredTarget], settled: bool) -> Self {
        let target = |target: &RecoveredTarget| SettledTarget {
            path: target.target.clone(),
            how: target.how.clone(),
        };
        let targets = targets.iter().map(target).collect();
        Self { schema: SchemaNumber, change, targets, settled }
    }
}
