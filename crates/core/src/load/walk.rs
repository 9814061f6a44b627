//! Follows the imports of a game's images in the order in which Windows looks for libraries.
//!
//! The order is that of "Dynamic-link library search order" (Windows developer documentation) for a desktop program:
//! API sets and known libraries, the program's folder, the system's. The current folder is the program's own, as in a
//! normal start. `PATH` does not belong to the game.

use std::collections::{BTreeMap, HashMap, HashSet, VecDeque};

use super::graph::{Edge, Graph, How, Loaded, Outcome, Process};
use super::scene::{Present, Scene};
use super::windows::{Own, own};
use crate::path::{TreePath, extension, fold};
use upright_spanner_image::system::{is_always_windows_own, is_api_set, is_runtime};
use upright_spanner_image::{Facts, Machine, Symbol};

/// So often a function may lead on to another library's: real ones do it once or twice.
const MOST_FORWARDS: usize = 8;

/// Follows the imports of every program of a game, and of the libraries that nothing imports.
pub(crate) fn graph<'s>(scene: &'s Scene<'s>) -> Graph {
    scene.read_ahead();
    let mut walks: Vec<Walk<'s>> =
        scene.programs().filter_map(|program| Walk::of(scene, program)).collect();
    for walk in &mut walks {
        walk.start();
    }
    by_name(scene, &mut walks);
    Graph { processes: walks.into_iter().map(Walk::into_process).collect() }
}

/// Adds the libraries that no image imports, as far as a program of the game could load them.
fn by_name<'s>(scene: &'s Scene<'s>, walks: &mut [Walk<'s>]) {
    let is_met = |walks: &[Walk<'_>], path: &TreePath| {
        walks.iter().any(|walk| walk.at.contains_key(&fold(path.as_str())))
    };
    let unmet: Vec<&Present<'s>> =
        scene.libraries().into_iter().filter(|library| !is_met(walks, &library.path)).collect();
    let imported: HashSet<String> = unmet
        .iter()
        .filter_map(|library| library.facts())
        .flat_map(|facts| &facts.imported_dlls)
        .map(|name| fold(name))
        .collect();

    // A library that others import comes with these; only in a cycle of imports does one of them start.
    let (others, first): (Vec<&Present<'s>>, Vec<&Present<'s>>) =
        unmet.into_iter().partition(|library| imported.contains(&fold(library.path.file_name())));
    for library in first.into_iter().chain(others) {
        let is_loaded_already = is_met(walks, &library.path);
        if let Some(walk) = loader_of(library, walks).filter(|_| !is_loaded_already) {
            walks[walk].load_by_name(library);
        }
    }
}

/// The program that would load a library at run time: of the suitable ones, the one in the nearest folder around it,
/// otherwise the main one. A helper in the game's own folder does not count.
fn loader_of(library: &Present<'_>, walks: &[Walk<'_>]) -> Option<usize> {
    let can = |walk: &Walk<'_>| library.facts().is_none_or(|facts| facts.runs_on(walk.machine));
    let folder = fold(library.path.folder());
    let is_around = |walk: &Walk<'_>| {
        let own = fold(walk.folder());
        !own.is_empty() && (folder == own || folder.starts_with(&format!("{own}/")))
    };
    let able = || walks.iter().enumerate().filter(|(_, walk)| can(walk));
    let around = able().filter(|(_, walk)| is_around(walk));
    let nearest = around.max_by_key(|(at, walk)| (walk.folder().len(), std::cmp::Reverse(*at)));
    nearest.or_else(|| able().next()).map(|(at, _)| at)
}

/// The walk through one process.
struct Walk<'s> {
    scene: &'s Scene<'s>,
    program: &'s Present<'s>,
    machine: Machine,
    images: Vec<Loaded>,
    /// The index of each image among them, by its path without regard to case.
    at: HashMap<String, usize>,
    /// Images that are met and not followed yet.
    queue: VecDeque<Next<'s>>,
    /// Those that are loaded at a first call: they come behind those that are loaded at the start.
    later: VecDeque<Next<'s>>,
}

/// A request for a library.
struct Ask<'a> {
    library: &'a str,
    delayed: bool,
    /// The folder of the library that was loaded at run time, for requests of its imports.
    root: Option<&'a str>,
    /// How many libraries have led on to it.
    depth: usize,
}

/// An image to follow next.
struct Next<'s> {
    image: &'s Present<'s>,
    by: Option<usize>,
    how: How,
    /// The folder of the library that was loaded by name, through which it is met.
    root: Option<&'s str>,
}

impl<'s> Walk<'s> {
    fn of(scene: &'s Scene<'s>, program: &'s Present<'s>) -> Option<Self> {
        let machine = program.facts().map(|facts| facts.machine)?;
        Some(Self {
            scene,
            program,
            machine,
            images: Vec::new(),
            at: HashMap::new(),
            queue: VecDeque::new(),
            later: VecDeque::new(),
        })
    }

    fn into_process(self) -> Process {
        let program = self.program.path.clone();
        Process { program, machine: self.machine, images: self.images }
    }

