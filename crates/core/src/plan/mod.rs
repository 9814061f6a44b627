//! Plans: the steps of a change, and the findings against it. Planners are pure: they receive the state of the disk
//! and touch nothing.

mod adopt;
mod choice;
mod clear;
mod drift;
mod entry;
mod fit;
mod fit_override;
mod fit_places;
mod fit_registry;
mod fit_settings;
mod folders;
mod hold;
mod in_use;
mod loading_law;
mod newest;
mod options;
mod park;
mod recheck;
mod refit;
mod registry;
mod rollback;
mod saves;
mod shortcut;
mod slots;
mod tune;
mod undo;
mod wind;

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

use crate::change::{ExecutableMark, Owner, Purpose, Step};
pub use crate::change::{describe, version_of};
use crate::check::{Finding, Severity, explain, game_running};
use crate::content::Content;
use crate::error::{Error, Result};
use crate::game::Game;
pub use crate::ledger::{Ledger, LedgerEntry};
use crate::path::{TreePath, same_name};
use crate::rack::BuildId;
use crate::situation::Situation;
use crate::survey::GameView;
pub use adopt::{AdoptedFile, Adoption};
pub(crate) use adopt::{adopt, remove_copies};
pub(crate) use drift::drift;
pub use drift::{Drift, DriftState, Drifted, Held, VersionChange, Wound};
pub(crate) use entry::by_entry;
pub(crate) use fit::{FitPlanner, names_part};
pub(crate) use fit_settings::LONGEST_SETTINGS;
pub use hold::HoldRequest;
pub(crate) use hold::{hold, lift};
pub(crate) use in_use::unless_in_use;
pub(crate) use loading_law::stop_broken_loading;
pub(crate) use newest::{Planner, alongside, choose_from_package, wanted};
pub use options::FitOptions;
pub(crate) use park::{park, unpark};
pub(crate) use recheck::recheck;
pub use refit::Refit;
pub(crate) use refit::refit;
pub use rollback::{NothingToDo, Point, Selection};
pub(crate) use rollback::{RollbackOptions, rollback};
pub(crate) use shortcut::plan_shortcut;
pub(crate) use slots::{needs, slots};
pub use tune::TuneRequest;
pub(crate) use tune::tune;
pub(crate) use undo::{in_effect, in_the_way, standing_on, undo};
pub use upright_spanner_change::Place;
use upright_spanner_change::{Grant, Identity, Scope};
use upright_spanner_settings::registry::RegLine;
pub use upright_spanner_settings::{Merged, is_mergeable, merge};
pub use wind::WindOptions;
pub(crate) use wind::{Winding, wind};

/// A planned change. It can be printed, and applied once its stops are cleared.
#[derive(Debug)]
pub struct Plan {
    /// The game that is altered.
    pub game: Game,
    /// What made the game's folder the one that it is when the plan was made.
    pub root: Option<Identity>,
    /// The purpose for people, as in `fit lens@2.9.1`.
    pub summary: String,
    /// The purpose, for the program.
    pub purpose: Purpose,
    /// The executable that counts.
    pub executable: Option<ExecutableMark>,
    /// The steps, in order.
    pub steps: Vec<Step>,
    /// What becomes of settings files that are merged.
    pub merges: Vec<Merge>,
    /// Folders outside the game that it may alter: those of settings files.
    elsewhere: Vec<PathBuf>,
    /// Registry lines that are written to a file instead.
    pub written: Vec<RegLine>,
    /// Contents of settings files that it writes again.
    pub made: Vec<Vec<u8>>,
    /// Files that are not put into the game but packed for a mod manager.
    pub handoff: Vec<Handoff>,
    /// Bytes of new content that it stores.
    pub supplied: u64,
    /// The program through which values of the prefix's registry are set, if its programs run.
    pub run_with: Option<Vec<String>>,
    /// Files that it would be about, and that could not be read since something has them in use.
    pub in_use: Vec<PathBuf>,
    /// The findings of the checks.
    pub findings: Vec<Finding>,
}

/// A settings file that is merged.
#[derive(Debug)]
pub struct Merge {
    /// The file.
    pub place: Place,
    /// The added and the kept keys.
    pub merged: Merged,
}

/// A file that is packed for a mod manager.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Handoff {
    /// Its path in the archive.
    pub to: TreePath,
    /// Its content.
    pub content: Content,
    /// The build that it is of.
    pub of: BuildId,
}

impl Plan {
    pub(crate) fn new(view: &GameView, purpose: Purpose, summary: String) -> Self {
        Self {
            game: view.game.clone(),
            root: None,
            summary,
            purpose,
            executable: view.mark(),
            steps: Vec::new(),
            merges: Vec::new(),
            elsewhere: Vec::new(),
            written: Vec::new(),
            made: Vec::new(),
            handoff: Vec::new(),
            supplied: 0,
            run_with: None,
            in_use: Vec::new(),
            findings: Vec::new(),
        }
    }

