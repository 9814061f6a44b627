//! The change engine: carries out a plan whole or not at all.
//!
//! The order is what makes it safe. Old content is durable in the store before the journal says
//! that a change has begun; the journal says so before anything lies in the game's folder; new
//! content lies staged beside its target, synced, before the first file is replaced; and each
//! replacement is one rename. Whatever happens on the way, the journal names every file together
//! with what it was.

mod files;

use std::collections::HashSet;
use std::fs;
use std::io::ErrorKind;
use std::path::{Path, PathBuf};
use std::thread;

use jiff::Timestamp;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

use crate::check::game_running;
use crate::content::{Content, FileState, read_ahead};
use crate::error::{Error, Result};
use crate::path::GamePath;
use crate::plan::{Held, Merge, Plan, Step};
use crate::progress::Progress;
use crate::state::{Blobs, Database};
use crate::survey::GameView;
use crate::version::Version;

/// One journalled, reversible alteration of one game.
#[derive(Debug, Clone, Serialize)]
pub struct Change {
    /// Its number, by which it is named; 0 before it is journalled.
    pub number: i64,
    /// The id of the game.
    pub game: String,
    /// The game's folder.
    #[serde(skip)]
    pub root: PathBuf,
    /// What it was for, as in `fit cvo-upscale@2.9.1`.
    pub summary: String,
    /// What it was for, for the program.
    pub deed: Deed,
    /// The executable that counted then.
    pub executable: Option<ExecutableMark>,
    /// Codes of the findings that the user went on despite.
    pub despite: Vec<String>,
    /// When it began.
    pub began: Timestamp,
    /// How far it came.
    pub state: ChangeState,
    /// What was done to each file.
    pub steps: Vec<Step>,
}

impl Change {
    /// The change that a plan comes to, not yet journalled, with the settings files that it merges.
    fn of(plan: Plan, state: ChangeState) -> (Self, Vec<Merge>) {
        let change = Self {
            number: 0,
            despite: plan.despite(),
            game: plan.game.id,
            root: plan.game.root,
            summary: plan.summary,
            deed: plan.deed,
            executable: plan.executable,
            began: Timestamp::now(),
            state,
            steps: plan.steps,
        };
        (change, plan.merges)
    }
}

/// What a change was for, as far as later commands need to know.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Deed {
    /// Builds were put in.
    Fit,
    /// Files were put back as shipped, or as at an earlier point.
    Rollback,
    /// The change of this number was undone.
    Undo(i64),
    /// Fitted builds were put back after something else had overwritten them.
    Refit,
    /// Swaps made by hand were taken under management. No file was altered.
    Adopt,
    /// A family was taken out for now.
    Park(String),
    /// What the change of this number took out was put back.
    Unpark(i64),
}

/// The executable that counted when a change was made.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct ExecutableMark {
    /// Where it was.
    pub path: GamePath,
    /// The version of the game.
    pub version: Option<Version>,
    /// Its length in bytes.
    pub size: u64,
    /// When it was linked, as its header says.
    pub stamp: u32,
}

impl ExecutableMark {
    /// The mark of a game as it is now.
    pub(crate) fn of(view: &GameView) -> Option<Self> {
        let executable = view.executable()?;
        Some(Self {
            path: executable.path.clone(),
            version: view.version.as_ref().and_then(|known| known.version.clone()),
            size: executable.facts.size,
            stamp: executable.facts.stamp,
        })
    }
}

/// How far a change came.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum ChangeState {
    /// Begun, and neither finished nor put back: the program was interrupted.
    Open,
    /// Finished and verified.
    Done,
    /// Failed or interrupted, with every file as before.
    PutBack,
}

impl ChangeState {
    /// The word used in output and in JSON.
    pub fn name(self) -> &'static str {
        match self {
            Self::Open => "open",
            Self::Done => "done",
            Self::PutBack => "put-back",
        }
    }

    pub(crate) fn from_name(name: &str) -> Self {
        match name {
            "done" => Self::Done,
            "put-back" => Self::PutBack,
            _ => Self::Open,
        }
    }
}

/// Writing a file of as many bytes takes so long that another is better read at the same time.
const LARGE: u64 = 16 << 20;

