//! The front door: a home folder with everything that it keeps, and what can be done with it.

mod builds;
mod checks;
mod conditions;
mod deciding;
mod families;
mod games;
mod ground;
mod handoff;
mod layouts;
mod pins;

use std::fs::{self, File};
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use fs4::FileExt;

use crate::change::{self, Change};
use crate::error::{Error, Result};
use crate::path::same_name;
use crate::plan::{self, Ledger, Plan};
use crate::progress::Progress;
use crate::state::{Blobs, Database};
use crate::survey::{self, GameView, Knowledge, Survey};
pub use builds::{Added, Addition, Damage, News, Proposal};
pub use checks::Checked;
pub use deciding::{FitOptions, FitPlan};
use ground::OnDisk;

/// How long to wait for another process that is at work with the same home.
const PATIENCE: Duration = Duration::from_secs(10);

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

    /// Plans the way back to the files as shipped, of one family or of all.
    pub fn plan_rollback(&self, view: &GameView, family: Option<&str>) -> Result<Plan> {
        let ledger = Ledger::of(&view.game.root, &self.database.changes(None)?);
        if let Some(family) = family {
            let mut known: Vec<String> = ledger.entries().map(|e| e.family.clone()).collect();
            known.sort();
            known.dedup();
            if !known.iter().any(|known| same_name(known, family)) {
                let (family, game) = (family.to_owned(), view.game.title.clone());
                return Err(Error::UnknownFamily { family, game, known });
            }
        }
        let ground = OnDisk::new(&view.game.root, &self.blobs, None);
        let mut plan = plan::rollback(&view.game, &ledger, family, &ground)?;
        plan.findings.extend(self.conditions(view, &plan));
        Ok(plan)
    }

    /// Carries out what [`Workshop::plan_rollback`] planned.
    pub fn rollback(&mut self, plan: Plan, progress: &dyn Progress) -> Result<Change> {
        refuse_stops(&plan)?;
        let _lock = self.lock()?;
        self.carry_out(plan, progress)
    }

    /// Every change of a game, or of all games, oldest first.
    pub fn history(&self, game: Option<&str>) -> Result<Vec<Change>> {
        self.database.changes(game)
    }

    /// The number of a change that was interrupted and waits to be put back.
    pub fn interrupted(&self) -> Result<Option<i64>> {
        self.database.open_change()
    }

    /// Puts back a change that was interrupted, if there is one. Commands that alter games do this
    /// first.
    pub fn recover(&mut self) -> Result<Option<Change>> {
        let _lock = self.lock()?;
        let Some(number) = self.database.open_change()? else {
            return Ok(None);
        };
        let change = self.database.changes(None)?.into_iter().find(|c| c.number == number);
        if let Some(change) = &change {
            change::put_back(change, &self.blobs, &self.database)?;
        }
        Ok(change)
    }

    fn carry_out(&mut self, plan: Plan, progress: &dyn Progress) -> Result<Change> {
        for step in &plan.steps {
            self.database.forget_facts(&step.place.on(&plan.game.root))?;
        }
        change::apply(plan, &self.blobs, &mut self.database, progress)
    }

    /// Lets one process at a time alter what this home knows. Given up when dropped.
    fn lock(&self) -> Result<File> {
        let path = self.home.join("lock");
        let file = File::create(&path).map_err(Error::io("open", &path))?;
        let began = Instant::now();
        loop {
            match FileExt::try_lock(&file) {
                Ok(()) => return Ok(file),
                Err(fs4::TryLockError::WouldBlock) if began.elapsed() < PATIENCE => {
                    std::thread::sleep(Duration::from_millis(50));
                }
                Err(fs4::TryLockError::WouldBlock) => {
                    return Err(Error::Busy { home: self.home.clone() });
                }
                Err(fs4::TryLockError::Error(error)) => {
                    return Err(Error::io("lock", &path)(error));
                }
            }
        }
    }
}

fn refuse_stops(plan: &Plan) -> Result<()> {
    let stops: Vec<_> = plan.stops().into_iter().cloned().collect();
    if stops.is_empty() { Ok(()) } else { Err(Error::Refused(stops)) }
}
