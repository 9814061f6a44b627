//! Recovers interrupted changes, and settles those that cannot be reverted.

use std::path::PathBuf;

use super::apply::{make_beside_for, remove_if_empty};
use super::in_use::{prefix_of, used_by};
use super::{Altering, Workshop};
use crate::change::{Change, RecordState, Side, Target};
use crate::error::{ChangeError, Error, Result};
use crate::path::set_aside_of;
use crate::plan::describe;
use upright_spanner_change::{Journal, Lock, Progress, Recovered, Scope, StepOutcome, StepReport};

/// What became of a change that had been interrupted.
#[derive(Debug)]
pub struct Recovery {
    /// The change.
    pub change: Change,
    /// How far it came in the end: open still, if something could not be put back.
    pub state: RecordState,
    /// Its targets that are neither as before nor, if it is done, as after.
    pub left: Vec<RecoveredTarget>,
}

/// A target of an interrupted change, and how it is.
#[derive(Debug)]
pub struct RecoveredTarget {
    /// The target, with its place.
    pub target: String,
    /// How it is, in words.
    pub how: String,
}

impl Workshop {
    /// The numbers of changes that were interrupted and wait to be put back.
    ///
    /// # Errors
    /// If the journal's folder cannot be read.
    pub fn interrupted(&self) -> Result<Vec<i64>> {
        Ok(self.open_changes()?.iter().map(Change::number).collect())
    }

    /// The changes that wait, of which the whole file could be read.
    pub(super) fn open_changes(&self) -> Result<Vec<Change>> {
        let marks = self.marks()?;
        if Journal::has_ended(&marks, &self.database) {
            return Ok(Vec::new());
        }
        let history = self.history()?;
        let damaged = |number: i64| {
            history.faults.iter().any(|fault| fault.number == number && fault.mending.is_none())
        };
        let open =
            |change: &Change| change.state() == RecordState::Open && !damaged(change.number());
        Ok(history.changes.iter().filter(|change| open(change)).cloned().collect())
    }

    /// The scope of a change that is recovered.
    pub(super) fn scope_of(&self, change: &Change) -> Scope {
        let in_prefix = change.steps().iter().find_map(|step| match step.target() {
            Target::Value(value) => prefix_of(&value.registry, change.root()),
            _ => None,
        });
        let runs = in_prefix.is_some_and(|prefix| used_by(&prefix).is_some());
        let words = self.words();
        let game = words.games.iter().find(|game| game.id == change.game());
        let run_with = game.and_then(|game| game.settings.run_with.clone());
        scope_with(change, run_with.filter(|_| runs))
    }

    fn open_change(&self, number: i64) -> Result<Change> {
        let open = self.open_changes()?;
        let change = open.into_iter().find(|change| change.number() == number);
        change.ok_or(Error::Change(ChangeError::Unknown { number }))
    }

    /// How each target of a change that waits is, if that is not as before.
    ///
    /// # Errors
    /// [`ChangeError::Unknown`] if no such change waits.
    pub fn look_at_interrupted(
        &self,
        number: i64,
        progress: &dyn Progress,
    ) -> Result<(Change, Vec<RecoveredTarget>)> {
        let change = self.open_change(number)?;
        let reports = self.engine(progress).look(&change.record, &self.scope_of(&change));
        let targets = reports.iter().map(|report| self.target(&change, report)).collect();
        Ok((change, targets))
    }

    fn target(&self, change: &Change, report: &StepReport) -> RecoveredTarget {
        let step = &change.steps()[report.step];
        let how = match &report.outcome {
            StepOutcome::AsBefore => "as before the change".to_owned(),
            StepOutcome::Untouched => "not touched by the change".to_owned(),
            StepOutcome::AsAfter => "as the change made it".to_owned(),
            StepOutcome::Unknown(error) => format!("not known: {error}"),
            StepOutcome::Neither(found) => {
                let found = Side::from(found.clone());
                let by = self.wrote(change, &found);
                format!(
                    "it holds {}{by}; before the change it held {}, which was to become {}",
                    named(&found),
                    named(step.before()),
                    named(step.after())
                )
            }
        };
        RecoveredTarget { target: step.target().named_on(change.root()), how }
    }

