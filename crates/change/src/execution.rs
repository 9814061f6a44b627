//! The engine: carries out a change completely or not at all, and recovers interrupted changes.
//!
//! The order is what makes it safe. The journal names every target, every content and every spare place before
//! anything is touched; old content is durable in the store, and new content is beside its target, before the first
//! target is altered; each alteration is one operation; and the journal says that the change is done only when all of
//! it was read back.

use std::collections::{BTreeMap, HashSet};

use jiff::Timestamp;
use rayon::prelude::*;

use crate::carrier::{Carriers, OnDisk, Restored};
use crate::error::{Error, Result};
use crate::folder::{Found, Identity};
use crate::journal::{Copies, Journal};
use crate::notes::Notes;
use crate::path::{Place, TreePath};
use crate::progress::Progress;
use crate::random::random_name;
use crate::record::{Record, RecordState, Stored};
use crate::step::{Side, State, Step, Target};
use crate::store::Store;
use crate::supply::Supply;
use crate::territory::{Scope, Territory};

/// From so many steps on, files are not made durable one by one but with all of their volume: each of them waits
/// for the disk else.
const MANY: usize = 64;

/// Whether the system can wait for all of a volume.
const CAN_SYNC_VOLUMES: bool = cfg!(target_os = "linux");

/// How names of spare places begin.
const SPARE: &str = ".spanner-";

/// A change to carry out.
#[derive(Debug)]
pub struct Draft {
    /// The id of the altered game.
    pub game: String,
    /// What may be altered.
    pub scope: Scope,
    /// What made the root the folder that it is when the change was planned.
    pub root: Option<Identity>,
    /// The purpose, for people.
    pub summary: String,
    /// What else the caller records of it.
    pub notes: Notes,
    /// The steps, in order.
    pub steps: Vec<Step>,
    /// Whether someone may have the files open that are replaced.
    pub in_use: bool,
    /// Contents that go into the store with the change; steps may place them.
    pub supplies: Vec<Supply>,
}

/// Everything the engine works with.
pub struct Engine<'a> {
    /// Where changes are written down.
    pub journal: &'a Journal,
    /// Copies of the journal's files.
    pub copies: &'a dyn Copies,
    /// Where contents are kept.
    pub store: &'a Store,
    /// Who is shown how long it takes.
    pub progress: &'a dyn Progress,
}

/// What became of one step of an interrupted change.
#[derive(Debug)]
pub struct StepReport {
    /// Which step.
    pub step: usize,
    /// How its target is.
    pub outcome: StepOutcome,
}

/// How the target of an interrupted step is.
#[derive(Debug)]
pub enum StepOutcome {
    /// As before the change.
    AsBefore,
    /// As it was when the change began, but for what its owner has done to it since.
    Untouched,
    /// As the change made it.
    AsAfter,
    /// Neither: something else has put this there.
    Neither(State),
    /// It could not be looked at or put back.
    Unknown(Error),
}

impl StepOutcome {
    fn restored(step: &Step, restored: Result<Restored>) -> Self {
        match restored {
            Ok(Restored::Untouched) => Self::Untouched,
            Ok(Restored::Holds(now)) => Self::of(step, Ok(now)),
            Err(error) => Self::Unknown(error),
        }
    }

    fn of(step: &Step, now: Result<State>) -> Self {
        match now {
            Err(error) => Self::Unknown(error),
            Ok(now) if now.same_as(&step.before().state) => Self::AsBefore,
            Ok(now) if now.same_as(&step.after().state) => Self::AsAfter,
            Ok(now) => Self::Neither(now),
        }
    }

    /// Whether nothing is left to be put back.
    pub fn is_back(&self) -> bool {
        matches!(self, Self::AsBefore | Self::Untouched)
    }
}

