//! The combined effect of a game's changes on each target: its shipped state, and its state after the last change. It
//! is a function of the journal alone.

use std::collections::{BTreeMap, HashMap};
use std::path::Path;

use crate::change::{Change, Owner, Side, State, Step, Target, Undoings};
use crate::path::{TreePath, fold};
use upright_spanner_change::{Place, SettingKey};

/// The targets of one game that changes have touched.
#[derive(Debug, Default)]
pub struct Ledger {
    entries: BTreeMap<Target, LedgerEntry>,
    /// The targets that differ only in case, by their folded key.
    by_key: HashMap<String, Vec<Target>>,
}

/// The effect of a wind on the shipped state of one target.
struct Wound {
    target: Target,
    /// The new shipped state.
    brought: Side,
    /// The old shipped state.
    found: Side,
}

/// The record of one target.
#[derive(Debug, Clone)]
pub struct LedgerEntry {
    /// The target.
    pub target: Target,
    /// The owner at the last change.
    pub owner: Owner,
    /// The shipped state: the state before the first change, or, if something else altered it between changes, the
    /// state before the next one. A file deleted by hand still counts as shipped. A wind replaces the shipped state.
    pub shipped: Side,
    /// The state before the first change.
    pub first: Side,
    /// The state after the last change.
    pub last: Side,
    /// The build that this came from, if it came from one.
    pub source: Option<String>,
    /// The change that left it so.
    pub change: i64,
    /// Whether keys in it were set by changes since then.
    is_tuned: bool,
}

/// The levels around a key or a value, from outside, folded for comparison.
fn levels(target: &Target) -> Vec<String> {
    match target {
        Target::Setting(key) => key.path.around().iter().map(|name| fold(name)).collect(),
        Target::Value(value) => value.value.levels().map(fold).collect(),
        _ => Vec::new(),
    }
}

/// Whether two targets are in the same file or registry.
fn is_beside(a: &Target, b: &Target) -> bool {
    match (a, b) {
        (Target::Setting(a), Target::Setting(b)) => a.place.same_as(&b.place),
        (Target::Value(a), Target::Value(b)) => a.registry == b.registry,
        _ => false,
    }
}

impl LedgerEntry {
    /// Its place, or that of the file that contains it; `None` if it is not in a file.
    pub fn place(&self) -> Option<&Place> {
        self.target.place()
    }

    /// Whether something else than the game's own content was left there.
    pub fn in_force(&self) -> bool {
        !self.shipped.same_as(&self.last)
    }
}

