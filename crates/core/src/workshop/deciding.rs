//! Decides what is fitted: the build that was named, or the newest that nothing stops, together with
//! what it is tied to.

use std::collections::{BTreeMap, HashMap};
use std::path::Path;

use super::conditions::unless_in_use;
use super::{OnDisk, Workshop};
use crate::catalog::Catalog;
use crate::change::Deed;
use crate::check::{Along, Finding, conflicts, requires, ties_unsolvable, version_passed_over};
use crate::error::{Error, RackError, Result};
use crate::game::Pin;
use crate::path::followed;
use crate::path::{TreePath, fold, same_name};
use crate::plan::{self, Candidate, Choice, Fit, Ledger, Plan};
use crate::rack::{self, Build, BuildSpec, Needs, Parcel, Told};
use crate::survey::GameView;
use upright_spanner_change::Progress;

/// How a build is to be fitted, where that is not left to the tool.
#[derive(Debug, Clone, Default)]
pub struct FitOptions {
    /// The one of several builds that is meant: its name, or its variant alone.
    pub variant: Option<String>,
    /// The name to give the library in the game.
    pub as_name: Option<String>,
    /// Whether the data part is packed for a mod manager instead of put into the game.
    pub hand_off: bool,
    /// Codes of findings that the user goes on despite.
    pub despite: Vec<String>,
}

/// A plan together with the build that it places, which may not be on the rack yet.
#[derive(Debug)]
pub struct FitPlan {
    /// The plan.
    pub plan: Plan,
    /// The build.
    pub build: Build,
    /// The file to take the build from, where it is not on the rack.
    pub parcel: Option<Parcel>,
}

/// Plans for one game, build by build.
struct Planner<'a> {
    view: &'a GameView,
    options: &'a FitOptions,
    builds: &'a [Build],
    ledger: &'a Ledger,
    catalog: &'a Catalog,
    pins: &'a [Pin],
    ground: &'a OnDisk<'a>,
}

impl Workshop {
    /// Plans to fit a build into every place that its family has in a game, with what goes along.
    ///
    /// `what` names a build on the rack, or is the path of a library, a folder or an archive. Where it
    /// names a family, the newest build that nothing stops is taken, together with builds of other
    /// families where the catalog ties them; the findings say what was passed over, and why.
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
        let builds = self.builds()?;
        let catalog = self.catalog();
        let catalog = catalog.beside(&view.game.root);
        let pins = self.pins_of(&view.game.id);
        let root = &view.game.root;
        let ledger = self.ledger(root)?;
        let path = Path::new(what);
        let spec = match &options.variant {
            Some(variant) => wanted(what, variant),
            None => what.to_owned(),
        };
        let named = BuildSpec::parse(&spec);
        let of_family = |build: &&Build| same_name(&build.id.family, &named.family);
        let on_rack = builds.iter().any(|build| of_family(&build));
        // A folder may happen to be named like a build; a file hardly is.
        let package = path.is_file() || !on_rack && path.is_dir();
        let (parcel, seen) = if package {
            let name = path.file_name().unwrap_or_default().to_string_lossy();
            // Both can be large: what comes is read at the same time as what it will most likely replace.
            let (package, context) = (followed(path), self.package_context()?);
            let store = &self.store;
            let (parcel, seen) = rayon::join(
                || Parcel::open(&package, &Told::default(), &context, progress),
                || OnDisk::ahead(store, view, &name),
            );
            (Some(parcel?), seen)
        } else {
            (None, HashMap::new())
        };
        let ground = OnDisk::new(&self.store, view, parcel.as_ref()).having_seen(seen);
        let planner = Planner {
            view,
            options,
            builds: &builds,
            ledger: &ledger,
            catalog: &catalog,
            pins: &pins,
            ground: &ground,
        };
        let (mut plan, build) = if let Some(parcel) = &parcel {
            let build = choose(&parcel.builds, what, options, view)?;
            (planner.plan(build, &[])?, build.clone())
        } else if on_rack && named.version.is_none() && named.variant.is_none() {
            planner.newest(&builds.iter().filter(of_family).collect::<Vec<_>>(), what)?
        } else {
            let build = rack::find(&builds, &spec, &needs(view))?;
            (planner.plan(build, &[])?, build.clone())
        };
        let contents = parcel.as_ref().map(Parcel::contents).transpose()?.unwrap_or_default();
        plan.supplied = contents.iter().map(|(_, content)| content.size).sum();
        self.add_conditions(&mut plan);
        plan.override_stops(&options.despite);
        Ok(FitPlan { plan, build, parcel })
    }
}