/// Why a change was not made.
#[derive(Debug)]
pub enum Failure {
    /// It could not even be written down; nothing was touched.
    Untouched(Error),
    /// It failed, and everything is as before.
    PutBack {
        /// Why it failed.
        cause: Error,
        /// How each target is.
        reports: Vec<StepReport>,
    },
    /// It failed, and not everything could be put back; the change stays open.
    Waiting {
        /// Its number.
        number: i64,
        /// Why it failed.
        cause: Error,
        /// How each target is.
        reports: Vec<StepReport>,
    },
    /// It was made and verified, but could not be noted in the journal.
    NotNoted {
        /// Its number.
        number: i64,
        /// Why not.
        cause: Error,
    },
}

/// What became of a change that had been interrupted.
#[derive(Debug)]
#[must_use]
pub struct Recovered {
    /// How far the change came in the end: open still, if a target could not be put back.
    pub state: RecordState,
    /// How each target is.
    pub reports: Vec<StepReport>,
}

impl Engine<'_> {
    /// Carries out a change. Must be called under the locks of the game and of every bay it writes to.
    ///
    /// # Errors
    /// The failure says how everything was left.
    pub fn apply(&self, draft: Draft) -> Result<Record, Failure> {
        let territory = Territory::open(&draft.scope).map_err(Failure::Untouched)?;
        if draft.root.is_some() && territory.identity().ok() != draft.root {
            let path = territory.root().to_owned();
            return Err(Failure::Untouched(Error::AnotherFolder { path }));
        }

        for place in draft.steps.iter().flat_map(|step| step.target().places()) {
            territory.base(place).map_err(Failure::Untouched)?;
        }
        let spares = spares(&draft.steps, &territory).map_err(Failure::Untouched)?;
        let supplies = draft.supplies;
        let draft = Draft { supplies: Vec::new(), ..draft };
        if !(CAN_SYNC_VOLUMES && draft.steps.len() >= MANY) {
            let carriers = OnDisk::new(&territory, self.store, draft.in_use);
            let carriers = carriers.supplied_with(&supplies);
            return self.apply_supplied(draft, spares, &carriers, &supplies, self.store);
        }
        let (store, territory) =
            (self.store.for_many().map_err(Failure::Untouched)?, territory.for_many());
        let carriers = OnDisk::new(&territory, &store, draft.in_use).for_many();
        let carriers = carriers.supplied_with(&supplies);
        self.apply_supplied(draft, spares, &carriers, &supplies, &store)
    }

    /// Carries out a change by other carriers than those on disk.
    ///
    /// # Errors
    /// The failure says how everything was left.
    pub fn apply_with(
        &self,
        draft: Draft,
        spares: Vec<Option<Place>>,
        carriers: &dyn Carriers,
    ) -> Result<Record, Failure> {
        let supplies = draft.supplies;
        let draft = Draft { supplies: Vec::new(), ..draft };
        self.apply_supplied(draft, spares, carriers, &supplies, self.store)
    }

    fn apply_supplied(
        &self,
        draft: Draft,
        spares: Vec<Option<Place>>,
        carriers: &dyn Carriers,
        supplies: &[Supply],
        store: &Store,
    ) -> Result<Record, Failure> {
        let mut record = record(draft, spares);
        self.journal.begin(&mut record, self.copies).map_err(Failure::Untouched)?;
        let work = Work { record: &record, carriers, progress: self.progress };
        let number = record.number;
        let mut begun = 0;
        match work.carry_out(supplies, store, &mut begun) {
            Ok(left) => self.close(record, left),
            Err(cause) => {
                self.progress.end();
                let reports = work.put_back(begun);
                Err(self.fail(number, cause, reports))
            }
        }
    }

    /// Records changes made by hand: each target already has the new state of its step. Only the store and the
    /// journal are written. `originals` gives, for steps that replace something, the present path of the old file.
    ///
    /// # Errors
    /// The failure says how everything was left.
    pub fn note(&self, draft: Draft, originals: &[(usize, Place)]) -> Result<Record, Failure> {
        let territory = Territory::open(&draft.scope).map_err(Failure::Untouched)?;
        let spares = draft.steps.iter().map(|_| None).collect();
        let mut record = record(draft, spares);
        record.is_noted = true;
        let mut stored = Vec::new();
        for step in &record.steps {
            stored.extend(stored_of(step, step.before()));
            stored.extend(stored_of(step, step.after()));
        }

        record.stored = stored;
        self.journal.begin(&mut record, self.copies).map_err(Failure::Untouched)?;

        let number = record.number;
        let originals =
            originals.iter().filter_map(|(n, place)| Some((record.steps.get(*n)?, place)));
        let kept = originals
            .map(|(step, place)| self.keep(&territory, place, step.before()))
            .chain(record.steps.iter().filter_map(|step| {
                Some(self.keep(&territory, step.target().file()?, step.after()))
            }))
            .collect::<Result<()>>();
        match kept {
            Ok(()) => self.close(record, BTreeMap::new()),
            Err(cause) => Err(self.fail(number, cause, Vec::new())),
        }
    }

    /// Keeps a file as it is expected to be, if one is.
    fn keep(&self, territory: &Territory, place: &Place, side: &Side) -> Result<()> {
        let Some(state) = side.state.file() else { return Ok(()) };
        let path = territory.path(place);
        let changed = || Error::NotAsExpected { path: path.clone() };
        let file = territory.read(place)?.ok_or_else(changed)?;
        self.store.keep(&file, &state.content, &path)
    }

    /// Notes a change as done.
    fn close(&self, mut record: Record, left: BTreeMap<usize, Side>) -> Result<Record, Failure> {
        let number = record.number;
        let closed = self.end(number, RecordState::Done, &left);
        closed.map_err(|cause| Failure::NotNoted { number, cause })?;
        (record.state, record.left) = (RecordState::Done, left);
        Ok(record)
    }

    fn end(&self, number: i64, state: RecordState, left: &BTreeMap<usize, Side>) -> Result<()> {
        self.journal.close(number, state, left, self.copies)
    }

    /// Notes a change as put back, where everything is; else it waits.
    fn fail(&self, number: i64, cause: Error, reports: Vec<StepReport>) -> Failure {
        let all = reports.iter().all(|report| report.outcome.is_back());
        if all && self.end(number, RecordState::PutBack, &BTreeMap::new()).is_ok() {
            Failure::PutBack { cause, reports }
        } else {
            Failure::Waiting { number, cause, reports }
        }
    }

    /// Recovers an interrupted change: records it as done if all steps were done, otherwise reverts as many as
    /// possible. Must be called under the lock of the game. If a step cannot be reverted, the change stays open.
    pub fn recover(&self, record: &Record, scope: &Scope) -> Recovered {
        let Ok(territory) = Territory::open(scope) else {
            return Recovered { state: RecordState::Open, reports: out_of_reach(record, scope) };
        };
        self.recover_with(record, &OnDisk::new(&territory, self.store, true))
    }

    /// Takes up a change by other carriers than those on disk.
    pub fn recover_with(&self, record: &Record, carriers: &dyn Carriers) -> Recovered {
        let work = Work { record, carriers, progress: self.progress };
        let has = |side: &Side| side.state.content().is_none_or(|content| self.store.has(&content));
        let is_kept = record.steps.iter().all(|step| has(step.before()));
        let mut reports = if record.is_noted { work.look() } else { Vec::new() };
        let mut state = RecordState::PutBack;

        if record.is_noted {
            if is_kept && reports.iter().all(|r| matches!(r.outcome, StepOutcome::AsAfter)) {
                state = RecordState::Done;
            }
            for report in &mut reports {
                // Nothing was altered, so there is nothing to put back.
                report.outcome = StepOutcome::AsBefore;
            }
        } else if is_kept && work.is_done() {
            state = RecordState::Done;
            reports = work.look();
        } else {
            reports = work.put_back(record.steps.len());
            if !reports.iter().all(|report| report.outcome.is_back()) {
                return Recovered { state: RecordState::Open, reports };
            }
        }

        if self.end(record.number, state, &BTreeMap::new()).is_err() {
            state = RecordState::Open;
        }
        Recovered { state, reports }
    }

    /// How each target of a change is, without altering anything.
    pub fn look(&self, record: &Record, scope: &Scope) -> Vec<StepReport> {
        let Ok(territory) = Territory::open(scope) else { return out_of_reach(record, scope) };
        let carriers = OnDisk::new(&territory, self.store, true);
        Work { record, carriers: &carriers, progress: self.progress }.look()
    }

    /// Ends an interrupted change with the present state. Files at its spare places are stored first, if no other
    /// copy exists.
    ///
    /// # Errors
    /// If that or the journal fails; the change stays open then.
    pub fn settle(&self, record: &Record, scope: &Scope) -> Result<()> {
        let mut left = BTreeMap::new();
        if let Ok(territory) = Territory::open(scope) {
            let carriers = OnDisk::new(&territory, self.store, true);
            for (number, step) in record.steps.iter().enumerate() {
                let found = carriers.of(step.target()).look(step.target());
                let side = match found {
                    Ok(found) if found.same_as(&step.after().state) => step.after().clone(),
                    Ok(found) if found.same_as(&step.before().state) => step.before().clone(),
                    Ok(found) => found.into(),
                    // A target that cannot be read counts as unchanged.
                    Err(_) => step.before().clone(),
                };
                if side != *step.after() {
                    left.insert(number, side);
                }
            }
            for spare in record.spares.iter().flatten() {
                self.keep_spare(&territory, spare)?;
            }
            for (step, spare) in record.steps.iter().zip(&record.spares) {
                carriers.of(step.target()).clear(step, spare.as_ref())?;
            }
        } else {
            let before = record.steps.iter().map(|step| step.before().clone());
            left.extend(before.enumerate());
        }

        self.end(record.number, RecordState::Settled, &left)
    }

    fn keep_spare(&self, territory: &Territory, spare: &Place) -> Result<()> {
        territory.end_swap(spare)?;
        let Some(content) = territory.file(spare)?.content() else { return Ok(()) };
        match territory.read(spare)? {
            Some(file) => self.store.keep(&file, &content, &territory.path(spare)),
            None => Ok(()),
        }
    }
}

