//! A build put into a game.

use std::collections::HashMap;
use std::path::Path;

use super::apply::merged;
use super::conditions::Cleared;
use super::on_disk::OnDisk;
use super::{Altering, Workshop};
use crate::catalog::Pattern;
use crate::change::{Change, Side, Target};
use crate::error::{Error, RackError, Result};
use crate::path::{TreePath, followed, same_name};
use crate::plan::{
    FitOptions, Plan, Planner, alongside, by_entry, choose_from_package, names_part, needs,
    stop_broken_loading, wanted,
};
use crate::rack::{self, Build, BuildSpec, PackageOptions, Parcel};
use crate::remedy::Action;
use crate::situation::Situation;
use crate::survey::GameView;
use upright_spanner_change::{Progress, Supply};

/// A plan together with the builds that it places, which may not be on the rack yet.
#[derive(Debug)]
pub struct FitPlan {
    /// The plan.
    pub plan: Plan,
    /// The builds, in the order in which they were named.
    pub builds: Vec<Build>,
    /// The packages to take builds from that are not on the rack.
    pub parcels: Vec<Parcel>,
}

impl FitPlan {
    /// The first of the builds.
    pub fn build(&self) -> &Build {
        &self.builds[0]
    }
}

impl Workshop {
    /// Plans to fit a build into every place that its family has in a game, with what belongs to it.
    ///
    /// `what` names a build on the rack, or is the path of a library, a folder or an archive. For a family, the
    /// newest build that nothing stops is chosen, together with builds of other families that the catalog ties to it;
    /// the findings list the builds that were passed over, with reasons.
    ///
    /// # Errors
    /// If no build matches or several do, or the package or a file of the game cannot be read.
    pub fn plan_fit(
        &self,
        view: &GameView,
        what: &str,
        options: &FitOptions,
        progress: &dyn Progress,
    ) -> Result<FitPlan> {
        self.plan_fits(view, &[what], options, progress)
    }

    /// The same of several, as one change. `whats` has one at least.
    ///
    /// # Errors
    /// If no build matches or several do, or a package or a file of the game cannot be read.
    pub fn plan_fits(
        &self,
        view: &GameView,
        whats: &[&str],
        options: &FitOptions,
        progress: &dyn Progress,
    ) -> Result<FitPlan> {
        if let Some(name) = &options.as_name {
            expect_file_name(name)?;
        }

        let is_there = |place: &String| {
            view.libraries.iter().any(|library| same_name(library.path.as_str(), place))
        };
        if let Some(place) = options.place.as_ref().filter(|place| !is_there(place)) {
            return Err(Error::Invalid {
                what: format!("{} contains no library {place}", view.game.title),
                remedy: (
                    "Give a place as the survey shows it",
                    Action::LookOver { game: view.game.id.clone().into() },
                )
                    .into(),
            });
        }

        let mut parcels = Vec::new();
        let mut wanted = Vec::new();
        let mut seen = HashMap::new();
        for what in whats {
            if self.is_package(what)? {
                let (parcel, looked_at) = self.open_package(view, Path::new(what), progress)?;
                seen.extend(looked_at);
                wanted.push((*what, Some(parcels.len())));
                parcels.push(parcel);
            } else {
                wanted.push((*what, None));
            }
        }
        let window = OnDisk::new(&self.store, view, &parcels).having_seen(seen).for_altering(view);
        self.expect_words()?;
        let decided = self.decide_with(view, &window, |situation| {
            plan_all(situation, &wanted, options, &parcels)
        });
        let (mut plan, builds) = decided.map_err(|error| self.or_in_feed(error))?;
        for parcel in &parcels {
            let contents = parcel.contents()?;
            plan.supplied += contents.iter().map(|(_, content)| content.size).sum::<u64>();
        }
        self.add_conditions(&mut plan);
        plan.override_stops(&options.despite);
        Ok(FitPlan { plan, builds, parcels })
    }

