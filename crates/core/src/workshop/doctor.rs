//! Examines the home: damage, possible repairs, and unneeded files.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use super::recover::scope_with;
use super::{Altering, Workshop};
use crate::change::{Change, RecordState, State, Target};
use crate::content::Content;
use crate::error::{HomeError, Result};
use crate::feed::FeedFault;
use crate::game::Game;
use crate::history::History;
use crate::path::slashes;
use crate::rack::{Build, clear_scratch, scratch_left};
use crate::remedy::{Action, Remedy};
use crate::state::Shelf;
use upright_spanner_change::{Fault, Found, NoCopies, Place, Progress, Territory};

/// The result of an examination.
#[derive(Debug, Clone, Default)]
pub struct Diagnosis {
    /// The home's path.
    pub home: PathBuf,
    /// The faults that the database engine finds in the index.
    pub index: Vec<String>,
    /// Journal files that are damaged or missing.
    pub journal: Vec<Fault>,
    /// Unreadable labels of the rack, each with the reason.
    pub labels: Vec<(PathBuf, String)>,
    /// Feeds that cannot be used.
    pub feeds: Vec<FeedFault>,
    /// The reason why `games.toml` cannot be read.
    pub words: Option<String>,
    /// Why the file of proofs cannot be read.
    pub proofs: Option<String>,
    /// Changes that wait to be put back.
    pub interrupted: Vec<i64>,
    /// Contents that builds or rollback points need and that are missing or damaged: which one, and
    /// what needs it.
    pub contents: Vec<(Content, String)>,
    /// Files that an interrupted run left in game folders, and builds that never arrived in full.
    pub leftovers: Vec<PathBuf>,
    /// Labels of builds of which everything is stored, though that is not noted.
    pub arrived: Vec<PathBuf>,
    /// Games whose folder is not there.
    pub gone: Vec<Game>,
    /// Contents that were read.
    pub read: usize,
}

/// The repairs.
#[derive(Debug, Default)]
pub struct Mended {
    /// Journal files that were restored from their copies: the number, and the new path of the damaged file.
    pub journal: Vec<(i64, Option<PathBuf>)>,
    /// Files that were removed.
    pub removed: Vec<PathBuf>,
}

/// Content in the store that neither a build nor a rollback point needs.
#[derive(Debug, Default)]
pub struct Unreferenced {
    /// The contents.
    pub contents: Vec<Content>,
    /// All their bytes.
    pub bytes: u64,
    /// All bytes of the store.
    pub of: u64,
    /// Contents that no record names at all: one may be lost.
    pub unmentioned: Vec<Content>,
}

/// The use of the store by game.
#[derive(Debug, Default)]
pub struct StoreUse {
    /// For each game: how many contents its changes refer to, and their bytes.
    pub games: BTreeMap<String, (usize, u64)>,
    /// For each game: the number of files moved aside beside its folder, and their bytes.
    pub aside: BTreeMap<String, (usize, u64)>,
    /// For the rack.
    pub rack: (usize, u64),
    /// All contents of the store.
    pub all: (usize, u64),
}

/// The code that allows removing contents which no record names.
const UNMENTIONED: &str = "unmentioned";

impl Diagnosis {
    /// Whether something is wrong that was not repaired.
    pub fn is_ill(&self) -> bool {
        !self.index.is_empty()
            || !self.journal.is_empty()
            || !self.labels.is_empty()
            || !self.feeds.is_empty()
            || self.words.is_some()
            || self.proofs.is_some()
            || !self.interrupted.is_empty()
            || !self.contents.is_empty()
    }
}

impl Workshop {
    /// Looks the home over; `deep` reads every stored byte. Nothing is altered.
    ///
    /// # Errors
    /// If the home cannot be read.
    pub fn examine(&self, deep: bool, progress: &dyn Progress) -> Result<Diagnosis> {
        let (history, shelf) = (self.history()?, self.shelf()?);
        let needed = self.needed(&history.changes, &shelf.builds);
        progress.begin("reading the store", Some(needed.len() as u64));
        let mut contents = Vec::new();
        for (content, user) in &needed {
            let whole = if deep { self.store.is_whole(content) } else { self.store.has(content) };
            if !whole {
                contents.push((*content, user.clone()));
            }
            progress.advance(1);
        }

        progress.end();
        Ok(Diagnosis {
            home: self.home.clone(),
            index: self.database.faults(),
            interrupted: self.interrupted()?,
            leftovers: leftovers(&history, &shelf, &self.scratch()),
            arrived: shelf.unnoted.clone(),
            journal: history.faults.clone(),
            labels: shelf.faults.clone(),
            feeds: self.feeds().faults.clone(),
            words: self.words_fault().map(|error| error.to_string()),
            proofs: self.proofs_fault().map(|error| error.to_string()),
            contents,
            gone: self.games_gone()?,
            read: needed.len(),
        })
    }

