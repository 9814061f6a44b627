//! The front door: a home folder with everything that it keeps, and what can be done with it.

mod builds;
mod checks;
mod conditions;
mod deciding;
mod doctor;
mod families;
mod games;
mod ground;
mod handoff;
mod layouts;
mod merging;
mod pins;
mod time;

use std::fs::{self, File};
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use fs4::FileExt;

use crate::change::{self, Change};
use crate::error::{Error, Result};
use crate::plan::Plan;
use crate::progress::Progress;
use crate::state::{Blobs, Database};
use crate::survey::{self, Knowledge, Survey};
pub use builds::{Added, Addition, Damage, News, Proposal};
pub use checks::Checked;
pub use deciding::{FitOptions, FitPlan};
pub use doctor::{Diagnosis, Waste};
use ground::OnDisk;
pub use merging::MergePlan;
pub use time::{Adoption, Force, Refit};

/// How long to wait for another process that is at work with the same home.
const PATIENCE: Duration = Duration::from_secs(10);

/// What became of a change that had been interrupted.
#[derive(Debug)]
pub struct Recovery {
    /// The change.
    pub change: Change,
    /// Whether every file is back as it was, else why not: the change waits on then.
    pub outcome: Result<()>,
}

/// A home folder, opened.
#[derive(Debug)]
pub struct Workshop {
    home: PathBuf,
    database: Database,
    blobs: Blobs,
}

impl Workshop {
    /// Opens a home folder, making it if needed.
    pub fn open(home: &Path) -> Result<Self> {
        fs::create_dir_all(home).map_err(Error::io("make the home folder", home))?;
        let database = Database::open(&home.join("spanner.db"))?;
        let blobs = Blobs::open(home.join("blobs"))?;
        Ok(Self { home: home.to_owned(), database, blobs })
    }

    /// Surveys everything below some paths. The games found are remembered by id, which writes to
    /// nothing but the home folder.
    pub fn survey(&self, paths: &[PathBuf], progress: &dyn Progress) -> Result<Survey> {
        let mut knowledge = Knowledge {
            games: self.database.games()?,
            library_roots: self.database.library_roots()?,
            builds: self.builds()?,
            changes: self.database.changes(None)?,
            catalog: self.catalog(),
            pins: self.pins()?,
        };
        let known = knowledge.games.clone();
        let survey = survey::survey(paths, &mut knowledge, &self.database, progress)?;
        for view in survey.games.iter().filter(|view| !known.contains(&view.game)) {
            self.database.remember_game(&view.game)?;
        }
        Ok(survey)
    }

    /// Carries out what [`Workshop::plan_fit`] planned; a build that came as a file goes on the
    /// rack.
    pub fn fit(&mut self, fit: FitPlan, progress: &dyn Progress) -> Result<Change> {
        refuse_stops(&fit.plan)?;
        let _lock = self.lock()?;
        if let Some(parcel) = &fit.parcel {
            self.shelve(parcel)?;
        }
        self.carry_out(fit.plan, progress)
    }

    /// Carries out a plan that places nothing but what the store has.
    pub fn carry_out_plan(&mut self, plan: Plan, progress: &dyn Progress) -> Result<Change> {
        refuse_stops(&plan)?;
        let _lock = self.lock()?;
        self.carry_out(plan, progress)
    }

    /// Every change of a game, or of all games, oldest first.
    pub fn history(&self, game: Option<&str>) -> Result<Vec<Change>> {
        self.database.changes(game)
    }

    /// The numbers of changes that were interrupted and wait to be put back.
    pub fn interrupted(&self) -> Result<Vec<i64>> {
        Ok(self.database.open_changes()?.into_iter().map(|(number, _)| number).collect())
    }

    /// Puts back the changes that were interrupted. Commands that alter games do this first. One that
    /// cannot be put back now, as when its game is on a drive that is not plugged in, waits on; until
    /// then nothing else alters that game.
    pub fn recover(&mut self) -> Result<Vec<Recovery>> {
        let _lock = self.lock()?;
        let open = self.database.open_changes()?;
        if open.is_empty() {
            return Ok(Vec::new());
        }
        let mut changes = self.database.changes(None)?;
        changes.retain(|change| open.iter().any(|(number, _)| *number == change.number));
        let put_back = |change: &Change| {
            let _game = lock_game(&change.root)?;
            change::put_back(change, &self.blobs, &self.database)
        };
        let recover = |change| Recovery { outcome: put_back(&change), change };
        Ok(changes.into_iter().map(recover).collect())
    }

    fn carry_out(&mut self, plan: Plan, progress: &dyn Progress) -> Result<Change> {
        let _game = lock_game(&plan.game.root)?;
        let open = self.database.open_changes()?;
        if let Some((number, root)) = open.into_iter().find(|(_, root)| *root == plan.game.root) {
            return Err(Error::Waiting { number, root });
        }
        change::apply(plan, &self.blobs, &mut self.database, progress)
    }

    /// Lets one process at a time alter what this home knows. Given up when dropped.
    fn lock(&self) -> Result<File> {
        let path = self.home.join("lock");
        let file = File::create(&path).map_err(Error::io("open", &path))?;
        wait_for(file, &path, || Error::Busy { what: "the home", path: self.home.clone() })
    }
}

/// Lets one process at a time alter a game's folder, whichever home it works from.
#[cfg(unix)]
fn lock_game(root: &Path) -> Result<File> {
    // The folder itself can be locked: nothing lies around in it.
    let folder = File::open(root).map_err(Error::io("open", root))?;
    wait_for(folder, root, || Error::Busy { what: "the game", path: root.to_owned() })
}

/// Lets one process at a time alter a game's folder, whichever home it works from.
#[cfg(not(unix))]
fn lock_game(root: &Path) -> Result<File> {
    let name =
        crate::content::Content::of_bytes(crate::path::fold(&root.to_string_lossy()).as_bytes());
    let path = std::env::temp_dir().join(format!("spanner-{}.lock", name.blake3.short()));
    let file = File::create(&path).map_err(Error::io("open", &path))?;
    wait_for(file, &path, || Error::Busy { what: "the game", path: root.to_owned() })
}

/// Locks a file, waiting a while for another process to give it up.
fn wait_for(file: File, path: &Path, busy: impl FnOnce() -> Error) -> Result<File> {
    let began = Instant::now();
    loop {
        match FileExt::try_lock(&file) {
            Ok(()) => return Ok(file),
            Err(fs4::TryLockError::WouldBlock) if began.elapsed() < PATIENCE => {
                std::thread::sleep(Duration::from_millis(50));
            }
            Err(fs4::TryLockError::WouldBlock) => return Err(busy()),
            Err(fs4::TryLockError::Error(error)) => return Err(Error::io("lock", path)(error)),
        }
    }
}

fn refuse_stops(plan: &Plan) -> Result<()> {
    let stops: Vec<_> = plan.stops().into_iter().cloned().collect();
    if stops.is_empty() { Ok(()) } else { Err(Error::Refused(stops)) }
}