    /// Its scope: the game's folder and its bays.
    pub fn scope(&self) -> Scope {
        let bays = self.game.settings.bays.values().cloned();
        // A key, a value or a mark is named by its step itself, and a file that holds it may be elsewhere.
        let is_part = |step: &&Step| step.file().is_none() && !step.target().is_folder();
        let parts = self.steps.iter().filter(is_part).flat_map(|step| step.target().places());
        let parts = parts.filter_map(Place::bay);
        let folders = parts.chain(self.elsewhere.iter().map(PathBuf::as_path));
        let folders: BTreeSet<&Path> = folders.collect();
        let grant = |folder: &Path| Grant { folder: folder.to_owned(), why: self.summary.clone() };
        let grants = folders.into_iter().map(grant).collect();
        let run_with = self.run_with.clone();
        Scope { root: self.game.root.clone(), bays: bays.collect(), grants, run_with }
    }

    /// The steps that are about files.
    pub fn files(&self) -> impl Iterator<Item = &Step> {
        self.steps.iter().filter(|step| step.file().is_some())
    }

    /// Adds steps for folders: a missing folder of a new file is made, and a folder that a change made is removed
    /// when it becomes empty.
    pub(crate) fn arrange(&mut self, situation: &Situation<'_>) -> Result<()> {
        self.arrange_with(Vec::new(), situation)
    }

    /// The same, with folders that go if nothing is left in them, each with its owner.
    fn arrange_with(
        &mut self,
        candidates: Vec<(Place, Owner)>,
        situation: &Situation<'_>,
    ) -> Result<()> {
        let steps = std::mem::take(&mut self.steps);
        self.steps = folders::arrange(steps, candidates, situation)?;
        // Settings files and shortcuts were made there, or are.
        let makes = |purpose: &Purpose| matches!(purpose, Purpose::Tune | Purpose::Shortcut);
        let is_granted = |folder: &Path| {
            let mut makers = situation.changes.iter().filter(|change| makes(&change.purpose));
            let in_it = |step: &Step| step.place().and_then(Place::bay) == Some(folder);
            makes(&self.purpose) || makers.any(|change| change.steps().iter().any(in_it))
        };
        let folders = self.steps.iter().filter_map(|step| step.place()?.bay());
        self.elsewhere = folders.filter(|folder| is_granted(folder)).map(Path::to_owned).collect();
        Ok(())
    }

    /// Whether there is nothing to do.
    pub fn is_empty(&self) -> bool {
        self.steps.is_empty() && self.handoff.is_empty()
    }

    /// That it is refused, by what stops it.
    pub(crate) fn refused(&self) -> Error {
        Error::Refused(self.stops().into_iter().cloned().collect())
    }

    /// The findings that stop it.
    pub fn stops(&self) -> Vec<&Finding> {
        self.findings.iter().filter(|finding| finding.stops()).collect()
    }

    /// The codes of the findings that the user continues despite.
    pub fn despite(&self) -> Vec<String> {
        let overridden = self.findings.iter().filter(|finding| finding.overridden);
        let mut codes: Vec<String> = overridden.map(|finding| finding.code.clone()).collect();
        codes.dedup();
        codes
    }

    /// Goes on despite findings of these codes, if there is anything to continue with.
    pub(crate) fn override_stops(&mut self, codes: &[String]) {
        for finding in &mut self.findings {
            let named = codes.iter().any(|code| same_name(code, &finding.code));
            let can_be = explain(&finding.code).is_none_or(|about| about.overridable);
            // There is nothing to continue with if a file could not be read.
            let can_be = can_be && (self.in_use.is_empty() || finding.code != game_running::CODE);
            finding.overridden = named && can_be && finding.severity == Severity::Stop;
        }
    }

    /// This plan and others of the same game, as one.
    pub(crate) fn with(mut self, others: Vec<Self>) -> Self {
        let touches = |own: &[Step], step: &Step| {
            own.iter().any(|other| other.target().key() == step.target().key())
        };
        for other in others {
            self.summary =
                format!("{} with {}", self.summary, other.summary.trim_start_matches("fit "));
            let new = |step: &Step| !touches(&self.steps, step);
            let steps: Vec<Step> = other.steps.into_iter().filter(new).collect();
            self.steps.extend(steps);
            self.merges.extend(other.merges);
            self.made.extend(other.made);
            self.written.extend(other.written);
            self.handoff.extend(other.handoff);
            self.in_use.extend(other.in_use);
            self.findings.extend(other.findings);
        }

        self
    }
}
