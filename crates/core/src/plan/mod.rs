//! Plans: what a change would do to each file, and what speaks against it. Planners are pure; they
//! are told what is on disk and touch nothing.

mod fit;
mod ledger;
mod merge;
mod rollback;

use serde::{Deserialize, Serialize};

use crate::check::{Finding, Severity};
use crate::content::FileState;
use crate::game::Game;
use crate::path::GamePath;
use crate::version::Version;
pub(crate) use fit::{Fit, SettingsFile, slots};
pub use ledger::{Entry, Ledger};
pub use merge::{Merged, is_mergeable, merge};
pub(crate) use rollback::rollback;

/// What a change would do. It can be printed, and applied once.
#[derive(Debug, Serialize)]
pub struct Plan {
    /// The game that is altered.
    pub game: Game,
    /// What it is for, as in `fit cvo-upscale@2.9.1`.
    pub summary: String,
    /// One step a file, in the order in which they are done.
    pub steps: Vec<Step>,
    /// What becomes of settings files that are merged.
    pub merges: Vec<Merge>,
    /// What the checks say.
    pub findings: Vec<Finding>,
}

/// A settings file that is merged.
#[derive(Debug, Serialize)]
pub struct Merge {
    /// The file.
    pub path: GamePath,
    /// What comes in and what is kept.
    #[serde(flatten)]
    pub merged: Merged,
}

/// What is done to one file: expected to be `before`, made to be `after`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Step {
    /// The file.
    pub path: GamePath,
    /// The family that the file is of.
    pub family: String,
    /// What must be there for the step to be done; nothing, where it is `None`.
    pub before: Option<Held>,
    /// What is there afterwards; nothing, where it is `None`.
    pub after: Option<Held>,
}

/// What a file holds: content and marks, and what people call it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Held {
    /// Content and marks.
    #[serde(flatten)]
    pub state: FileState,
    /// The version that it states.
    pub version: Option<Version>,
}

impl Held {
    /// `version 2.7.4`, or its size where it states none.
    pub fn describe(&self) -> String {
        match &self.version {
            Some(version) => format!("version {version}"),
            None => format!("a file of {} bytes", self.state.content.size),
        }
    }
}

impl Plan {
    /// The findings that stop it.
    pub fn stops(&self) -> Vec<&Finding> {
        self.findings.iter().filter(|finding| finding.severity == Severity::Stop).collect()
    }
}
