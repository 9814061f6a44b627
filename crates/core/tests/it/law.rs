//! The law: a plan that it allows does not break anything. Broken loading is determined here from the files alone, by
//! a separate reader without graphs.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};

use proptest::prelude::*;
use tempfile::TempDir;
use upright_spanner_core::check::Severity;
use upright_spanner_core::image::{Image, Machine};
use upright_spanner_core::plan::{Plan, Point, Selection};
use upright_spanner_core::progress::Silent;
use upright_spanner_core::rack::Parcel;
use upright_spanner_core::{FitOptions, WindOptions, Workshop};
use upright_spanner_sample::{Bits, Pe, VersionInfo, world};

const LIBRARIES: [&str; 4] = ["ash.dll", "birch.dll", "cedar.dll", "fir.dll"];
const FUNCTIONS: [&str; 3] = ["root", "stem", "leaf"];

/// The recipe of a library: its exports, and its imports by library.
#[derive(Debug, Clone)]
struct Recipe {
    narrow: bool,
    offers: Vec<bool>,
    imports: Vec<(usize, usize, bool)>,
    leads_on: Option<usize>,
}

#[derive(Debug, Clone)]
enum Event {
    Fit(usize, Recipe),
    Wind(usize, Recipe),
    Rollback(usize),
    RollbackTo(i64),
    Undo,
    Delete(usize),
    Refit,
}

fn recipe() -> impl Strategy<Value = Recipe> {
    let import = (0..LIBRARIES.len(), 0..FUNCTIONS.len(), prop::bool::weighted(0.15));
    (
        prop::bool::weighted(0.1),
        prop::collection::vec(prop::bool::weighted(0.85), FUNCTIONS.len()),
        prop::collection::vec(import, 0..3),
        prop::option::weighted(0.1, 0..LIBRARIES.len()),
    )
        .prop_map(|(narrow, offers, imports, leads_on)| Recipe {
            narrow,
            offers,
            imports,
            leads_on,
        })
}

fn event() -> impl Strategy<Value = Event> {
    let library = || 0..LIBRARIES.len();
    prop_oneof![
        6 => (library(), recipe()).prop_map(|(n, recipe)| Event::Fit(n, recipe)),
        1 => (library(), recipe()).prop_map(|(n, recipe)| Event::Wind(n, recipe)),
        1 => library().prop_map(Event::Rollback),
        1 => (0..4i64).prop_map(Event::RollbackTo),
        1 => Just(Event::Undo),
        1 => library().prop_map(Event::Delete),
        1 => Just(Event::Refit),
    ]
}

fn library(own: usize, recipe: &Recipe, number: u16) -> Vec<u8> {
    let bits = if recipe.narrow { Bits::Bits32 } else { Bits::Bits64 };
    let info = VersionInfo::new([1, number, 0, 0])
        .with("CompanyName", "Nib")
        .with("OriginalFilename", LIBRARIES[own]);
    let mut pe = Pe::dll(bits, LIBRARIES[own]).version(&info);
    for (function, _) in FUNCTIONS.iter().zip(&recipe.offers).filter(|(_, offered)| **offered) {
        pe = match recipe.leads_on.filter(|to| *to != own) {
            Some(to) => {
                let library = LIBRARIES[to].trim_end_matches(".dll");
                pe.forward(function, &format!("{library}.{function}"))
            }
            None => pe.export(function, 1),
        };
    }
    let mut wanted: BTreeMap<(usize, bool), BTreeSet<&str>> = BTreeMap::new();
    for (from, function, delayed) in recipe.imports.iter().filter(|(from, ..)| *from != own) {
        wanted.entry((*from, *delayed)).or_default().insert(FUNCTIONS[*function]);
    }
    for ((from, delayed), functions) in wanted {
        let functions: Vec<&str> = functions.into_iter().collect();
        pe = if delayed {
            pe.delay_imports(LIBRARIES[from], &functions)
        } else {
            pe.imports(LIBRARIES[from], &functions)
        };
    }
    pe.to_bytes()
}

struct Bench {
    folder: TempDir,
    workshop: Workshop,
}

