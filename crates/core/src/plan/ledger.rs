//! What the changes of one game, taken together, say of each file: what the game brought, and what
//! the last change left.

use std::collections::BTreeMap;
use std::path::Path;

use super::{Held, Place, Step, content};
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
    pub place: Place,
    /// The family that it was last touched for.
    pub family: String,
    /// What the game brought: what was there before the first change, or, where something else
    /// than a change has altered the file since, what was there before the next one.
    pub shipped: Option<Held>,
    /// What the last change left there.
    pub last: Option<Held>,
    /// How many of the folders around it were made with it.
    pub folders: usize,
}

impl Entry {
    /// Whether something else than the game's own content was left there.
    pub fn in_force(&self) -> bool {
        content(self.shipped.as_ref()) != content(self.last.as_ref())
    }
}

impl Ledger {
    /// Reads what `changes`, oldest first, did to the files below `root`, whichever game they were
    /// made for, since the same folder may have been given as part of another game; and what those
    /// of this very game did in bays elsewhere.
    pub fn of(root: &Path, changes: &[Change]) -> Self {
        let mut ledger = Self::default();
        for change in changes.iter().filter(|change| change.state == ChangeState::Done) {
            for step in &change.steps {
                let below = GamePath::below(root, &step.place.on(&change.root)).map(Place::from);
                let elsewhere = || (change.root == root).then(|| step.place.clone());
                if let Some(place) = below.or_else(elsewhere) {
                    ledger.enter(place, step);
                }
            }
        }
        ledger
    }

    fn enter(&mut self, place: Place, step: &Step) {
        let key = key(&place);
        let known = self.entries.remove(&key);
        let undisturbed =
            known.filter(|entry| content(entry.last.as_ref()) == content(step.before.as_ref()));
        let (shipped, folders) = undisturbed.map_or_else(
            || (step.before.clone(), step.folders),
            |entry| (entry.shipped, entry.folders.max(step.folders)),
        );
        let (family, last) = (step.family.clone(), step.after.clone());
        self.entries.insert(key, Entry { place, family, shipped, last, folders });
    }

    /// The record of one file.
    pub fn get(&self, place: &Place) -> Option<&Entry> {
        self.entries.get(&key(place))
    }

    /// Every record, by path.
    pub fn entries(&self) -> impl Iterator<Item = &Entry> {
        self.entries.values()
    }
}

/// A place in the form in which places are compared.
fn key(place: &Place) -> String {
    let bay = place.bay.as_ref().map_or_else(String::new, |bay| bay.to_string_lossy().into_owned());
    format!("{bay}\0{}", fold(place.path.as_str()))
}
