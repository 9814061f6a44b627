//! The front door: a home folder with everything that it keeps, and what can be done with it.

mod builds;
mod families;
mod games;
mod ground;
mod handoff;
mod layouts;

use std::fs::{self, File};
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use fs4::FileExt;

use crate::change::{self, Change};
use crate::error::{Error, Result};
use crate::path::same_name;
use crate::plan::{self, Fit, Ledger, Plan};
use crate::progress::Progress;
use crate::rack::{self, Build, BuildSpec, Needs, Parcel, Told};
use crate::state::{Blobs, Database};
use crate::survey::{self, GameView, Knowledge, Survey};
pub use builds::{Added, Addition, Damage, News, Proposal};
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

/// How a build is to be fitted, where that is not left to the tool.
#[derive(Debug, Clone, Default)]
pub struct FitOptions {
    /// The one of several builds that is meant: its name, or its variant alone.
    pub variant: Option<String>,
    /// The name to give the library in the game.
    pub as_name: Option<String>,
    /// Whether the data part is packed for a mod manager instead of put into the game.
    pub hand_off: bool,
}

/// A plan together with the build that it places, which may not be on the rack yet.
#[derive(Debug)]
pub struct FitPlan {
    /// The plan.
    pub plan: Plan,
    /// The build.
    pub build: Build,
    /// The file to take the build from, where it is not on the rack.
    parcel: Option<Parcel>,
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
        };
        let known = knowledge.games.clone();
        let survey = survey::survey(paths, &mut knowledge, &self.database, progress)?;
        for view in survey.games.iter().filter(|view| !known.contains(&view.game)) {
            self.database.remember_game(&view.game)?;
        }
        Ok(survey)
    }

    /// Plans to fit a build into every place that its family has in a game, with what goes along.
    /// `what` names a build on the rack, or is the path of a library, a folder or an archive.
    pub fn plan_fit(
        &self,
        view: &GameView,
        what: &str,
        options: &FitOptions,
        progress: &dyn Progress,
    ) -> Result<FitPlan> {
        let builds = self.builds()?;
        let path = Path::new(what);
        let spec = match &options.variant {
            Some(variant) => wanted(what, variant),
            None => what.to_owned(),
        };
        let on_rack = rack::find(&builds, &spec, &needs(view));
        // A folder may happen to be named like a build; a file hardly is.
        let package = path.is_file() || on_rack.is_err() && path.is_dir();
        let (build, parcel) = if package {
            let parcel = self.open_parcel(path, &Told::default(), progress)?;
            (choose(&parcel.builds, what, options, view)?.clone(), Some(parcel))
        } else {
            (on_rack?.clone(), None)
        };
        let root = &view.game.root;
        let ledger = Ledger::of(root, &self.database.changes(None)?);
        let ground = OnDisk { root, blobs: &self.blobs, parcel: parcel.as_ref() };
        let fit = Fit {
            view,
            build: &build,
            builds: &builds,
            ledger: &ledger,
            as_name: options.as_name.as_deref(),
            hand_off: options.hand_off,
            ground: &ground,
        };
        let plan = fit.plan()?;
        Ok(FitPlan { plan, build, parcel })
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
        let ground = OnDisk { root: &view.game.root, blobs: &self.blobs, parcel: None };
        plan::rollback(&view.game, &ledger, family, &ground)
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

fn needs(view: &GameView) -> Needs<'_> {
    let imports = view.executable().map_or(&[][..], |executable| &executable.facts.imported_dlls);
    let version = view.version.as_ref().and_then(|known| known.version.as_ref());
    Needs { machine: view.machine(), imports, version }
}

/// The name of a build with the variant that is meant, which may be given as a whole name.
fn wanted(what: &str, variant: &str) -> String {
    if variant.contains('@') {
        return variant.to_owned();
    }
    let spec = BuildSpec::parse(what);
    format!("{}@{}+{variant}", spec.family, spec.version.unwrap_or_default())
}

/// The one build of a package that a game has a place for, or could have.
fn choose<'a>(
    builds: &'a [Build],
    what: &str,
    options: &FitOptions,
    view: &GameView,
) -> Result<&'a Build> {
    let several = |builds: &[&Build]| Error::SeveralBuilds {
        spec: what.to_owned(),
        candidates: builds.iter().map(|build| build.id.to_string()).collect(),
    };
    let mut fitting: Vec<&Build> =
        builds.iter().filter(|build| !plan::slots(view, build).is_empty()).collect();
    if fitting.is_empty() {
        fitting = builds.iter().collect();
    }
    if let Some(wanted) = &options.variant {
        let meant = |build: &Build| {
            same_name(&build.id.to_string(), wanted)
                || build.id.variant.as_ref().is_some_and(|variant| same_name(variant, wanted))
        };
        let all: Vec<&Build> = builds.iter().collect();
        fitting = all.iter().copied().filter(|build| meant(build)).collect();
        if fitting.is_empty() {
            return Err(several(&all));
        }
    } else {
        needs(view).narrow(&mut fitting);
        rack::prefer(&mut fitting, |build| build.id.variant.is_none());
    }
    match &fitting[..] {
        [one] => Ok(one),
        _ => Err(several(&fitting)),
    }
}

fn refuse_stops(plan: &Plan) -> Result<()> {
    let stops: Vec<_> = plan.stops().into_iter().cloned().collect();
    if stops.is_empty() { Ok(()) } else { Err(Error::Refused(stops)) }
}