    /// What of some families, patterns of families or of their groups, each with a version or without, a game
    /// has a place for. A family that is named and of which the rack has nothing is among it, so that planning
    /// says so.
    ///
    /// # Errors
    /// If one of them is not a pattern, or the rack cannot be read.
    pub fn wanted_in(&self, view: &GameView, all: &[String]) -> Result<Vec<String>> {
        let mut wanted: Vec<String> = Vec::new();
        let builds = self.builds()?;
        let on_rack = |family: &str| builds.iter().any(|it| same_name(&it.id.family, family));
        for text in all {
            let named = BuildSpec::parse(text).family;
            let wrong =
                |what| Error::Invalid { what, remedy: "Give a family or a pattern.".into() };
            let pattern = Pattern::new(&named).map_err(wrong)?;
            for library in view.libraries.iter().filter(|library| !library.put_aside) {
                let family = &library.family;
                let in_group = library.group.as_ref().is_some_and(|group| pattern.is_match(group));
                let is_meant = (pattern.is_match(family) || in_group) && on_rack(family);
                if !is_meant && !same_name(&named, family) {
                    continue;
                }
                let what = match text.split_once('@') {
                    Some((_, version)) => format!("{family}@{version}"),
                    None => family.clone(),
                };
                if !wanted.contains(&what) {
                    wanted.push(what);
                }
            }
        }
        Ok(wanted)
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

    /// Opens a package, and reads the files it will probably replace at the same time: both can be large.
    fn open_package(
        &self,
        view: &GameView,
        path: &Path,
        progress: &dyn Progress,
    ) -> Result<(Parcel, HashMap<Target, Side>)> {
        let name = path.file_name().unwrap_or_default().to_string_lossy();
        let (package, context) = (followed(path), self.package_context()?);
        let store = &self.store;
        let (parcel, seen) = rayon::join(
            || Parcel::open(&package, &PackageOptions::default(), &context, progress),
            || OnDisk::ahead(store, view, &name),
        );
        Ok((parcel?, seen))
    }
}

/// Whether the user named a variant.
fn is_exact(what: &str, options: &FitOptions) -> bool {
    options.variant.is_some() || BuildSpec::parse(what).variant.is_some() && what.contains('@')
}

/// Fails if a name is not one that Windows can give a file: a path, a drive, a device, a stream, or one that it would
/// change.
fn expect_file_name(name: &str) -> Result<()> {
    let wrong = |why: String| Error::Invalid {
        what: format!("`{name}` cannot be the name of a file: {why}"),
        remedy: "Give another name, without a folder.".into(),
    };
    if let Some(c) = name.chars().find(|c| c.is_control() || "<>:\"|?*/\\".contains(*c)) {
        return Err(wrong(format!("Windows does not allow `{}` in one", c.escape_default())));
    }
    TreePath::new(name).map(drop).map_err(|error| wrong(error.why.to_owned()))
}

/// Plans everything requested, with the other builds of the same change.
fn plan_all(
    situation: &Situation<'_>,
    wanted: &[(&str, Option<usize>)],
    options: &FitOptions,
    parcels: &[Parcel],
) -> Result<(Plan, Vec<Build>)> {
    let each = |what: &str, parcel: Option<usize>| {
        let parcel = parcel.map(|at| &parcels[at]);
        plan_fit(situation, what, options, parcel).map_err(|error| as_typed(error, what))
    };
    if let [(what, parcel)] = wanted {
        let (plan, build) = each(what, *parcel)?;
        expect_parts(std::slice::from_ref(&build), &options.without)?;
        return Ok((plan, vec![build]));
    }

    // First the builds, then the plan of each beside the others.
    let chosen = wanted.iter().map(|(what, parcel)| Ok(each(what, *parcel)?.1));
    let builds: Vec<Build> = chosen.collect::<Result<_>>()?;
    expect_different(&builds)?;
    expect_parts(&builds, &options.without)?;
    let all: Vec<&Build> = builds.iter().collect();
    let mut plans = Vec::new();
    for (build, (what, parcel)) in builds.iter().zip(wanted) {
        let packed = parcel.map(|at| &parcels[at].builds[..]);
        let builds = packed.unwrap_or(situation.builds);
        let is_exact = is_exact(what, options);
        let planner = Planner { situation, options, builds, is_exact };
        plans.push(planner.plan(build, &alongside(build, &all))?);
    }
    let first = plans.remove(0);
    let mut plan = first.with(plans);
    stop_broken_loading(situation, &mut plan);
    plan.override_stops(&options.despite);
    Ok((plan, builds))
}

/// Fails if two of some builds are of one family: a game has one version of each.
fn expect_different(builds: &[Build]) -> Result<()> {
    for (at, build) in builds.iter().enumerate() {
        let is_twin = |other: &&Build| same_name(&other.id.family, &build.id.family);
        if let Some(twin) = builds[..at].iter().find(is_twin) {
            return Err(Error::Invalid {
                what: format!("{} and {} are builds of one family", twin.id, build.id),
                remedy: "Name one of them.".into(),
            });
        }
    }
    Ok(())
}

/// Fails if a part to leave out is not in the builds.
fn expect_parts(builds: &[Build], without: &[String]) -> Result<()> {
    let has = |text: &String| {
        let mut parts = builds.iter().flat_map(|build| &build.parts);
        parts.any(|part| names_part(text, &part.path))
    };
    let Some(unknown) = without.iter().find(|text| !has(text)) else { return Ok(()) };
    let names: Vec<String> = builds.iter().map(|build| build.id.to_string()).collect();
    Err(Error::Invalid {
        what: format!("{} has no part `{unknown}`", names.join(" or ")),
        remedy: ("See what its parts are", Action::ShowBuild { build: names[0].clone().into() })
            .into(),
    })
}

/// The question names a build as the user did: it may not be on the rack.
fn as_typed(error: Error, what: &str) -> Error {
    match error {
        Error::Rack(RackError::SeveralEntries { game, names, .. }) => {
            Error::Rack(RackError::SeveralEntries { game, build: what.to_owned(), names })
        }
        other => other,
    }
}

/// Chooses a build, and plans the fit.
fn plan_fit(
    situation: &Situation<'_>,
    what: &str,
    options: &FitOptions,
    parcel: Option<&Parcel>,
) -> Result<(Plan, Build)> {
    let Situation { view, builds, .. } = *situation;
    let packed = parcel.map(|parcel| &parcel.builds[..]);
    let is_exact = is_exact(what, options);
    let planner = Planner { situation, options, builds: packed.unwrap_or(builds), is_exact };
    if let Some(packed) = packed {
        let build = choose_from_package(packed, what, options, situation)?;
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
    let suiting = rack::suiting(builds, &spec, &needs(view))?;
    let build = match suiting[..] {
        [one] => one,
        _ => by_entry(situation, &suiting).ok_or_else(|| rack::several_of(&spec, &suiting))?,
    };
    Ok((planner.plan(build, &[])?, build.clone()))
}

impl Altering<'_> {
    /// Carries out what [`Workshop::plan_fit`] planned; builds that came as files continue the rack.
    ///
    /// # Errors
    /// If it was not done; the error says how everything was left.
    pub fn fit(
        &self,
        plan: Cleared,
        parcels: &[Parcel],
        progress: &dyn Progress,
    ) -> Result<Change> {
        if parcels.is_empty() {
            return self.apply(plan, progress);
        }
        let mut supplies: Vec<Supply> = Vec::new();
        let mut shelvings = Vec::new();
        for parcel in parcels {
            let contents = parcel.contents()?.into_iter();
            supplies.extend(contents.map(|(file, content)| Supply::File(file, content)));
            shelvings.push(self.announce(parcel)?);
        }
        supplies.extend(merged(plan.plan()));
        let changed = self.apply_with(plan, supplies, progress);
        // The builds continue the rack though the fit failed, if they can; and if all of one is stored, it is there
        // though that cannot be noted.
        for (parcel, shelving) in parcels.iter().zip(&shelvings) {
            if changed.is_ok() || self.store(parcel).is_ok() {
                let _ = self.arrive(shelving);
            }
        }
        changed
    }
}
