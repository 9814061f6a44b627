//! The front door: a home folder with everything that it keeps, and what can be done with it.

mod adopt;
mod check;
mod conditions;
mod doctor;
mod drift;
mod families;
mod fit;
mod games;
mod handoff;
mod history;
mod in_use;
mod layouts;
mod merge;
mod on_disk;
mod park;
mod pin;
mod rack;
mod records;
mod recover;
mod refit;
mod rollback;
mod survey;
mod undo;

use std::path::{Path, PathBuf};

use crate::change::{Change, RecordState, Target, notes};
use crate::check::may_be_in_use;
use crate::error::{ChangeError, Error, HomeError, Result};
use crate::plan::{Merge, Plan};
use crate::state::{Database, Labels, Shelf, WordsFile, take_over};
pub use conditions::Cleared;
pub use doctor::{Diagnosis, Mended, StoreUse, Unreferenced};
pub use fit::FitPlan;
pub use history::ChangeStatus;
pub use merge::{ClearedMerge, MergePlan};
use on_disk::OnDisk;
pub use rack::{Added, Addition, ChangesSince, DamagedContent, Proposal};
use records::Records;
pub use recover::{RecoveredTarget, Recovery};
use upright_spanner_change::{
    Draft, Engine, Failure, Folder, Journal, Lock, Progress, StepOutcome, StepReport, Store, Supply,
};

/// A home folder, opened.
#[derive(Debug)]
pub struct Workshop {
    home: PathBuf,
    database: Database,
    journal: Journal,
    store: Store,
    labels: Labels,
    words: WordsFile,
    records: Records,
}

/// The right to alter: no other process of this home has it at the same time.
#[derive(Debug)]
#[must_use]
pub struct Altering<'a> {
    held: &'a Workshop,
    _home: Lock,
}

impl Altering<'_> {
    /// The workshop, with nothing remembered: what it reads is as it is now.
    fn workshop(&self) -> &Workshop {
        self.held.refresh();
        self.held
    }
}

impl Drop for Altering<'_> {
    fn drop(&mut self) {
        self.held.refresh();
    }
}

impl Workshop {
    /// Opens a home folder, making it if needed. One of an earlier version is taken over.
    ///
    /// # Errors
    /// Where it cannot be made or opened, or a newer version of the program wrote it.
    pub fn open(home: &Path) -> Result<Self> {
        drop(Folder::make(home)?);
        let journal = Journal::open(&home.join("journal"))?;
        let store = Store::open(&home.join("blobs"))?;
        let labels = Labels::open(&home.join("rack"))?;
        let words = WordsFile::open(home)?;
        let index = home.join("spanner.db");
        if needs_taking_over(&index) {
            let _lock = Lock::take(home)?;
            take_over(home, &index, &journal, &store, &labels, &words)?;
        }
        let database = Database::open(&index)?;
        let home = home.to_owned();
        let records = Records::default();
        Ok(Self { home, database, journal, store, labels, words, records })
    }

    /// The home folder.
    pub fn home(&self) -> &Path {
        &self.home
    }

    /// Where archives are unpacked.
    fn scratch(&self) -> PathBuf {
        self.home.join("scratch")
    }

    /// Takes the right to alter, waiting a while for another process that has it.
    ///
    /// # Errors
    /// Where the other process does not give it up, or the home cannot be written to.
    pub fn alter(&self) -> Result<Altering<'_>> {
        Ok(Altering { held: self, _home: Lock::take(&self.home)? })
    }

    /// What is wrong with what the user said: a file that was edited may be.
    pub fn words_fault(&self) -> Option<Error> {
        self.words.read().err()
    }

    /// What the labels of the rack say.
    fn read_shelf(&self) -> Result<Shelf> {
        let facts = |content: &crate::content::Content| {
            let known = self.database.image(content);
            known.or_else(|| {
                let facts =
                    upright_spanner_image::Facts::read(&self.store.file(content).ok()?).ok()?;
                self.database.keep_image(content, &facts);
                Some(facts)
            })
        };
        self.labels.read(facts, |content| self.store.has(content))
    }

    fn engine<'a>(&'a self, progress: &'a dyn Progress) -> Engine<'a> {
        let (journal, store) = (&self.journal, &self.store);
        Engine { journal, copies: &self.database, store, progress }
    }
}