/// Carries out a plan that nothing stops. The contents that it places must be in the store.
pub(crate) fn apply(
    plan: Plan,
    blobs: &Blobs,
    database: &mut Database,
    progress: &dyn Progress,
) -> Result<Change> {
    let (mut change, merges) = Change::of(plan, ChangeState::Open);
    keep(&change, &merges, blobs, progress).map_err(|cause| {
        progress.end();
        change.steps.iter().for_each(|step| release(&change, step, blobs));
        Error::Untouched { cause: Box::new(cause) }
    })?;
    change.number = database.begin_change(&change)?;
    match execute(&change, blobs, progress) {
        Ok(()) => {
            database.close_change(&change, ChangeState::Done)?;
            change.state = ChangeState::Done;
            Ok(change)
        }
        Err(cause) => {
            progress.end();
            let cause = Box::new(cause);
            match put_back(&change, blobs, database) {
                Ok(()) => Err(Error::PutBack { cause }),
                Err(failure) => Err(Error::NotPutBack { cause, failure: Box::new(failure) }),
            }
        }
    }
}

/// Makes what the change replaces durable in the store, and makes sure of what it places.
fn keep(change: &Change, merges: &[Merge], blobs: &Blobs, progress: &dyn Progress) -> Result<()> {
    let steps = &change.steps;
    for merge in merges.iter().filter(|merge| steps.iter().any(|step| step.place == merge.place)) {
        blobs.keep_bytes(&merge.merged.bytes)?;
    }
    // Where several files have the same content, the first one's is kept: it is the first to go.
    let mut seen = HashSet::new();
    let mut is_first = |held: &Held| seen.insert(held.state.content);
    let first: Vec<bool> =
        steps.iter().map(|step| step.before.as_ref().is_some_and(&mut is_first)).collect();
    // Whoever has a file open can write into it wherever it goes.
    let in_use = change.despite.iter().any(|code| code == game_running::CODE);
    side_by_side(steps, "keeping the files that are there now", progress, |index, step| {
        let path = files::inside(&change.root, &step.place)?;
        expect_at_a_glance(&path, step.before.as_ref().map(|held| &held.state))?;
        match &step.before {
            Some(held) if first[index] && in_use => blobs.keep(&path, &held.state.content)?,
            Some(held) if first[index] => blobs.keep_outgoing(&path, &held.state.content)?,
            _ => {}
        }
        if let Some(held) = &step.after {
            blobs.file(&held.state.content)?;
        }
        Ok(())
    })
}

/// Does something for every step, several at a time: most of it is waiting for the disk.
fn side_by_side(
    steps: &[Step],
    doing: &str,
    progress: &dyn Progress,
    work: impl Fn(usize, &Step) -> Result<()> + Sync,
) -> Result<()> {
    progress.begin(doing, Some(steps.len() as u64));
    let done = steps.par_iter().enumerate().try_for_each(|(index, step)| {
        work(index, step)?;
        progress.advance(1);
        Ok(())
    });
    progress.end();
    done
}

/// Journals what was done by hand: every step holds already what it comes to. Nothing is altered
/// but the store and the journal.
pub(crate) fn record(plan: Plan, blobs: &Blobs, database: &mut Database) -> Result<Change> {
    let (mut change, _) = Change::of(plan, ChangeState::Done);
    for step in &change.steps {
        let path = files::inside(&change.root, &step.place)?;
        expect(&path, step.after.as_ref().map(|held| &held.state))?;
        for held in [&step.before, &step.after].into_iter().flatten() {
            // The originals have been stored by the planner's caller.
            blobs.keep(&path, &held.state.content)?;
        }
    }
    change.number = database.begin_change(&change)?;
    Ok(change)
}

/// Stages everything, then replaces file by file, then reads everything back.
fn execute(change: &Change, blobs: &Blobs, progress: &dyn Progress) -> Result<()> {
    side_by_side(&change.steps, "staging the new files", progress, |index, _| {
        stage(change, index, blobs)
    })?;
    progress.begin("swapping", Some(change.steps.len() as u64));
    for (index, step) in change.steps.iter().enumerate() {
        let target = files::inside(&change.root, &step.place)?;
        expect(&target, step.before.as_ref().map(|held| &held.state))?;
        if step.after.is_some() {
            files::replace(&staged(change, index)?, &target)?;
        } else {
            files::remove(&target)?;
            files::remove_empty_folders(&target, step.folders)?;
        }
        progress.advance(1);
    }
    progress.end();

    side_by_side(&change.steps, "reading back", progress, |_, step| {
        let target = files::inside(&change.root, &step.place)?;
        files::sync_parent(&target)?;
        match &step.after {
            Some(held) if Content::read(&target)? == held.state.content => Ok(()),
            None if !target.exists() => Ok(()),
            _ => Err(Error::NotAsExpected { path: target }),
        }
    })
}

