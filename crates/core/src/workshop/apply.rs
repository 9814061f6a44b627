//! Acts: carries out a plan that nothing stops.

use std::path::{Path, PathBuf};

use super::conditions::Cleared;
use super::{Altering, Workshop};
use crate::change::{Change, RecordState, Step, Target, notes};
use crate::check::may_be_in_use;
use crate::error::{ChangeError, Error, HomeError, Result};
use crate::path::{set_aside_of, slashes};
use crate::plan::{Merge, Plan};
use upright_spanner_change::{
    Draft, Failure, Folder, Lock, Progress, StepOutcome, StepReport, Supply,
};

impl Altering<'_> {
    /// Carries out a plan that nothing stops.
    ///
    /// # Errors
    /// If it was not done; the error says how everything was left.
    pub fn apply(&self, cleared: Cleared, progress: &dyn Progress) -> Result<Change> {
        let supplies = merged(cleared.plan()).collect();
        self.apply_with(cleared, supplies, progress)
    }

    pub(super) fn apply_with(
        &self,
        cleared: Cleared,
        supplies: Vec<Supply>,
        progress: &dyn Progress,
    ) -> Result<Change> {
        let mut plan = cleared.into_plan();
        let workshop = self.workshop();
        let _game = Lock::take(&plan.game.root)?;
        workshop.expect_free(&plan)?;
        let beside = set_aside_of(&plan.game.root);
        if let Some(beside) = beside.as_ref().filter(|_| plan.sets_aside()) {
            // Another change may have been made since it was planned.
            plan.numbered(workshop.journal.next(&workshop.database)?);
            make_beside(beside)?;
        }
        let draft = draft(plan, supplies)?;
        let record = workshop.engine(progress).apply(draft).map_err(failed);
        let is_open = matches!(
            record,
            Err(Error::Change(ChangeError::NotPutBack { .. } | ChangeError::NotNoted { .. }))
        );
        if !is_open {
            remove_if_empty(beside.as_deref());
        }
        let record = record?;
        workshop.forget_facts(&record);
        Change::try_from(record).map_err(|what| {
            Error::Home(HomeError::DamagedFile { path: workshop.home.clone(), what })
        })
    }
}

/// The time that a virus scanner may need to remove a file: short enough that no one notices the wait.
const A_MOMENT: std::time::Duration = std::time::Duration::from_millis(100);

impl Workshop {
    /// The libraries that a change has just put into a game and that are gone or another already, looked
    /// at a moment later.
    pub fn gone_since(&self, change: &Change) -> Vec<PathBuf> {
        let is_library = |step: &&Step| {
            let Some(place) = step.file() else { return false };
            let ending = crate::path::extension(place.path().file_name());
            step.after().state.content().is_some() && ["dll", "exe", "asi"].contains(&&*ending)
        };
        let libraries: Vec<_> = change.steps().iter().filter(is_library).collect();
        if libraries.is_empty() {
            return Vec::new();
        }
        std::thread::sleep(A_MOMENT);

        let other = |step: &Step| {
            let path = change.on_disk(step.target())?;
            let wanted = step.after().state.content().map(|content| content.size);
            let found = std::fs::symlink_metadata(&path).ok();
            (found.map(|metadata| metadata.len()) != wanted).then_some(path)
        };
        libraries.into_iter().filter_map(other).collect()
    }

    /// Removes the recorded facts of a change's files: some systems' dates do not show a swap.
    pub(super) fn forget_facts(&self, record: &upright_spanner_change::Record) {
        let files: Vec<PathBuf> =
            record.steps.iter().filter_map(|step| Some(step.file()?.on(&record.root))).collect();
        self.database.forget_facts(files.iter().map(PathBuf::as_path));
    }

