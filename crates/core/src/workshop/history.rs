//! The history: every change, as the journal records it, and whether it still shows.

use std::collections::BTreeMap;
use std::path::PathBuf;

use super::Workshop;
use crate::change::{Change, Purpose, RecordState, Side};
use crate::error::Result;
use crate::history::History;
use crate::plan::{self, Ledger};
use upright_spanner_change::Fault;

/// Whether a change still shows in the game.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ChangeStatus {
    /// A file still has the content it put there.
    InForce,
    /// It was undone.
    Undone,
    /// Later changes have replaced its content.
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
    /// Reads every change of every game, with the present folders of games and bays.
    pub(super) fn read_history(&self) -> Result<History> {
        let marks = self.marks()?;
        let chronicle = self.journal.read_files(&marks, &self.database);
        let words = self.words();
        let (mut changes, mut faults) = (Vec::new(), chronicle.faults);
        for mut record in chronicle.records {
            let number = record.number;
            for step in &words.moved {
                if step.game == record.game {
                    record = record.moved(&step.from, &step.to);
                }
            }
            match Change::try_from(record) {
                Ok(change) => changes.push(change),
                Err(what) => faults.push(Fault {
                    number,
                    path: self.journal.path(number),
                    what,
                    mending: None,
                }),
            }
        }

        Ok(History::new(changes, faults))
    }

    /// Every change of a game, oldest first.
    ///
    /// # Errors
    /// If the journal's folder cannot be read.
    pub fn history_of(&self, game: &str) -> Result<Vec<Change>> {
        let history = self.history()?;
        Ok(history.changes.iter().filter(|change| change.game() == game).cloned().collect())
    }

    /// Whether each of some changes still shows.
    ///
    /// # Errors
    /// If the journal's folder cannot be read.
    pub fn statuses(&self, changes: &[Change]) -> Result<Vec<ChangeStatus>> {
        let history = self.history()?;
        let effective = plan::in_effect(&history.changes);
        // Each target is as the last change in effect left it that touched it.
        let mut owners: BTreeMap<String, (i64, &Side)> = BTreeMap::new();

        for change in history.changes.iter().filter(|change| effective.contains(&change.number())) {
            for (step, after) in change.record.effects().filter(|(step, _)| step.alters()) {
                owners.insert(change.key_of(step.target()), (change.number(), after));
            }
        }

        let mut ledgers: BTreeMap<PathBuf, Ledger> = BTreeMap::new();
        let mut shows = |change: &Change| {
            let root = change.root();
            let ledger = ledgers
                .entry(root.to_owned())
                .or_insert_with(|| Ledger::of(root, history.around(root)));
            change.steps().iter().any(|step| {
                let owner = owners.get(&change.key_of(step.target()));
                let last = ledger.at(step.target()).map(|entry| &entry.last);
                owner.zip(last).is_some_and(|((number, left), last)| {
                    *number == change.number() && left.same_as(last)
                })
            })
        };

        let status = |change: &Change| {
            let settled = change.state() == RecordState::Settled;
            if !change.counts() || matches!(change.purpose, Purpose::Undo { .. }) {
                ChangeStatus::Nothing
            } else if !effective.contains(&change.number()) && !settled {
                ChangeStatus::Undone
            } else if shows(change) {
                ChangeStatus::InForce
            } else {
                ChangeStatus::Replaced
            }
        };
        Ok(changes.iter().map(status).collect())
    }
}