/// How the targets of a change are whose folder is not there.
fn out_of_reach(record: &Record, scope: &Scope) -> Vec<StepReport> {
    let report = |step| {
        let gone = Error::io("open", &scope.root)(std::io::ErrorKind::NotFound.into());
        StepReport { step, outcome: StepOutcome::Unknown(gone) }
    };
    (0..record.steps.len()).map(report).collect()
}

/// The record of a draft, with the contents it will store.
fn record(draft: Draft, spares: Vec<Option<Place>>) -> Record {
    // If several files have the same content, it is stored once.
    let mut seen = HashSet::new();
    let originals = draft.steps.iter().filter_map(|step| stored_of(step, step.before()));
    let stored = originals.filter(|stored| seen.insert(stored.content)).collect();

    Record {
        number: 0,
        game: draft.game,
        root: draft.scope.root,
        summary: draft.summary,
        notes: draft.notes,
        began: Timestamp::now(),
        state: RecordState::Open,
        steps: draft.steps,
        spares,
        stored,
        left: BTreeMap::new(),
        is_noted: false,
    }
}

fn stored_of(step: &Step, side: &Side) -> Option<Stored> {
    let file = side.state.file()?;
    Some(Stored {
        content: file.content,
        place: step.target().file()?.clone(),
        label: side.label.clone(),
        modified: file.stamp.modified,
    })
}