    /// The use of the store by game.
    ///
    /// # Errors
    /// If the home cannot be read.
    pub fn store_use(&self) -> Result<StoreUse> {
        let sum = |contents: &BTreeSet<Content>| {
            (contents.len(), contents.iter().map(|content| content.size).sum())
        };
        let stored: BTreeSet<Content> = self.store.contents()?.into_iter().collect();
        let mut games: BTreeMap<String, BTreeSet<Content>> = BTreeMap::new();

        for change in &self.history()?.changes {
            let of_game = games.entry(change.game().to_owned()).or_default();
            of_game.extend(change.contents().filter(|content| stored.contains(content)));
        }
        let history = self.history()?;
        let mut aside: BTreeMap<String, (usize, u64)> = BTreeMap::new();
        for change in history.changes.iter().filter(|change| change.counts()) {
            for step in change.steps() {
                let (Target::Aside(moved), State::Tree(tree)) =
                    (step.target(), &step.before().state)
                else {
                    continue;
                };
                if moved.kept.on(change.root()).exists() {
                    let sum = aside.entry(change.game().to_owned()).or_default();
                    sum.0 += usize::try_from(tree.files).unwrap_or(usize::MAX);
                    sum.1 += tree.bytes;
                }
            }
        }
        let shelf = self.shelf()?;
        let rack: BTreeSet<Content> = shelf.builds.iter().flat_map(Build::contents).collect();
        let games = games.into_iter().map(|(game, contents)| (game, sum(&contents))).collect();
        Ok(StoreUse { games, aside, rack: sum(&rack), all: sum(&stored) })
    }

    /// The contents of the store that nothing needs.
    ///
    /// # Errors
    /// If the home cannot be read.
    pub fn unreferenced(&self) -> Result<Unreferenced> {
        let (history, shelf) = (self.history()?, self.shelf()?);
        let needed: BTreeSet<Content> = self
            .needed(&history.changes, &shelf.builds)
            .into_iter()
            .map(|(content, _)| content)
            .chain(shelf.passing.iter().flat_map(|label| label.contents.iter().copied()))
            .collect();

        let mut named: BTreeSet<Content> = self.labels.named()?.into_iter().collect();
        named.extend(history.changes.iter().flat_map(Change::contents));
        let mut found = Unreferenced::default();
        for content in self.store.contents()? {
            found.of += content.size;
            if needed.contains(&content) {
                continue;
            }
            found.bytes += content.size;
            found.contents.push(content);
            if !named.contains(&content) {
                found.unmentioned.push(content);
            }
        }

        Ok(found)
    }

    /// Every content that a build or a rollback point needs, with one that needs it.
    fn needed(&self, changes: &[Change], builds: &[Build]) -> Vec<(Content, String)> {
        let mut needed: Vec<(Content, String)> = Vec::new();
        for build in builds {
            needed.extend(build.contents().map(|content| (content, build.id.to_string())));
        }
        for change in changes {
            let user = format!("change {} of {}", change.number(), change.game());
            // A change that was reverted left every file as it was, so nothing has to be stored for it; but its
            // content may be the only copy of a file that something else altered in the meantime.
            let is_back = change.state() == RecordState::PutBack;
            let needs = |content: &Content| !is_back || self.store.has(content);
            let before = change.steps().iter().filter_map(|step| step.before().state.content());
            // A release that was put onto a game's folder is had if it was taken from.
            let passes = |content: &Content| change.purpose.is_wind() && !self.store.has(content);
            let after = change.steps().iter().filter_map(|step| step.after().state.content());
            let after = after.filter(|content| !passes(content));
            let beneath = change.steps().iter().filter_map(|step| step.beneath()?.state.content());
            let after = after.chain(beneath);
            let contents = before.filter(needs).chain(after.filter(|_| !is_back));
            needed.extend(contents.map(|content| (content, user.clone())));
        }

        needed.sort();
        needed.dedup_by_key(|(content, _)| *content);
        needed
    }
}

