//! The history: every change of every game, found by the folders that they touched.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use crate::change::Change;
use upright_spanner_change::Fault;

/// Every change, and what of the journal cannot be relied on.
#[derive(Debug, Default)]
pub struct History {
    /// The changes that can be understood, oldest first.
    pub changes: Vec<Change>,
    /// Files of the journal that are damaged or missing.
    pub faults: Vec<Fault>,
    /// The changes that touched files below a folder of a game or a bay.
    by_folder: BTreeMap<PathBuf, Vec<usize>>,
}

impl History {
    pub(crate) fn new(changes: Vec<Change>, faults: Vec<Fault>) -> Self {
        let mut by_folder: BTreeMap<PathBuf, Vec<usize>> = BTreeMap::new();
        for (at, change) in changes.iter().enumerate() {
            let bays = change.steps().iter().filter_map(|step| step.place()?.bay());
            for folder in bays.chain([change.root()]) {
                let of_folder = by_folder.entry(folder.to_owned()).or_default();
                if of_folder.last() != Some(&at) {
                    of_folder.push(at);
                }
            }
        }

        Self { changes, faults, by_folder }
    }

    /// The changes that may have touched something in a folder: those of games and bays in it, and of
    /// those that it is in. Oldest first.
    pub(crate) fn around(&self, folder: &Path) -> Vec<&Change> {
        let inside = self.by_folder.range(folder.to_owned()..);
        let inside = inside.take_while(|(other, _)| other.starts_with(folder));
        let outside = folder.ancestors().skip(1).filter_map(|other| self.by_folder.get(other));
        let mut found: Vec<usize> =
            inside.map(|(_, changes)| changes).chain(outside).flatten().copied().collect();
        found.sort_unstable();
        found.dedup();
        found.into_iter().map(|at| &self.changes[at]).collect()
    }
}