/// A place for each step's file while it is not in its place: in the folder of its target, or, if that is not there
/// yet or goes too, in the nearest folder around it that stays.
fn spares(steps: &[Step], territory: &Territory) -> Result<Vec<Option<Place>>> {
    let goes =
        |step: &&Step| matches!(step.target(), Target::Folder(_)) && step.after().state.is_absent();
    let mut known: BTreeMap<Place, bool> =
        steps.iter().filter(goes).filter_map(|step| Some((step.place()?.clone(), false))).collect();
    steps.iter().map(|step| spare(step, &mut known, territory)).collect()
}

/// The same for one step; `known` says which folders are there and stay.
fn spare(
    step: &Step,
    known: &mut BTreeMap<Place, bool>,
    territory: &Territory,
) -> Result<Option<Place>> {
    let is_whole = |target: &Target| {
        matches!(target, Target::Folder(_) | Target::ReadOnly(_) | Target::Aside(_))
    };
    let waits = step.alters() && !is_whole(step.target());
    let Some(place) = step.place().filter(|_| waits) else { return Ok(None) };
    let mut around = None;
    for folder in place.folders() {
        let is_there = match known.get(&folder) {
            Some(is_there) => *is_there,
            None => matches!(territory.find(&folder)?, Found::Folder(_)),
        };
        known.insert(folder.clone(), is_there);
        if is_there {
            around = Some(folder);
            break;
        }
    }

    let name = random_name(SPARE);
    let path = match &around {
        Some(folder) => TreePath::new(&format!("{}/{name}", folder.path()))?,
        None => TreePath::new(&name)?,
    };
    Ok(Some(place.with_path(path)))
}

