//! The history: every change, as the journal tells it, and whether it still shows.

use std::collections::BTreeMap;
use std::path::PathBuf;

use super::Workshop;
use crate::change::{Change, Deed, RecordState, Side};
use crate::error::Result;
use crate::plan::{self, Ledger};
use upright_spanner_change::Fault;

/// Every change, and what of the journal could not be read.
#[derive(Debug, Default)]
pub struct History {
    /// The changes, oldest first.
    pub changes: Vec<Change>,
    /// Files of the journal that are damaged or missing.
    pub faults: Vec<Fault>,
}

/// Whether a change still shows in the game.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ChangeStatus {
    /// A file holds what it put there.
    InForce,
    /// It was undone.
    Undone,
    /// Later changes have replaced what it put there.
    Replaced,
    /// It is an undoing, or it failed and changed nothing.
    Nothing,
}

impl ChangeStatus {
    /// The words used in output and in JSON.
    pub fn name(self) -> &'static str {
        match self {
            Self::InForce => "in force",
            Self::Undone => "undone",
            Self::Replaced => "replaced",
            Self::Nothing => "-",
        }
    }
}

impl Workshop {
    /// Every change of every game. One that cannot be understood is among the faults, and so is a file
    /// of which not everything could be read.
    ///
    /// # Errors
    /// Where the journal's folder cannot be read.
    pub fn history(&self) -> Result<History> {
        let chronicle = self.journal.read(&self.database)?;
        let moved = self.words().moved;
        let mut history = History { changes: Vec::new(), faults: chronicle.faults };
        for mut record in chronicle.records {
            let number = record.number;
            for step in &moved {
                if step.game == record.game {
                    record = record.moved(&step.from, &step.to);
                }
            }
            match Change::try_from(record) {
                Ok(change) => history.changes.push(change),
                Err(what) => history.faults.push(Fault {
                    number,
                    path: self.journal.path(number),
                    what,
                    mending: None,
                }),
            }
        }
        Ok(history)
    }

    /// Every change of a game, oldest first.
    ///
    /// # Errors
    /// Where the journal's folder cannot be read.
    pub fn history_of(&self, game: &str) -> Result<Vec<Change>> {
        let mut changes = self.history()?.changes;
        changes.retain(|change| change.game() == game);
        Ok(changes)
    }

    /// What changes did to a game's folder and its bays.
    pub(super) fn ledger(&self, root: &std::path::Path) -> Result<Ledger> {
        Ok(Ledger::of(root, &self.history()?.changes))
    }

    /// Whether each of some changes still shows.
    ///
    /// # Errors
    /// Where the journal's folder cannot be read.
    pub fn statuses(&self, changes: &[Change]) -> Result<Vec<ChangeStatus>> {
        let all = self.history()?.changes;
        let effective = plan::in_effect(&all);
        // Each target is as the last change in effect left it that touched it.
        let mut owners: BTreeMap<(&str, PathBuf), (i64, &Side)> = BTreeMap::new();
        for change in all.iter().filter(|change| effective.contains(&change.number())) {
            for (step, after) in change.record.effects() {
                let target = (step.target().kind(), change.on_disk(step.target()));
                owners.insert(target, (change.number(), after));
            }
        }
        let status = |change: &Change| {
            let settled = change.state() == RecordState::Settled;
            if !change.counts() || matches!(change.deed, Deed::Undo(_)) {
                return ChangeStatus::Nothing;
            }
            if !effective.contains(&change.number()) && !settled {
                return ChangeStatus::Undone;
            }
            let ledger = Ledger::of(change.root(), &all);
            let shows = change.steps().iter().any(|step| {
                let owner = owners.get(&(step.target().kind(), change.on_disk(step.target())));
                let last = ledger.at(step.target()).map(|entry| &entry.last);
                owner.zip(last).is_some_and(|((number, left), last)| {
                    *number == change.number() && left.same_as(last)
                })
            });
            if shows { ChangeStatus::InForce } else { ChangeStatus::Replaced }
        };
        Ok(changes.iter().map(status).collect())
    }

    /// The number of the last change that had begun by a moment.
    ///
    /// # Errors
    /// Where the journal's folder cannot be read.
    pub fn change_at(&self, moment: jiff::Timestamp) -> Result<i64> {
        let changes = self.history()?.changes;
        let by_then = changes.iter().filter(|change| change.began() <= moment);
        Ok(by_then.map(Change::number).max().unwrap_or(0))
    }
}