impl Ledger {
    /// Reads what `changes`, oldest first, did to the targets below `root`, whichever game they were
    /// made for, since the same folder may have been given as part of another game; and what those
    /// of this very game did in bays elsewhere.
    pub fn of<'a>(root: &Path, changes: impl IntoIterator<Item = &'a Change>) -> Self {
        let mut ledger = Self::default();
        let mut undoings = Undoings::default();
        let mut winds: BTreeMap<i64, Vec<Wound>> = BTreeMap::new();
        for change in changes {
            let winds_back = change.purpose.is_wind();
            for (step, after) in change.record.effects() {
                let own = || (change.root() == root).then(|| step.target().clone());
                let path = change.on_disk(step.target());
                let below = path.and_then(|path| TreePath::below(root, &path).ok());
                let below = below.map(|path| step.target().with_place(path.into()));
                let Some(target) = below.or_else(own) else { continue };
                ledger.enter(target.clone(), step, after, change.number());
                if winds_back {
                    let brought = step.beneath().unwrap_or(after).clone();
                    let found = ledger.ships(&target, brought.clone());
                    winds.entry(change.number()).or_default().push(Wound {
                        target,
                        brought,
                        found,
                    });
                }
            }
            let turned = undoings.take(change).filter(|_| change.counts());
            if let Some((wounds, on)) = turned.and_then(|(root, on)| Some((winds.get(&root)?, on)))
            {
                for wound in wounds {
                    let ships = if on { &wound.brought } else { &wound.found };
                    ledger.ships(&wound.target, ships.clone());
                }
            }
        }

        for target in ledger.entries.keys() {
            ledger.by_key.entry(target.key()).or_default().push(target.clone());
        }
        ledger
    }

    /// Removes and returns the entry of a target. A tree that was moved aside may have been moved elsewhere before.
    fn take(&mut self, target: &Target) -> Option<LedgerEntry> {
        let place = match target {
            Target::Aside(aside) => &aside.place,
            _ => return self.entries.remove(target),
        };
        let is_it = |other: &&Target| matches!(other, Target::Aside(own) if own.place == *place);
        let known = self.entries.keys().find(is_it).cloned();
        known.and_then(|known| self.entries.remove(&known))
    }

    /// Sets the shipped state of a target; returns the old one.
    fn ships(&mut self, target: &Target, side: Side) -> Side {
        let entry = self.entries.get_mut(target);
        entry.map_or(Side::ABSENT, |entry| std::mem::replace(&mut entry.shipped, side))
    }

    fn enter(&mut self, target: Target, step: &Step, after: &Side, change: i64) {
        let known = self.take(&target);
        let first = known.as_ref().map_or_else(|| step.before().clone(), |e| e.first.clone());
        let shipped = match known {
            Some(entry) if entry.last.same_as(step.before()) || entry.is_tuned => entry.shipped,
            // A file deleted by hand keeps its shipped state.
            Some(entry) if step.before().state.is_absent() => entry.shipped,
            _ => step.before().clone(),
        };

        let entry = LedgerEntry {
            target: target.clone(),
            owner: step.owner().clone(),
            shipped,
            first,
            last: after.clone(),
            source: step.source().map(str::to_owned),
            change,
            is_tuned: false,
        };
        if let Target::Setting(key) = &target {
            if let Some(file) = self.entries.get_mut(&Target::File(key.place.clone())) {
                file.is_tuned = true;
            }
        }
        // With a file its keys go.
        if let Some(file) = target.file().filter(|_| after.state.is_absent()) {
            let is_in = |other: &Target| match other {
                Target::Setting(key) => key.place.same_as(file),
                _ => false,
            };
            self.entries.retain(|other, _| !is_in(other));
        }
        self.entries.insert(target, entry);
    }

    /// The record of one file: of that very spelling, else of the only one that differs in case alone.
    pub fn get(&self, place: &Place) -> Option<&LedgerEntry> {
        self.at(&Target::File(place.clone()))
    }

    /// The record of one target.
    pub fn at(&self, target: &Target) -> Option<&LedgerEntry> {
        self.entries.get(target).or_else(|| match &self.by_key.get(&target.key())?[..] {
            [one] => self.entries.get(one),
            _ => None,
        })
    }

    /// Whether a target of that very spelling has a record.
    pub(crate) fn has(&self, target: &Target) -> bool {
        self.entries.contains_key(target)
    }

    /// Every record, by path.
    pub fn entries(&self) -> impl Iterator<Item = &LedgerEntry> {
        self.entries.values()
    }

    /// Every record of a file, by path.
    pub fn files(&self) -> impl Iterator<Item = (&Place, &LedgerEntry)> {
        self.entries().filter_map(|entry| Some((entry.target.file()?, entry)))
    }

    /// The state of a missing key or value: sections and registry keys around it that a change has made do not count
    /// as present before.
    pub fn unset(&self, target: &Target, now: State) -> State {
        let State::Unset { around } = now else { return now };
        let own = levels(target);
        let made = self.entries.values().filter(|entry| is_beside(&entry.target, target));
        let before = made.filter_map(|entry| match entry.first.state {
            State::Unset { around } => {
                let other = levels(&entry.target);
                let shared = other.iter().zip(&own).take_while(|(a, b)| a == b).count();
                (shared > around).then_some(around)
            }
            _ => None,
        });
        State::Unset { around: before.min().map_or(around, |least| least.min(around)) }
    }

    /// The keys of a settings file that changes have set.
    pub fn keys_in<'a>(&'a self, file: &'a Place) -> impl Iterator<Item = &'a SettingKey> {
        self.entries.keys().filter_map(move |target| match target {
            Target::Setting(key) if key.place.same_as(file) => Some(key),
            _ => None,
        })
    }

    /// Whether a folder was made by a change and no change has removed it.
    pub fn made(&self, folder: &Place) -> bool {
        let entry = self.at(&Target::Folder(folder.clone()));
        entry.is_some_and(|e| e.first.state.is_absent() && !e.last.state.is_absent())
    }

    /// The folders that changes made and did not remove, each with its owner.
    pub fn made_folders(&self) -> impl Iterator<Item = (&Place, &Owner)> {
        let folders = self.entries().filter(|entry| entry.target.is_folder());
        let folders = folders.filter_map(|entry| Some((entry.place()?, &entry.owner)));
        folders.filter(|(folder, _)| self.made(folder))
    }

    /// Whether nothing is recorded.
    pub fn is_empty(&self) -> bool {
        self.entries.is_empty()
    }
}