    /// Fails if a change that was interrupted is about a target of a plan. Other targets are free.
    pub(super) fn expect_free(&self, plan: &Plan) -> Result<()> {
        let root = &plan.game.root;
        // A part of a file is altered with the file.
        let key = |target: &Target, root: &Path| match target.place() {
            Some(place) => slashes(&place.on(root)),
            None => target.key(),
        };
        let wanted: Vec<String> = plan.steps.iter().map(|step| key(step.target(), root)).collect();
        let history = self.history()?;
        let open = history.changes.iter().filter(|change| change.state() == RecordState::Open);
        for change in open {
            let mut targets = change.steps().iter().map(|step| key(step.target(), change.root()));
            if targets.any(|target| wanted.contains(&target)) {
                let (number, root) = (change.number(), change.root().to_owned());
                return Err(Error::Change(ChangeError::Waiting { number, root }));
            }
        }

        Ok(())
    }
}

/// Makes the folder beside a game's for a recovery, if someone has removed the empty folder.
pub(super) fn make_beside_for(change: &Change) {
    let moves = |step: &Step| matches!(step.target(), Target::Aside(_));
    if change.root().is_dir() && change.steps().iter().any(moves) {
        // Without it the change waits, and says so.
        let _ = set_aside_of(change.root()).map(|beside| make_beside(&beside));
    }
}

/// Makes the folder beside a game's for files moved out of it. A link in its place is not followed.
fn make_beside(folder: &Path) -> Result<()> {
    match std::fs::symlink_metadata(folder) {
        Ok(found) if found.is_dir() => Ok(()),
        Ok(_) => Err(Error::Invalid {
            what: format!("{} is not a folder, so nothing can be moved there", slashes(folder)),
            remedy: "Rename the file with that name.".into(),
        }),
        // Durable before the journal names it: after a loss of power it is looked for.
        Err(_) => Ok(Folder::make(folder).map(drop)?),
    }
}

/// Removes the folder beside a game's, which is there only as long as something is in it.
pub(super) fn remove_if_empty(beside: Option<&Path>) {
    if let Some(beside) = beside {
        // A folder that is in use, or not empty, stays.
        let _ = std::fs::remove_dir(beside);
    }
}

/// The settings files that a plan merges or makes, as they will be.
pub(super) fn merged(plan: &Plan) -> impl Iterator<Item = Supply> {
    let is_done = |merge: &&Merge| plan.steps.iter().any(|step| step.file() == Some(&merge.place));
    let merged = plan.merges.iter().filter(is_done).map(|merge| &merge.merged.bytes);
    merged.chain(&plan.made).map(|bytes| Supply::Bytes(bytes.clone()))
}

pub(super) fn draft(plan: Plan, supplies: Vec<Supply>) -> Result<Draft> {
    let despite = plan.despite();
    Ok(Draft {
        scope: plan.scope(),
        root: plan.root,
        in_use: may_be_in_use(&despite),
        notes: notes(plan.purpose, plan.executable, despite)?,
        game: plan.game.id,
        summary: plan.summary,
        steps: plan.steps,
        supplies,
    })
}

/// How the engine's failure left everything, in words.
pub(super) fn failed(failure: Failure) -> Error {
    match failure {
        Failure::Untouched(cause) => Error::Change(ChangeError::Untouched { cause }),
        Failure::PutBack { cause, .. } => Error::Change(ChangeError::PutBack { cause }),
        Failure::Waiting { number, cause, reports } => {
            let left = reports.iter().filter_map(left_as).collect();
            Error::Change(ChangeError::NotPutBack { number, cause, left })
        }
        Failure::NotNoted { number, cause } => {
            Error::Change(ChangeError::NotNoted { number, cause })
        }
    }
}

/// How a target was left that could not be put back.
fn left_as(report: &StepReport) -> Option<String> {
    match &report.outcome {
        StepOutcome::AsBefore | StepOutcome::Untouched => None,
        StepOutcome::AsAfter => {
            Some(format!("step {} stays as the change made it", report.step + 1))
        }
        StepOutcome::Neither(_) => {
            Some(format!("something else has altered what step {} is about", report.step + 1))
        }
        StepOutcome::Unknown(error) => Some(error.to_string()),
    }
}
