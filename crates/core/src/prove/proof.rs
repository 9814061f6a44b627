//! The request for a proof, and the result for a game and its components.

use std::path::PathBuf;

use jiff::Timestamp;

use super::process::Running;
use super::verdict::{Loaded, Outcome, Report};
use crate::catalog::Role;
use crate::path::TreePath;
use crate::remedy::Remedy;
use upright_spanner_image::Version;

/// The request for a proof.
#[derive(Debug, Clone, Default)]
pub struct ProofRequest {
    /// The selected families; by default those that the user installed.
    pub families: Vec<String>,
    /// Every family of the game.
    pub all: bool,
    /// To look into the process though the game watches over itself.
    pub look_inside: bool,
}

/// The result for a game and its components.
#[derive(Debug, Clone)]
pub struct Proof {
    /// The id of the game.
    pub game: String,
    /// Its processes.
    pub running: Vec<Running>,
    /// Why its processes were not looked into, if they were not.
    pub not_looked_into: Option<String>,
    /// The time of the start, if it is known.
    pub started: Option<Timestamp>,
    /// Its components.
    pub components: Vec<ComponentProof>,
}

/// The result for a component.
#[derive(Debug, Clone)]
pub struct ComponentProof {
    /// Its family.
    pub family: String,
    /// Its role in the game.
    pub role: Role,
    /// The version that is in the game.
    pub version: Option<Version>,
    /// The change that put it there, if one did.
    pub change: Option<i64>,
    /// Each of its libraries.
    pub files: Vec<FileProof>,
    /// The result in the process.
    pub loaded: Loaded,
    /// The file that was loaded instead.
    pub instead: Option<String>,
    /// What its log says.
    pub report: Report,
    /// The log.
    pub log: Option<LogProof>,
    /// What both come to.
    pub outcome: Outcome,
    /// What to do, if something is not as it should be, and the last has been seen.
    pub remedy: Option<Remedy>,
}

/// Whether one library of a component was loaded.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FileProof {
    /// Its location.
    pub path: TreePath,
    /// Whether it was loaded.
    pub loaded: Loaded,
}

/// A log's statements about a component.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LogProof {
    /// Its location.
    pub path: PathBuf,
    /// When it was last written.
    pub written: Timestamp,
    /// Whether a catalog describes it; otherwise it is likely to be the component's.
    pub is_described: bool,
    /// The version that the component states.
    pub version: Option<String>,
    /// The line that states it.
    pub line: Option<String>,
    /// What went wrong, in the log's words.
    pub error: Option<String>,
    /// Whether it says that it does not know the game's executable.
    pub unknown_game: bool,
}

impl Proof {
    /// Whether everything is as it should be.
    pub fn is_good(&self) -> bool {
        self.components.iter().all(|component| component.outcome.is_good())
    }

    /// Whether something that a change fitted was seen at work, so that it can be noted with that change.
    pub fn can_be_noted(&self) -> bool {
        let is_fitted = |it: &ComponentProof| it.outcome.is_good() && it.change.is_some();
        self.components.iter().any(is_fitted)
    }

    /// Whether the game runs.
    pub fn runs(&self) -> bool {
        self.running.iter().any(|running| !running.has_ended)
    }

    /// Whether nothing that comes later would change it. A log that no catalog describes is not waited for:
    /// there may be none.
    pub(crate) fn is_final(&self) -> bool {
        let is_final = |component: &ComponentProof| {
            component.outcome.is_final()
                || component.outcome == Outcome::Loaded && component.log.is_none()
        };
        self.components.iter().all(is_final)
    }

    /// The outcomes, to notice later changes.
    pub(crate) fn outcomes(&self) -> Vec<Outcome> {
        self.components.iter().map(|component| component.outcome).collect()
    }
}