    /// The source of a content, as far as it is known: a change, a build of the rack, or a date.
    fn wrote(&self, change: &Change, found: &Side) -> String {
        let Some(file) = found.state.file() else { return String::new() };
        let known = self.history().ok().and_then(|history| {
            let placed = |other: &&Change| {
                let mut sides = other.record.effects();
                other.number() != change.number()
                    && sides.any(|(_, after)| after.state.content() == Some(file.content))
            };
            let number = history.changes.iter().rev().find(placed).map(Change::number)?;
            Some(format!(", which change {number} put into a game"))
        });

        let date = || {
            let written = jiff::Timestamp::new(file.stamp.modified.0, 0).ok()?;
            Some(format!(", dated {}", written.strftime("%Y-%m-%d %H:%M")))
        };
        known.or_else(date).unwrap_or_default()
    }
}

/// The scope of a recorded change, with the command through which values of a prefix are set: the game's folder, and
/// the bays it names.
pub(super) fn scope_with(change: &Change, run_with: Option<Vec<String>>) -> Scope {
    let mut bays: Vec<PathBuf> = change
        .steps()
        .iter()
        .flat_map(|step| step.target().places())
        .filter_map(|place| place.bay().map(std::path::Path::to_owned))
        .collect();
    bays.sort();
    bays.dedup();
    Scope { root: change.root().to_owned(), bays, grants: Vec::new(), run_with }
}

/// A side of a step in words, with the start of its content's digest.
fn named(side: &Side) -> String {
    let digest = side.state.content().map(|content| format!(" ({})", content.blake3.short()));
    describe(side) + &digest.unwrap_or_default()
}

impl Altering<'_> {
    /// Takes up the changes that were interrupted: puts them back, or notes as done what was done.
    /// Commands that alter games do this first. What cannot be put back now, as when its game is on a
    /// drive that is not plugged in, waits on; until then nothing else alters those targets.
    ///
    /// # Errors
    /// If the journal's folder cannot be read.
    pub fn recover(&self, progress: &dyn Progress) -> Result<Vec<Recovery>> {
        let workshop = self.workshop();
        let mut recoveries = Vec::new();
        for change in workshop.open_changes()? {
            let scope = workshop.scope_of(&change);
            let engine = workshop.engine(progress);
            make_beside_for(&change);
            let recovered = if let Ok(_lock) = Lock::take(change.root()) {
                engine.recover(&change.record, &scope)
            } else {
                let reports = engine.look(&change.record, &scope);
                Recovered { state: RecordState::Open, reports }
            };
            workshop.forget_facts(&change.record);
            remove_if_empty(set_aside_of(change.root()).as_deref());
            let done = recovered.state == RecordState::Done;
            let is_left = |report: &&StepReport| match report.outcome {
                StepOutcome::AsAfter => !done,
                ref outcome => !outcome.is_back(),
            };
            let left = recovered.reports.iter().filter(is_left);
            let left = left.map(|report| workshop.target(&change, report)).collect();
            recoveries.push(Recovery { change, state: recovered.state, left });
        }

        Ok(recoveries)
    }

    /// Settles an interrupted change with the present state.
    ///
    /// # Errors
    /// [`ChangeError::Unknown`] if no such change waits; if the journal cannot be written.
    pub fn settle(&self, number: i64, progress: &dyn Progress) -> Result<Change> {
        let change = self.workshop().open_change(number)?;
        // The game may not be there any more: then nothing of it can be altered either.
        let _lock = Lock::take(change.root()).ok();
        let scope = self.workshop().scope_of(&change);
        self.workshop().engine(progress).settle(&change.record, &scope)?;
        Ok(change)
    }
}
