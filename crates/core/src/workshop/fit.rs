//! A build put into a game.

use std::collections::HashMap;
use std::path::Path;

use super::apply::merged;
use super::conditions::Cleared;
use super::on_disk::OnDisk;
use super::{Altering, Workshop};
use crate::change::{Change, Side, Target};
use crate::error::{Error, Result};
use crate::path::{TreePath, followed, same_name};
use crate::plan::{FitOptions, Plan, Planner, choose_from_package, needs, wanted};
use crate::rack::{self, Build, BuildSpec, PackageOptions, Parcel};
use crate::situation::Situation;
use crate::survey::GameView;
use upright_spanner_change::{Progress, Supply};

/// A plan together with the build that it places, which may not be on the rack yet.
#[derive(Debug)]
pub struct FitPlan {
    /// The plan.
    pub plan: Plan,
    /// The build.
    pub build: Build,
    /// The package to take the build from, where it is not on the rack.
    pub parcel: Option<Parcel>,
}

impl Workshop {
    /// Plans to fit a build into every place that its family has in a game, with what belongs to it.
    ///
    /// `what` names a build on the rack, or is the path of a library, a folder or an archive. Where it
    /// names a family, the newest build that nothing stops is taken, together with builds of other
    /// families where the catalog ties them; the findings say what was passed over, and why.
    ///
    /// # Errors
    /// Where no build is meant or several are, or the package or a file of the game cannot be read.
    pub fn plan_fit(
        &self,
        view: &GameView,
        what: &str,
        options: &FitOptions,
        progress: &dyn Progress,
    ) -> Result<FitPlan> {
        if let Some(name) = &options.as_name {
            TreePath::new(name).map_err(|error| Error::Invalid {
                what: error.to_string(),
                remedy: "Give the library another name.".into(),
            })?;
        }

        let (parcel, seen) = if self.is_package(what)? {
            self.open_package(view, Path::new(what), progress)?
        } else {
            (None, HashMap::new())
        };
        let window = OnDisk::new(&self.store, view, parcel.as_ref()).having_seen(seen);
        let (mut plan, build) = self.decide_with(view, &window, |situation| {
            plan_fit(situation, what, options, parcel.as_ref())
        })?;
        let contents = parcel.as_ref().map(Parcel::contents).transpose()?.unwrap_or_default();
        plan.supplied = contents.iter().map(|(_, content)| content.size).sum();
        self.add_conditions(&mut plan);
        plan.override_stops(&options.despite);
        Ok(FitPlan { plan, build, parcel })
    }

    /// Whether a text is the path of a package. A folder may happen to be named like a family on the rack;
    /// a file hardly is.
    fn is_package(&self, what: &str) -> Result<bool> {
        let path = Path::new(what);
        if path.is_file() || !path.is_dir() {
            return Ok(path.is_file());
        }
        let family = BuildSpec::parse(what).family;
        Ok(!self.builds()?.iter().any(|build| same_name(&build.id.family, &family)))
    }

    /// Opens a package, and reads what it will most likely replace at the same time: both can be large.
    fn open_package(
        &self,
        view: &GameView,
        path: &Path,
        progress: &dyn Progress,
    ) -> Result<(Option<Parcel>, HashMap<Target, Side>)> {
        let name = path.file_name().unwrap_or_default().to_string_lossy();
        let (package, context) = (followed(path), self.package_context()?);
        let store = &self.store;
        let (parcel, seen) = rayon::join(
            || Parcel::open(&package, &PackageOptions::default(), &context, progress),
            || OnDisk::ahead(store, view, &name),
        );
        Ok((Some(parcel?), seen))
    }
}

/// Chooses the build that is meant, and plans.
fn plan_fit(
    situation: &Situation<'_>,
    what: &str,
    options: &FitOptions,
    parcel: Option<&Parcel>,
) -> Result<(Plan, Build)> {
    let Situation { view, builds, .. } = *situation;
    let planner = Planner { situation, options };
    if let Some(parcel) = parcel {
        let build = choose_from_package(&parcel.builds, what, options, view)?;
        return Ok((planner.plan(build, &[])?, build.clone()));
    }

    let spec = match &options.variant {
        Some(variant) => wanted(what, variant),
        None => what.to_owned(),
    };
    let named = BuildSpec::parse(&spec);
    let of_family = |build: &&Build| same_name(&build.id.family, &named.family);
    let of_family: Vec<&Build> = builds.iter().filter(of_family).collect();
    if !of_family.is_empty() && named.version.is_none() && named.variant.is_none() {
        return planner.newest(&of_family, what);
    }
    let build = rack::find(builds, &spec, &needs(view))?;
    Ok((planner.plan(build, &[])?, build.clone()))
}

impl Altering<'_> {
    /// Carries out what [`Workshop::plan_fit`] planned; a build that came as a file goes on the
    /// rack.
    ///
    /// # Errors
    /// Where it was not done; the error says how everything was left.
    pub fn fit(
        &self,
        plan: Cleared,
        parcel: Option<&Parcel>,
        progress: &dyn Progress,
    ) -> Result<Change> {
        let Some(parcel) = parcel else { return self.apply(plan, progress) };
        let contents = parcel.contents()?.into_iter();
        let shelving = self.announce(parcel)?;
        let new = contents.map(|(file, content)| Supply::File(file, content));
        let supplies = new.chain(merged(plan.plan())).collect();
        let changed = self.apply_with(plan, supplies, progress);
        // The build goes on the rack though its fit failed, if it can; and where all of it is stored, it is
        // there though that cannot be noted.
        if changed.is_ok() || self.store(parcel).is_ok() {
            let _ = self.arrive(&shelving);
        }
        changed
    }
}