/// So many files are written at a time: that much a disk takes at once, whatever the processors.
const WRITERS: usize = 8;

/// Runs work on as many threads as it has files, since most of the time it waits for the disk.
fn waiting_for_the_disk<T: Send>(files: usize, work: impl FnOnce() -> T + Send) -> T {
    match rayon::ThreadPoolBuilder::new().num_threads(files.clamp(1, WRITERS)).build() {
        Ok(pool) => pool.install(work),
        // If there are not threads to be had, the usual ones do it.
        Err(_) => work(),
    }
}

/// One change, with what does its steps.
struct Work<'a> {
    record: &'a Record,
    carriers: &'a dyn Carriers,
    progress: &'a dyn Progress,
}

impl Work<'_> {
    fn steps(&self) -> impl Iterator<Item = (usize, &Step, Option<&Place>)> {
        let steps = self.record.steps.iter().zip(&self.record.spares).enumerate();
        steps.map(|(n, (step, spare))| (n, step, spare.as_ref()))
    }

    /// Keeps and stages everything, then exchanges step by step, then reads everything back. Gives what came out
    /// differently than planned, and, also if it fails, how many exchanges were `begun`.
    fn carry_out(
        &self,
        supplies: &[Supply],
        store: &Store,
        begun: &mut usize,
    ) -> Result<BTreeMap<usize, Side>> {
        self.lay_out(supplies, store)?;
        self.carriers.sync()?;

        let mut left = BTreeMap::new();
        self.progress.begin("swapping", Some(self.record.steps.len() as u64));
        for (n, step, spare) in self.steps() {
            self.go_on()?;
            let exchanged = self.carriers.of(step.target()).exchange(step, spare);
            // If something else is there than expected, nothing was done.
            let is_untouched = matches!(exchanged, Err(Error::NotAsExpected { .. }));
            *begun = if is_untouched { n } else { n + 1 };
            if let Some(stays) = exchanged? {
                left.insert(n, stays.into());
            }
            self.progress.advance(1);
        }

        self.progress.end();

        self.progress.begin("reading back", Some(self.record.steps.len() as u64));
        self.side_by_side(|n, step, spare| match left.get(&n) {
            Some(_) => Ok(()),
            None => self.carriers.of(step.target()).settle(step, spare),
        })?;
        self.carriers.sync()?;

        self.progress.end();
        for (_, step, spare) in self.steps() {
            self.carriers.of(step.target()).clear(step, spare)?;
        }
        Ok(left)
    }

    /// Makes the old and the supplied contents durable in the store, and the new ones beside their targets.
    fn lay_out(&self, supplies: &[Supply], store: &Store) -> Result<()> {
        let mut seen = HashSet::new();
        let is_first = |step: &Step| step.before().state.content().is_none_or(|c| seen.insert(c));
        let first: Vec<bool> = self.record.steps.iter().map(is_first).collect();
        let total = self.record.steps.len() + supplies.len();
        self.progress.begin("storing old files and staging new ones", Some(total as u64));

        let supply = || {
            supplies.par_iter().try_for_each(|supply| {
                self.go_on()?;
                supply.keep(store)?;
                self.progress.advance(1);
                Ok(())
            })
        };

        let steps = || {
            self.side_by_side(|n, step, spare| {
                let carrier = self.carriers.of(step.target());
                // One waits for the disk while the other reads.
                let keep = || if first[n] { carrier.keep(step) } else { Ok(()) };
                let (kept, staged) = rayon::join(keep, || carrier.stage(step, spare));
                kept.and(staged)
            })
        };
        // Each step keeps one file and stages one.
        let files = supplies.len() + 2 * self.record.steps.len();
        let (supplied, laid_out) = waiting_for_the_disk(files, || rayon::join(supply, steps));
        self.progress.end();
        supplied.and(laid_out)
    }

    fn go_on(&self) -> Result<()> {
        if self.progress.is_stopped() { Err(Error::Stopped) } else { Ok(()) }
    }

    /// Does something for every step, several at a time.
    fn side_by_side(
        &self,
        work: impl Fn(usize, &Step, Option<&Place>) -> Result<()> + Sync,
    ) -> Result<()> {
        let steps: Vec<_> = self.steps().collect();
        steps.into_par_iter().try_for_each(|(n, step, spare)| {
            self.go_on()?;
            work(n, step, spare)?;
            self.progress.advance(1);
            Ok(())
        })
    }

    /// Restores every target to its old state, the last one first, and continues if one cannot be restored. A target
    /// in neither its old nor its new state is left as it is. Steps that were not `begun` only need their spare
    /// places cleared.
    fn put_back(&self, begun: usize) -> Vec<StepReport> {
        let steps: Vec<_> = self.steps().collect();
        let mut reports: Vec<StepReport> = steps
            .into_iter()
            .rev()
            .map(|(n, step, spare)| {
                let carrier = self.carriers.of(step.target());
                let restored = if step.alters() && n < begun {
                    carrier.restore(step, spare)
                } else {
                    carrier.clear(step, spare).map(|()| Restored::Untouched)
                };
                StepReport { step: n, outcome: StepOutcome::restored(step, restored) }
            })
            .collect();
        reports.reverse();
        reports
    }

    fn look(&self) -> Vec<StepReport> {
        self.steps()
            .map(|(n, step, _)| {
                let now = self.carriers.of(step.target()).look(step.target());
                StepReport { step: n, outcome: StepOutcome::of(step, now) }
            })
            .collect()
    }

    /// Whether every step was done and every displaced content is stored, so that only the outcome is missing.
    fn is_done(&self) -> bool {
        self.steps().all(|(_, step, spare)| {
            let carrier = self.carriers.of(step.target());
            let settled = carrier.look(step.target()).is_ok_and(|now| {
                now.same_as(&step.after().state)
                    && !(step.alters() && now.same_as(&step.before().state))
            });
            settled && carrier.settle(step, spare).is_ok()
        }) && self
            .steps()
            .all(|(_, step, spare)| self.carriers.of(step.target()).clear(step, spare).is_ok())
    }
}