impl Planner<'_> {
    fn plan(&self, build: &Build, along: &[Along]) -> Result<Plan> {
        let fit = Fit {
            view: self.view,
            build,
            builds: self.builds,
            ledger: self.ledger,
            as_name: self.options.as_name.as_deref(),
            hand_off: self.options.hand_off,
            catalog: self.catalog,
            pins: self.pins,
            along,
            ground: self.ground,
            images: self.ground,
        };
        let summary = format!("fit {}", build.id);
        let mut plan = unless_in_use(self.view, Deed::Fit, &summary, fit.plan())?;
        plan.override_stops(&self.options.despite);
        Ok(plan)
    }

    /// The plan for the newest build that nothing stops.
    fn newest(&self, of_family: &[&Build], what: &str) -> Result<(Plan, Build)> {
        let mut plans: Vec<(&Build, Plan)> = Vec::new();
        for build in in_order(of_family, self.view, what)? {
            let plan = self.plan(build, &[])?;
            let free = plan.stops().is_empty();
            plans.push((build, plan));
            if free {
                break;
            }
        }
        let tied = |plan: &Plan| plan.stops().iter().all(|stop| is_tie(stop));
        let first = plans.iter().position(|(_, plan)| tied(plan));
        let Some(first) = first else {
            // Nothing can be had: the newest says why, in full.
            let mut rest = plans.into_iter();
            let (build, plan) = rest.next().ok_or_else(|| {
                Error::Rack(RackError::Unknown { spec: what.to_owned(), known: Vec::new() })
            })?;
            return Ok((plan, build.clone()));
        };
        let (chosen, mut plan, along) = if plans[first].1.stops().is_empty() {
            let (build, plan) = plans.remove(first);
            (build, plan, Vec::new())
        } else {
            self.untie(&mut plans, first)?
        };
        // What was newer than the choice, in the order of preference; with what comes along, a tie
        // that was untied is no reason any more.
        for (build, other) in plans.iter().take_while(|(build, _)| build.version > chosen.version) {
            let untied = if along.is_empty() { None } else { Some(self.plan(build, &along)?) };
            let stops = untied.as_ref().unwrap_or(other).stops();
            let why = stops.first().map(|stop| stop.sentence.clone()).unwrap_or_default();
            plan.findings.push(version_passed_over::finding(build, &self.view.game, &why));
        }
        Ok((plan, chosen.clone()))
    }

    /// Chooses builds of several families together. Takes the plan of the choice out of `plans`.
    fn untie<'b>(
        &self,
        plans: &mut Vec<(&'b Build, Plan)>,
        first: usize,
    ) -> Result<(&'b Build, Plan, Vec<Along>)>
    where
        Self: 'b,
    {
        let family = fold(&plans[first].0.id.family);
        let choice = |build: &Build| {
            let at = self.builds.iter().position(|other| other.id == build.id);
            at.map_or(Choice::Kept, Choice::Build)
        };
        let eligible: Vec<Candidate> = plans
            .iter()
            .rev()
            .filter(|(_, plan)| plan.stops().iter().all(|stop| is_tie(stop)))
            .map(|(build, _)| Candidate { version: build.version.clone(), choice: choice(build) })
            .collect();
        let mut families = self.related(&family)?;
        families.insert(family.clone(), eligible);
        let solution = match plan::choose(&family, &families, self.catalog) {
            Ok(solution) => solution,
            Err(sentences) => {
                let (build, mut plan) = plans.remove(first);
                let finding = ties_unsolvable::finding(build, &self.view.game, &sentences);
                plan.findings.insert(0, finding);
                return Ok((build, plan, Vec::new()));
            }
        };
        let chosen = |family: &str| match solution.get(family)?.choice {
            Choice::Build(at) => self.builds.get(at),
            Choice::Kept | Choice::Absent => None,
        };
        let others: Vec<&Build> = solution
            .keys()
            .filter(|other| **other != family)
            .filter_map(|other| chosen(other))
            .collect();
        let head = chosen(&family).unwrap_or(plans[first].0);
        let at = plans.iter().position(|(build, _)| build.id == head.id).unwrap_or(first);
        let (head, _) = plans.remove(at);
        let all: Vec<&Build> = std::iter::once(head).chain(others.iter().copied()).collect();
        let along = |own: &Build| -> Vec<Along> {
            let others = all.iter().filter(|build| build.id != own.id);
            others
                .map(|build| Along {
                    family: build.id.family.clone(),
                    version: build.version.clone(),
                })
                .collect()
        };
        let with_head = along(head);
        let plan = self.plan(head, &with_head)?;
        let others: Result<Vec<Plan>> =
            others.iter().map(|build| self.plan(build, &along(build))).collect();
        Ok((head, plan.with(others?), with_head))
    }

    /// The families that ties could concern, but `family` itself, with what each could be: builds
    /// that nothing else stops, and, dearest, what the game has.
    fn related(&self, family: &str) -> Result<BTreeMap<String, Vec<Candidate>>> {
        let mut families: BTreeMap<String, Vec<Candidate>> = BTreeMap::new();
        let tied = self.catalog.families().iter().flat_map(|entry| {
            let relations = entry.requires.iter().chain(&entry.conflicts);
            relations.flat_map(|relation| [fold(&entry.id), fold(&relation.family)])
        });
        let mut tied: Vec<String> = tied.filter(|name| name != family).collect();
        tied.sort();
        tied.dedup();
        for name in tied {
            let live = self.view.libraries.iter().filter(|library| !library.put_aside);
            let there = live.filter(|library| fold(&library.family) == name);
            let there = there.map(|library| library.facts.version()).next();
            let wanted =
                self.catalog.families().iter().any(|entry| {
                    entry.requires.iter().any(|relation| fold(&relation.family) == name)
                });
            // What the game does not have is brought in only if something needs it.
            if there.is_none() && !wanted {
                continue;
            }
            let mut candidates = Vec::new();
            let mut builds: Vec<(usize, &Build)> = self
                .builds
                .iter()
                .enumerate()
                .filter(|(_, build)| fold(&build.id.family) == name)
                .collect();
            builds.sort_by(|(_, a), (_, b)| a.version.cmp(&b.version));
            for (at, build) in builds {
                let plan = self.plan(build, &[])?;
                if plan.stops().iter().all(|stop| is_tie(stop)) {
                    let version = build.version.clone();
                    candidates.push(Candidate { version, choice: Choice::Build(at) });
                }
            }
            candidates.push(match there {
                Some(version) => Candidate { version, choice: Choice::Kept },
                None => Candidate { version: None, choice: Choice::Absent },
            });
            families.insert(name, candidates);
        }
        Ok(families)
    }
}