impl Bench {
    fn new(recipes: &[Recipe]) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let workshop = Workshop::open(&folder.path().join("home")).unwrap();
        let bench = Self { folder, workshop };
        let exe = world::game_exe(Bits::Bits64, "Grove", "Nine Knots", [1, 0, 0, 0])
            .imports("ash.dll", &["root", "stem"])
            .imports("birch.dll", &["leaf"]);
        bench.write("Grove/Grove.exe", &exe.to_bytes());
        for (n, recipe) in recipes.iter().enumerate() {
            bench.write(&format!("Grove/{}", LIBRARIES[n]), &library(n, recipe, 0));
        }
        bench
    }

    fn write(&self, path: &str, content: &[u8]) {
        let path =
            path.split('/').fold(self.folder.path().to_owned(), |path, part| path.join(part));
        world::write(&path, content, (2026, 1, 1)).unwrap();
    }

    fn game(&self) -> PathBuf {
        self.folder.path().join("Grove")
    }

    /// Carries out an event, unless something stops it; returns the plan's findings. `None` if it was not a plan of
    /// ours.
    fn act(&self, event: &Event, number: u16) -> Option<Vec<(String, Severity)>> {
        let view = self.workshop.game(self.game().to_str().unwrap(), &Silent).unwrap();
        let workshop = &self.workshop;
        match event {
            Event::Fit(n, recipe) => {
                let path = format!("new/{}", LIBRARIES[*n]);
                self.write(&path, &library(*n, recipe, number));
                let file = self.folder.path().join("new").join(LIBRARIES[*n]);
                let options = FitOptions::default();
                let what = file.to_str().unwrap();
                let fit = workshop.plan_fit(&view, what, &options, &Silent).unwrap();
                return Some(self.apply(fit.plan, &fit.parcels));
            }
            Event::Wind(n, recipe) => {
                let folder = format!("older-{number}");
                self.write(&format!("{folder}/{}", LIBRARIES[*n]), &library(*n, recipe, number));
                let folders = [self.folder.path().join(folder)];
                let options = WindOptions { keep_fitted: Some(false), ..WindOptions::default() };
                let mut wind = workshop.plan_wind(&view, &folders, &options, &Silent).unwrap();
                // Whether one library alone is a release does not concern the law.
                wind.plan.findings.retain(|finding| finding.code != "another-game");
                let said = said(&wind.plan);
                if wind.plan.stops().is_empty() && !wind.plan.steps.is_empty() {
                    workshop.alter().unwrap().wind(wind, &[], &Silent).unwrap();
                }
                return Some(said);
            }
            Event::Delete(n) => {
                let _ = fs::remove_file(self.game().join(LIBRARIES[*n]));
                return None;
            }
            _ => {}
        }
        let family = |n: usize| LIBRARIES[n].trim_end_matches(".dll");
        let plan = match event {
            Event::Rollback(n) => {
                // There may be nothing to roll back.
                workshop
                    .plan_rollback(&view, Selection::Family(family(*n)), Point::Shipped, false)
                    .ok()?
                    .0
            }
            Event::RollbackTo(to) => {
                workshop
                    .plan_rollback(&view, Selection::Everything, Point::After(*to), false)
                    .unwrap()
                    .0
            }
            Event::Undo => {
                let change = workshop.change_to_undo(None).unwrap()?;
                workshop.plan_undo(&view, &change).unwrap()
            }
            _ => workshop.plan_refit(&view, None, &[]).unwrap().plan,
        };
        Some(self.apply(plan, &[]))
    }

    fn apply(&self, plan: Plan, parcels: &[Parcel]) -> Vec<(String, Severity)> {
        let said = said(&plan);
        if plan.steps.is_empty() {
            return said;
        }
        if let Ok(cleared) = self.workshop.clear(plan, &[]) {
            self.workshop.alter().unwrap().fit(cleared, parcels, &Silent).unwrap();
        }
        said
    }
}

fn said(plan: &Plan) -> Vec<(String, Severity)> {
    plan.findings.iter().map(|finding| (finding.code.clone(), finding.severity)).collect()
}

/// What asks for something of a library that is not there, with what that is.
type Broken = BTreeMap<String, BTreeSet<String>>;

/// What could be had before, and cannot any more. If a library was not to be had at all, nothing of it could be.
fn newly_broken(before: &Broken, after: &Broken) -> Broken {
    let is_new = |(asks, lacks): &(&String, &BTreeSet<String>)| {
        before
            .get(*asks)
            .is_none_or(|was| was.iter().all(|what| what.contains(" of ")) && !lacks.is_subset(was))
    };
    after.iter().filter(is_new).map(|(asks, lacks)| (asks.clone(), lacks.clone())).collect()
}

/// All images in a folder whose requests at the start fail, with the request: a library, or a function of one.
fn broken(folder: &Path) -> Broken {
    let read = |name: &str| Image::read(&folder.join(name)).ok();
    let mut broken = Broken::new();
    for name in LIBRARIES.iter().chain(&["Grove.exe"]) {
        let Some(image) = read(name).filter(|image| image.facts.machine == Machine::X86_64) else {
            continue;
        };
        for import in image.imports.iter().filter(|import| !import.delayed) {
            for symbol in &import.symbols {
                let lacks = lacking(&import.dll, &symbol.to_string(), &read, 0);
                if let Some(what) = lacks {
                    broken.entry(format!("{name} from {}", import.dll)).or_default().insert(what);
                }
            }
        }
    }
    broken
}

/// The missing part for a function of a library.
fn lacking(
    library: &str,
    function: &str,
    read: &dyn Fn(&str) -> Option<Image>,
    depth: usize,
) -> Option<String> {
    if !LIBRARIES.contains(&library) {
        return None;
    }
    let Some(image) = read(library).filter(|image| image.facts.machine == Machine::X86_64) else {
        return Some(library.to_owned());
    };
    let export = image.exports.iter().find(|export| export.name.as_deref() == Some(function));
    match export.map(|export| export.forwarded_to.as_deref()) {
        None => Some(format!("{function} of {library}")),
        Some(None) => None,
        // A cycle of forwarders leads nowhere.
        Some(Some(_)) if depth > LIBRARIES.len() => None,
        Some(Some(target)) => {
            let (library, function) = target.rsplit_once('.').unwrap();
            lacking(&format!("{library}.dll"), function, read, depth + 1)
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, ..ProptestConfig::default() })]

    #[test]
    fn what_the_law_lets_through_breaks_nothing(
        recipes in prop::collection::vec(recipe(), LIBRARIES.len()),
        events in prop::collection::vec(event(), 1..7),
    ) {
        let bench = Bench::new(&recipes);
        for (number, event) in (1u16..).zip(&events) {
            let before = broken(&bench.game());
            let Some(said) = bench.act(event, number) else { continue };
            let newly = newly_broken(&before, &broken(&bench.game()));
            // Going back to the shipped files is reported, not stopped.
            let is_told = said.iter().any(|(code, severity)| {
                *severity >= Severity::Warn
                    && ["needs-runtime", "exports-missing", "machine-mismatch"].contains(&code.as_str())
            });
            let goes_back = matches!(event, Event::Rollback(_) | Event::RollbackTo(_) | Event::Undo);
            prop_assert!(newly.is_empty() || goes_back && is_told, "{event:?} broke {newly:?}, and said {said:?}");
        }
    }
}