    fn folder(&self) -> &'s str {
        self.program.path.folder()
    }

    fn start(&mut self) {
        let (image, how) = (self.program, How::AtStart);
        self.queue.push_back(Next { image, by: None, how, root: None });
        self.go_on();
    }

    fn load_by_name(&mut self, library: &'s Present<'s>) {
        let root = Some(library.path.folder());
        self.queue.push_back(Next { image: library, by: None, how: How::ByName, root });
        self.go_on();
    }

    fn go_on(&mut self) {
        while let Some(next) = self.queue.pop_front().or_else(|| self.later.pop_front()) {
            self.follow(&next);
        }
    }

    fn follow(&mut self, next: &Next<'s>) {
        let key = fold(next.image.path.as_str());
        if self.at.contains_key(&key) || next.image.damage().is_some() {
            return;
        }
        let version = next.image.facts().and_then(Facts::version);
        let imports = self.scene.imports(next.image);
        let own = self.images.len();
        self.at.insert(key, own);
        let (path, how, by) = (next.image.path.clone(), next.how, next.by);
        self.images.push(Loaded { path, version, how, by, edges: Vec::new() });

        let mut edges = Vec::new();
        for import in imports.iter().flat_map(|imports| imports.iter()) {
            let ask =
                Ask { library: &import.dll, delayed: import.delayed, root: next.root, depth: 0 };
            self.ask(&ask, import.symbols.iter(), &mut edges);
        }
        for edge in &edges {
            let Outcome::File(path) = &edge.outcome else { continue };
            let Some(image) = self.scene.beside("", path.as_str()) else { continue };
            let (by, root) = (Some(own), next.root);
            if edge.delayed {
                let how = next.how.max(How::AtFirstCall);
                self.later.push_back(Next { image, by, how, root });
            } else {
                self.queue.push_back(Next { image, by, how: next.how, root });
            }
        }
        self.images[own].edges = edges;
    }

    /// The library that a name resolves to.
    fn find(&self, name: &str, root: Option<&str>) -> Found<'s> {
        let name = if extension(name).is_empty() { format!("{name}.dll") } else { name.to_owned() };
        // A name with a folder in it is one of another machine's, and nothing to be looked for here.
        if name.contains(['/', '\\']) {
            return Found::Windows(Own::Unknown);
        }
        let windows = own(&name, self.machine);
        let takes_its_own =
            self.scene.environment.is_some_and(|it| it.takes_its_own(&name, self.machine));
        let is_windows = !matches!(windows, Own::Absent);
        if is_windows && (is_always_windows_own(&name) || takes_its_own) {
            return Found::Windows(windows);
        }
        let beside = self.scene.beside(self.folder(), &name);
        let near_root = || self.scene.beside(root?, &name);
        match (beside.or_else(near_root), windows) {
            (Some(image), _) => Found::File(image),
            (None, Own::Absent) => Found::Nothing,
            (None, windows) => Found::Windows(windows),
        }
    }

    /// Adds the result of requesting functions from a library, and from those it forwards to.
    fn ask<'i>(
        &mut self,
        ask: &Ask<'_>,
        wanted: impl Iterator<Item = &'i Symbol>,
        edges: &mut Vec<Edge>,
    ) {
        let mut edge = Edge {
            library: ask.library.to_owned(),
            delayed: ask.delayed,
            forwarded: ask.depth > 0,
            outcome: Outcome::Missing,
            lacks: Vec::new(),
            unsure: Vec::new(),
        };
        match self.find(ask.library, ask.root) {
            Found::Nothing => {}
            Found::Windows(Own::Unknown) => {
                edge.outcome = Outcome::Unknown;
                // The game's installer provides contracts and runtimes, and a program is present before its
                // libraries.
                let is_seen_to = is_api_set(ask.library) || is_runtime(ask.library);
                if !is_seen_to && extension(ask.library) != "exe" {
                    edge.unsure = wanted.map(ToString::to_string).collect();
                }
            }
            Found::Windows(own) => {
                // The exports of a Windows library by ordinal are not known.
                let lacks = wanted
                    .filter(|symbol| matches!(symbol, Symbol::Name(name) if !own.offers(name)));
                edge.lacks = lacks.map(ToString::to_string).collect();
                edge.outcome = Outcome::Windows;
            }
            Found::File(image) => {
                let outcome = self.scene.outcome(&image.path, self.machine);
                edge.outcome = outcome.unwrap_or(Outcome::Missing);
                if let Outcome::File(_) = edge.outcome {
                    self.ask_file(image, ask, wanted, &mut edge, edges);
                }
            }
        }
        edges.push(edge);
    }

    /// The requested symbols that a library of the game lacks.
    fn ask_file<'i>(
        &mut self,
        image: &Present<'_>,
        ask: &Ask<'_>,
        wanted: impl Iterator<Item = &'i Symbol>,
        edge: &mut Edge,
        edges: &mut Vec<Edge>,
    ) {
        let Some(offer) = self.scene.offer(image) else { return };
        let mut onward: BTreeMap<String, Vec<Symbol>> = BTreeMap::new();
        for symbol in wanted {
            let Some(leads_to) = offer.find(symbol) else {
                edge.lacks.push(symbol.to_string());
                continue;
            };
            if let Some((library, symbol)) = leads_to.and_then(forward) {
                onward.entry(library).or_default().push(symbol);
            }
        }
        for (library, symbols) in onward.iter().filter(|_| ask.depth < MOST_FORWARDS) {
            let onward = Ask { library, depth: ask.depth + 1, ..*ask };
            self.ask(&onward, symbols.iter(), edges);
        }
    }
}

/// The result of resolving a name.
enum Found<'s> {
    File(&'s Present<'s>),
    Windows(Own),
    Nothing,
}

/// If a function leads that lives in another library: `other.go`, or `other.#12`.
fn forward(target: &str) -> Option<(String, Symbol)> {
    let (library, function) = target.rsplit_once('.')?;
    // It is written without ending, whatever dots are in it.
    let has_ending = ["dll", "exe"].contains(&extension(library).as_str());
    let library = if has_ending { library.to_owned() } else { format!("{library}.dll") };
    Some((library, Symbol::from_text(function)))
}