/// Whether a database that kept precious things lies in the home. That it does not is the usual case,
/// told without opening it.
fn needs_taking_over(index: &Path) -> bool {
    // The version that the user of the database gave it stands at byte 60, as a big-endian number.
    const VERSION: std::ops::Range<usize> = 60..64;
    let start = upright_spanner_image::file::start_of(index, 64).unwrap_or_default();
    let version =
        start.get(VERSION).and_then(|bytes| bytes.try_into().ok()).map(i32::from_be_bytes);
    version.is_some_and(|version| (1..=3).contains(&version))
}

impl Altering<'_> {
    /// Carries out a plan that nothing stops.
    ///
    /// # Errors
    /// Where it was not done; the error says how everything was left.
    pub fn apply(&self, cleared: Cleared, progress: &dyn Progress) -> Result<Change> {
        let supplies = merged(cleared.plan()).collect();
        self.apply_with(cleared, supplies, progress)
    }

    fn apply_with(
        &self,
        cleared: Cleared,
        supplies: Vec<Supply>,
        progress: &dyn Progress,
    ) -> Result<Change> {
        let plan = cleared.into_plan();
        let workshop = self.workshop();
        let _game = Lock::take(&plan.game.root)?;
        workshop.expect_free(&plan)?;
        let draft = draft(plan, supplies);
        let record = workshop.engine(progress).apply(draft).map_err(failed)?;
        workshop.forget_facts(&record);
        Change::try_from(record).map_err(|what| {
            Error::Home(HomeError::DamagedFile { path: workshop.home.clone(), what })
        })
    }
}

/// How long a virus scanner may take to set aside what it does not like.
const A_MOMENT: std::time::Duration = std::time::Duration::from_millis(100);

impl Workshop {
    /// The libraries that a change has just put into a game and that are gone or another already, looked
    /// at a moment later.
    pub fn gone_since(&self, change: &Change) -> Vec<PathBuf> {
        let is_library = |step: &&crate::change::Step| {
            let name = step.place().path().file_name();
            let comes = step.after().state.content().is_some();
            comes && ["dll", "exe", "asi"].contains(&crate::path::extension(name).as_str())
        };
        let libraries: Vec<_> = change.steps().iter().filter(is_library).collect();
        if libraries.is_empty() {
            return Vec::new();
        }
        std::thread::sleep(A_MOMENT);
        let is_other = |step: &crate::change::Step| {
            let wanted = step.after().state.content().map(|content| content.size);
            let found = std::fs::symlink_metadata(change.on_disk(step.target()));
            found.ok().map(|metadata| metadata.len()) != wanted
        };
        let gone = libraries.into_iter().filter(|step| is_other(step));
        gone.map(|step| change.on_disk(step.target())).collect()
    }

    /// Forgets what was read of the files of a change: some systems' dates do not tell of a swap.
    fn forget_facts(&self, record: &upright_spanner_change::Record) {
        let files: Vec<PathBuf> =
            record.steps.iter().map(|step| step.place().on(&record.root)).collect();
        self.database.forget_facts(files.iter().map(PathBuf::as_path));
    }

    /// Fails where a change that was interrupted is about a target of a plan. Other targets are free.
    fn expect_free(&self, plan: &Plan) -> Result<()> {
        let root = &plan.game.root;
        let on_disk = |target: &Target| target.place().on(root);
        let wanted: Vec<PathBuf> = plan.steps.iter().map(|step| on_disk(step.target())).collect();
        let history = self.history()?;
        let open = history.changes.iter().filter(|change| change.state() == RecordState::Open);
        for change in open {
            let mut targets = change.steps().iter().map(|step| change.on_disk(step.target()));
            if targets.any(|target| wanted.contains(&target)) {
                let (number, root) = (change.number(), change.root().to_owned());
                return Err(Error::Change(ChangeError::Waiting { number, root }));
            }
        }
        Ok(())
    }
}

/// The settings files that a plan merges, as they will be.
fn merged(plan: &Plan) -> impl Iterator<Item = Supply> {
    let is_done = |merge: &&Merge| plan.steps.iter().any(|step| *step.place() == merge.place);
    plan.merges.iter().filter(is_done).map(|merge| Supply::Bytes(merge.merged.bytes.clone()))
}

fn draft(plan: Plan, supplies: Vec<Supply>) -> Draft {
    let despite = plan.despite();
    Draft {
        scope: plan.scope(),
        root: plan.root,
        notes: notes(&plan.purpose, plan.executable.as_ref(), &despite),
        game: plan.game.id,
        summary: plan.summary,
        steps: plan.steps,
        in_use: may_be_in_use(&despite),
        supplies,
    }
}

/// How the engine's failure left everything, in words.
fn failed(failure: Failure) -> Error {
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