/// Whether a finding is about a tie between families, which another choice may untie.
fn is_tie(finding: &Finding) -> bool {
    [requires::CODE, conflicts::CODE].contains(&finding.code.as_str())
}

/// The builds of a family, the newest first, one of each version: those for the game's machine, and
/// releases before others.
fn in_order<'a>(of_family: &[&'a Build], view: &GameView, what: &str) -> Result<Vec<&'a Build>> {
    let mut builds = of_family.to_vec();
    if let Some(machine) = view.machine() {
        rack::prefer(&mut builds, |build| build.machine == machine);
    }
    let is_release =
        |build: &Build| build.version.as_ref().is_none_or(|version| !version.is_prerelease());
    builds
        .sort_by(|a, b| is_release(b).cmp(&is_release(a)).then_with(|| b.version.cmp(&a.version)));
    let mut out: Vec<&Build> = Vec::new();
    for group in builds.chunk_by(|a, b| a.version == b.version) {
        let mut same: Vec<&Build> = group.to_vec();
        needs(view).narrow(&mut same);
        rack::prefer(&mut same, |build| build.id.variant.is_none());
        match same[..] {
            [one] => out.push(one),
            // An older one is of no help where the newest leaves a choice.
            _ if out.is_empty() => {
                return Err(Error::Rack(RackError::Several {
                    spec: what.to_owned(),
                    candidates: same.iter().map(|build| build.id.to_string()).collect(),
                }));
            }
            _ => {}
        }
    }
    Ok(out)
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
    let several = |builds: &[&Build]| {
        Error::Rack(RackError::Several {
            spec: what.to_owned(),
            candidates: builds.iter().map(|build| build.id.to_string()).collect(),
        })
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