/// Files at spare places of changes that are over, labels of builds that never arrived, and unpacked files. In a game
/// no file is treated as ours by its name: the journal decides.
fn leftovers(history: &History, shelf: &Shelf, scratch: &Path) -> Vec<PathBuf> {
    let spares = history.changes.iter().filter_map(spares_left);
    let spares = spares.flat_map(|(territory, spares)| {
        spares.into_iter().map(move |spare| territory.path(&spare)).collect::<Vec<_>>()
    });
    let labels = shelf.passing.iter().map(|label| label.path.clone());
    spares.chain(labels).chain(scratch_left(scratch)).collect()
}

/// The spare places of a finished change that still have a file; none if the game does not exist.
fn spares_left(change: &Change) -> Option<(Territory, Vec<Place>)> {
    let spares = change.record.spares.iter().flatten();
    if change.state() == RecordState::Open || spares.clone().next().is_none() {
        return None;
    }
    let territory = Territory::open(&scope_with(change, None)).ok()?;
    let is_left = |spare: &&Place| matches!(territory.find(spare), Ok(Found::File(_)));
    let left = spares.filter(is_left).cloned().collect();
    Some((territory, left))
}

impl Altering<'_> {
    /// Repairs the findings: restores damaged journal files, and removes the remains of an interrupted run.
    ///
    /// # Errors
    /// If something cannot be written or removed.
    pub fn mend(&self, diagnosis: &Diagnosis) -> Result<Mended> {
        let workshop = self.workshop();
        let Workshop { journal, database, store, labels, .. } = workshop;
        let mut mended = Mended::default();

        for fault in diagnosis.journal.iter().filter(|fault| fault.mending.is_some()) {
            mended.journal.push((fault.number, journal.mend(fault, database)?));
        }
        // Read again under the lock: another process may have been about to name a content it stored.
        let (history, shelf) = (workshop.history()?, workshop.shelf()?);
        for (territory, spares) in history.changes.iter().filter_map(spares_left) {
            for spare in spares {
                territory.remove_file(&spare)?;
                mended.removed.push(territory.path(&spare));
            }
        }

        if history.faults.is_empty() && shelf.faults.is_empty() {
            let needed = workshop.needed(&history.changes, &shelf.builds);
            let needed: BTreeSet<Content> =
                needed.into_iter().map(|(content, _)| content).collect();
            for label in &shelf.passing {
                for content in label.contents.iter().filter(|content| !needed.contains(content)) {
                    store.drop_content(content)?;
                }
                labels.remove(&label.path)?;
                mended.removed.push(label.path.clone());
            }
        }

        for label in &shelf.unnoted {
            labels.note_arrived(label)?;
        }
        store.clear_partial()?;
        mended.removed.extend(clear_scratch(&workshop.scratch())?);
        Ok(mended)
    }

    /// Removes unneeded contents; returns them. Nothing is removed while a record is missing or damaged, since its
    /// contents may be the only originals.
    ///
    /// # Errors
    /// [`HomeError::NotSure`] if the needed contents are uncertain.
    pub fn reclaim(&self, despite: &[String]) -> Result<Unreferenced> {
        let workshop = self.workshop();
        let not_sure = |why: String, remedy: Remedy| Err(HomeError::NotSure { why, remedy }.into());
        let mend = || Remedy::by("Repair the home first.", Action::Mend);
        // What copies say does not count here: the files themselves are read.
        let files = workshop.journal.read(&NoCopies)?;
        let known = workshop.history()?;
        if let Some(fault) = files.faults.first().or(known.faults.first()) {
            let why = format!("{} is not reliable: {}", slashes(&fault.path), fault.what);
            return not_sure(why, mend());
        }

        if let Some((path, what)) = workshop.shelf()?.faults.first() {
            return not_sure(format!("{} cannot be read: {what}", slashes(path)), mend());
        }
        let found = workshop.unreferenced()?;
        let overridden = despite.iter().any(|code| code == UNMENTIONED);
        if !found.unmentioned.is_empty() && !overridden {
            let many = found.unmentioned.len();
            return not_sure(
                format!("no record names {many} of the stored contents, so a record may be lost"),
                ("If you are sure that none is, reclaim them too.", Action::ReclaimUnmentioned)
                    .into(),
            );
        }

        for content in &found.contents {
            workshop.store.drop_content(content)?;
        }
        Ok(found)
    }
}
