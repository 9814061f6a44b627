//! Plans: what a change would do to each file, and what speaks against it. Planners are pure; they
//! are told what is on disk and touch nothing.

mod adopt;
mod choice;
mod clear;
mod drift;
mod fit;
mod ground;
mod ledger;
mod merge;
mod park;
mod rollback;
mod undo;

use std::fmt;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};

use crate::change::{Deed, ExecutableMark};
use crate::check::{Finding, Severity, explain};
use crate::content::{Content, FileState};
use crate::game::Game;
use crate::path::{GamePath, same_name};
use crate::survey::GameView;
use crate::version::Version;
pub(crate) use adopt::{Copied, adopt};
pub(crate) use choice::{Candidate, Choice, choose};
pub(crate) use drift::drift;
pub use drift::{Drift, DriftState, Drifted, Than};
pub(crate) use fit::{Fit, slots};
pub(crate) use ground::Ground;
pub use ledger::{Entry, Ledger};
pub use merge::{Merged, is_mergeable, merge};
pub(crate) use park::{park, unpark};
pub use rollback::Point;
pub(crate) use rollback::rollback;
pub(crate) use undo::{in_effect, standing_on, undo};

/// What a change would do. It can be printed, and applied once.
#[derive(Debug, Serialize)]
pub struct Plan {
    /// The game that is altered.
    pub game: Game,
    /// What it is for, as in `fit cvo-upscale@2.9.1`.
    pub summary: String,
    /// What it is for, for the program.
    pub deed: Deed,
    /// The executable that counts.
    pub executable: Option<ExecutableMark>,
    /// One step a file, in the order in which they are done.
    pub steps: Vec<Step>,
    /// What becomes of settings files that are merged.
    pub merges: Vec<Merge>,
    /// Files that are not put into the game but packed for a mod manager.
    pub handoff: Vec<Handoff>,
    /// What the checks say.
    pub findings: Vec<Finding>,
}

/// A settings file that is merged.
#[derive(Debug, Serialize)]
pub struct Merge {
    /// The file.
    #[serde(flatten)]
    pub place: Place,
    /// What comes in and what is kept.
    #[serde(flatten)]
    pub merged: Merged,
}

/// What is done to one file: expected to be `before`, made to be `after`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Step {
    /// The file.
    #[serde(flatten)]
    pub place: Place,
    /// The family that the file is of.
    pub family: String,
    /// What must be there for the step to be done; nothing, where it is `None`.
    pub before: Option<Held>,
    /// What is there afterwards; nothing, where it is `None`.
    pub after: Option<Held>,
    /// How many of the folders around it are made with the file, or go with it if they are empty.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub folders: usize,
}

impl Step {
    /// The step that takes this one back, from what is there now.
    fn taken_back(&self, now: Option<Held>) -> Self {
        Self { before: now, after: self.before.clone(), ..self.clone() }
    }
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde wants it so")]
fn is_zero(number: &usize) -> bool {
    *number == 0
}

/// A file that is packed for a mod manager.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Handoff {
    /// Its path in the archive.
    pub to: GamePath,
    /// What is in it.
    #[serde(flatten)]
    pub content: Content,
}

/// Where a file is: below the game's folder, or below a bay elsewhere.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
pub struct Place {
    /// The folder of the bay, where that is not part of the game's folder.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub bay: Option<PathBuf>,
    /// The path below it, or below the game's folder.
    pub path: GamePath,
}

impl From<GamePath> for Place {
    fn from(path: GamePath) -> Self {
        Self { bay: None, path }
    }
}

impl Place {
    /// A file in a folder: below the game's folder, if it lies there.
    pub(crate) fn new(root: &Path, folder: &Path, path: GamePath) -> Self {
        let whole = path.on(folder);
        match GamePath::below(root, &whole) {
            Some(path) => path.into(),
            None => Self { bay: Some(folder.to_owned()), path },
        }
    }

    /// The folder that the path is below.
    pub fn base<'a>(&'a self, root: &'a Path) -> &'a Path {
        self.bay.as_deref().unwrap_or(root)
    }

    /// The path on disk.
    pub fn on(&self, root: &Path) -> PathBuf {
        self.path.on(self.base(root))
    }

    /// Another file of the same folder.
    pub(crate) fn beside(&self, path: &GamePath) -> Self {
        let beside = match self.path.folder() {
            "" => Ok(path.clone()),
            folder => GamePath::new(&format!("{folder}/{path}")),
        };
        Self { bay: self.bay.clone(), path: beside.unwrap_or_else(|_| path.clone()) }
    }

    /// Whether both are the same file to a game, which does not regard case.
    pub fn same_as(&self, other: &Self) -> bool {
        self.bay == other.bay && self.path.same_as(&other.path)
    }
}

impl fmt::Display for Place {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.bay {
            None => f.pad(self.path.as_str()),
            Some(bay) => f.pad(&format!("{}/{}", bay.display(), self.path)),
        }
    }
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

/// What is in a file, where there is one.
fn content(held: Option<&Held>) -> Option<Content> {
    held.map(|held| held.state.content)
}

impl Plan {
    pub(crate) fn new(view: &GameView, deed: Deed, summary: String) -> Self {
        Self {
            game: view.game.clone(),
            summary,
            deed,
            executable: ExecutableMark::of(view),
            steps: Vec::new(),
            merges: Vec::new(),
            handoff: Vec::new(),
            findings: Vec::new(),
        }
    }

    /// Whether there is nothing to do.
    pub fn is_empty(&self) -> bool {
        self.steps.is_empty() && self.handoff.is_empty()
    }

    /// The findings that stop it.
    pub fn stops(&self) -> Vec<&Finding> {
        self.findings.iter().filter(|finding| finding.stops()).collect()
    }

    /// The codes of the findings that the user goes on despite.
    pub fn despite(&self) -> Vec<String> {
        let overridden = self.findings.iter().filter(|finding| finding.overridden);
        let mut codes: Vec<String> = overridden.map(|finding| finding.code.clone()).collect();
        codes.dedup();
        codes
    }

    /// Goes on despite findings of these codes, where there is anything to go on with.
    pub(crate) fn override_stops(&mut self, codes: &[String]) {
        for finding in &mut self.findings {
            let named = codes.iter().any(|code| same_name(code, &finding.code));
            let can_be = explain(&finding.code).is_none_or(|about| about.overridable);
            finding.overridden = named && can_be && finding.severity == Severity::Stop;
        }
    }

    /// This plan and others of the same game, as one.
    pub(crate) fn with(mut self, others: Vec<Self>) -> Self {
        for other in others {
            self.summary =
                format!("{} with {}", self.summary, other.summary.trim_start_matches("fit "));
            let new = |step: &Step| !self.steps.iter().any(|own| own.place.same_as(&step.place));
            let steps: Vec<Step> = other.steps.into_iter().filter(new).collect();
            self.steps.extend(steps);
            self.merges.extend(other.merges);
            self.handoff.extend(other.handoff);
            self.findings.extend(other.findings);
        }
        self
    }
}
