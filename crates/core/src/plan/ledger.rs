//! What the changes of one game, taken together, say of each file: what the game brought, and what
//! the last change left.

use std::collections::BTreeMap;
use std::path::Path;

use super::{Held, Step};
use crate::change::{Change, ChangeState};
use crate::path::{GamePath, fold};

/// The files of one game that changes have touched.
#[derive(Debug, Default)]
pub struct Ledger {
    entries: BTreeMap<String, Entry>,
}

/// What is recorded of one file.
#[derive(Debug, Clone)]
pub struct Entry {
    /// The file.
    pub path: GamePath,
    /// The family that it was last touched for.
    pub family: String,
    /// What the game brought: what was there before the first change, or, where something else
    /// than a change has altered the file since, what was there before the next one.
    pub shipped: Option<Held>,
    /// What the last change left there.
    pub last: Option<Held>,
}

impl Entry {
    /// Whether something else than the game's own content was left there.
    pub fn in_force(&self) -> bool {
        content(self.shipped.as_ref()) != content(self.last.as_ref())
    }
}

impl Ledger {
    /// Reads what `changes`, oldest first, did to the files below `root`, whichever game they were
    /// made for: the same folder may have been given as part of another game.
    pub fn of(root: &Path, changes: &[Change]) -> Self {
        let mut ledger = Self::default();
        for change in changes.iter().filter(|change| change.state == ChangeState::Done) {
            for step in &change.steps {
                if let Some(path) = GamePath::below(root, &step.path.on(&change.root)) {
                    ledger.enter(path, step);
                }
            }
        }
        ledger
    }

    fn enter(&mut self, path: GamePath, step: &Step) {
        let key = fold(path.as_str());
        let known = self.entries.remove(&key);
        let undisturbed =
            known.filter(|entry| content(entry.last.as_ref()) == content(step.before.as_ref()));
        let shipped = undisturbed.map_or_else(|| step.before.clone(), |entry| entry.shipped);
        let (family, last) = (step.family.clone(), step.after.clone());
        self.entries.insert(key, Entry { path, family, shipped, last });
    }

    /// The record of one file.
    pub fn get(&self, path: &GamePath) -> Option<&Entry> {
        self.entries.get(&fold(path.as_str()))
    }

    /// Every record, by path.
    pub fn entries(&self) -> impl Iterator<Item = &Entry> {
        self.entries.values()
    }
}

fn content(held: Option<&Held>) -> Option<crate::content::Content> {
    held.map(|held| held.state.content)
}