/// Puts the new content of a step beside its target.
fn stage(change: &Change, index: usize, blobs: &Blobs) -> Result<()> {
    let step = &change.steps[index];
    let Some(new) = &step.after else { return Ok(()) };
    let staged = staged(change, index)?;
    files::make_folders(&staged)?;
    let stored = blobs.file(&new.state.content)?;
    thread::scope(|scope| {
        // What it replaces is read once more meanwhile. When its turn comes, its marks prove that it
        // has stayed so.
        if step.before.as_ref().is_some_and(|old| old.state.content.size >= LARGE) {
            scope.spawn(|| read_ahead(&step.place.on(&change.root)));
        }
        files::stage(&stored, &staged, &new.state)
    })
}

/// Makes every file of an unfinished change what it was before, and forgets what was staged.
///
/// A file that holds neither what the change found nor what it put there was altered by something
/// else; it is left as it is.
pub(crate) fn put_back(change: &Change, blobs: &Blobs, database: &Database) -> Result<()> {
    for (index, step) in change.steps.iter().enumerate().rev() {
        let target = files::inside(&change.root, &step.place)?;
        let staged = staged(change, index)?;
        files::remove_if_there(&staged)?;
        let made = if step.before.is_none() { step.folders } else { 0 };
        let content = |state: Option<&FileState>| state.map(|state| state.content);
        let before = step.before.as_ref().map(|held| held.state);
        let after = step.after.as_ref().map(|held| held.state);
        let now = content(FileState::observe(&target)?.as_ref());
        release(change, step, blobs);
        if now == content(before.as_ref()) || now != content(after.as_ref()) {
            files::remove_empty_folders(&target, made)?;
            continue;
        }
        if let Some(state) = before {
            files::make_folders(&staged)?;
            files::stage(&blobs.file(&state.content)?, &staged, &state)?;
            files::replace(&staged, &target)?;
        } else {
            files::remove(&target)?;
            files::remove_empty_folders(&target, made)?;
        }
        files::sync_parent(&target)?;
    }
    database.close_change(change, ChangeState::PutBack)
}

/// Where a file stays in the game, it is not at the same time the stored copy of what it was.
fn release(change: &Change, step: &Step, blobs: &Blobs) {
    if let Some(held) = &step.before {
        blobs.release(&step.place.on(&change.root), &held.state.content);
    }
}

/// Where the new content of a step waits: beside its target, so that a rename suffices.
fn staged(change: &Change, index: usize) -> Result<PathBuf> {
    let step = &change.steps[index];
    let name = format!(".spanner-{}-{index}.staged", change.number);
    Ok(files::inside(&change.root, &step.place)?.with_file_name(name))
}

/// Fails where a file cannot be what it should be. What is in it is read when its turn comes.
fn expect_at_a_glance(path: &Path, state: Option<&FileState>) -> Result<()> {
    let metadata = match fs::symlink_metadata(path) {
        Ok(metadata) => Some(metadata),
        Err(error) if error.kind() == ErrorKind::NotFound => None,
        Err(error) => return Err(Error::io("look at", path)(error)),
    };
    let now = metadata.map(|metadata| (metadata.is_file(), metadata.len()));
    if now == state.map(|state| (true, state.content.size)) {
        Ok(())
    } else {
        Err(Error::NotAsExpected { path: path.to_owned() })
    }
}

/// Fails unless a file holds what it should.
fn expect(path: &Path, state: Option<&FileState>) -> Result<()> {
    let now: Option<Content> = FileState::observe(path)?.map(|state| state.content);
    if now == state.map(|state| state.content) {
        Ok(())
    } else {
        Err(Error::NotAsExpected { path: path.to_owned() })
    }
}
