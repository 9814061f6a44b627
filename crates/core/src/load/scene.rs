//! The images in a game's folder: now, or after some steps.

use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use super::graph::Outcome;
use crate::catalog::LIBRARY_EXTENSIONS;
use crate::change::{Owner, Step, Target};
use crate::content::Content;
use crate::game::Environment;
use crate::path::{TreePath, extension, fold};
use crate::survey::GameView;
use crate::window::{ImageAt, Window};
use upright_spanner_image::{Facts, Import, Machine, Offer};

/// The programs and libraries of a game, and a window to read them through.
#[derive(Clone)]
pub(crate) struct Scene<'a> {
    view: &'a GameView,
    window: &'a dyn Window,
    /// The environment that the game runs in, if it runs in a prefix.
    pub(super) environment: Option<&'a Environment>,
    /// Every image, by its path without regard to case.
    images: HashMap<String, Present<'a>>,
}

/// An image in a game's folder.
#[derive(Clone)]
pub(super) struct Present<'a> {
    pub path: TreePath,
    source: Source<'a>,
}

/// The source of an image's facts.
#[derive(Clone)]
enum Source<'a> {
    /// In the game's folder: the survey's facts.
    OnDisk(&'a Facts),
    /// A step puts it there.
    Coming(Content, Arc<Facts>),
    /// It cannot be loaded: why.
    Damaged(String),
    /// Present, but not readable now: its facts are unknown.
    Unread,
}

impl<'a> Scene<'a> {
    /// A game as it is now.
    pub fn now(view: &'a GameView, window: &'a dyn Window) -> Self {
        let programs = view.programs.iter().map(|program| (&program.path, &program.facts));
        let libraries = view.libraries.iter().filter(|library| !library.put_aside);
        let libraries = libraries.map(|library| (&library.path, &library.facts));
        let whole = programs.chain(libraries).map(|(path, facts)| (path, Source::OnDisk(facts)));
        let others = view.unusable.iter().map(|image| {
            let damaged = || Source::Damaged(image.why.clone());
            (&image.path, if image.is_damaged() { damaged() } else { Source::Unread })
        });

        let images = whole
            .chain(others)
            .map(|(path, source)| (fold(path.as_str()), Present { path: path.clone(), source }));
        Self { view, window, environment: view.environment.as_ref(), images: images.collect() }
    }

    /// The same game after some steps.
    pub fn after<'s>(&self, steps: impl IntoIterator<Item = &'s Step>) -> Self {
        let mut after = self.clone();
        for step in steps {
            if let (Target::Aside(aside), true) = (step.target(), step.after().state.is_absent()) {
                let gone = fold(aside.place.path().as_str());
                let is_in =
                    |key: &str| key.strip_prefix(&gone).is_some_and(|rest| rest.starts_with('/'));
                after.images.retain(|key, _| *key != gone && !is_in(key));
                continue;
            }
            // Files in folders elsewhere are not loaded from there.
            let Some(place) = step.file().filter(|place| place.bay().is_none()) else { continue };
            let path = place.path();
            let key = fold(path.as_str());
            match step.after().state.content() {
                None => drop(after.images.remove(&key)),
                // Most files of a game are not images, and need not be opened to see that.
                Some(_)
                    if *step.owner() == Owner::Game
                        && !may_be_image(path)
                        && !after.images.contains_key(&key) => {}
                Some(content) => match self.window.facts(ImageAt::Stored(&content)) {
                    Some(facts) => {
                        let source = Source::Coming(content, Arc::new(facts));
                        after.images.insert(key, Present { path: path.clone(), source });
                    }
                    // A file of another kind does not matter for loading, unless it replaces an image.
                    None => {
                        if let Some(present) = after.images.get_mut(&key) {
                            let why = "it is not a whole library or program any more";
                            present.source = Source::Damaged(why.to_owned());
                        }
                    }
                },
            }
        }
        after
    }

    /// Reads the facts in parallel: the imports of each image, and the exports that others import.
    pub(super) fn read_ahead(&self) {
        let facts = self.images.values().filter_map(Present::facts);
        let imported: HashSet<String> =
            facts.flat_map(|facts| &facts.imported_dlls).map(|name| fold(name)).collect();
        let is_imported =
            |present: &&Present<'_>| imported.contains(&fold(present.path.file_name()));
        let all: Vec<ImageAt<'_>> = self.images.values().filter_map(Present::at).collect();
        let offering = self.images.values().filter(is_imported).filter_map(Present::at);
        self.window.read_ahead(&all, &offering.collect::<Vec<_>>());
    }

    /// The image of a name in a folder.
    pub(super) fn beside(&self, folder: &str, name: &str) -> Option<&Present<'a>> {
        let path = if folder.is_empty() { name.to_owned() } else { format!("{folder}/{name}") };
        self.images.get(&fold(&path))
    }

    /// Whether a process of a machine can load the image at a path; `None` if there is no image.
    pub(super) fn outcome(&self, path: &TreePath, machine: Machine) -> Option<Outcome> {
        let present = self.beside("", path.as_str())?;
        let path = present.path.clone();
        if let Some(why) = present.damage() {
            return Some(Outcome::Damaged(path, why.to_owned()));
        }
        let other = present.facts().filter(|facts| !facts.runs_on(machine));
        Some(match other {
            Some(facts) => Outcome::OtherMachine(path, facts.machine),
            None => Outcome::File(path),
        })
    }

    /// The programs, that of the executable that counts first.
    pub(super) fn programs(&self) -> impl Iterator<Item = &Present<'a>> {
        self.view.programs.iter().filter_map(|program| self.beside("", program.path.as_str()))
    }

    /// Every image that is not a program, by path.
    pub(super) fn libraries(&self) -> Vec<&Present<'a>> {
        let is_program = |present: &Present<'_>| {
            self.view.programs.iter().any(|program| program.path.same_as(&present.path))
        };
        let mut all: Vec<&Present<'a>> =
            self.images.values().filter(|present| !is_program(present)).collect();
        all.sort_by(|a, b| a.path.cmp(&b.path));
        all
    }

    /// What an image imports, if that can be read.
    pub(super) fn imports(&self, present: &Present<'_>) -> Option<Arc<Vec<Import>>> {
        self.window.imports(present.at()?)
    }

    /// What an image offers, if that can be read.
    pub(super) fn offer(&self, present: &Present<'_>) -> Option<Arc<Offer>> {
        self.window.offer(present.at()?)
    }
}

impl Present<'_> {
    /// The facts of the image; `None` if it cannot be loaded.
    pub fn facts(&self) -> Option<&Facts> {
        match &self.source {
            Source::OnDisk(facts) => Some(facts),
            Source::Coming(_, facts) => Some(facts),
            Source::Damaged(_) | Source::Unread => None,
        }
    }

    fn at(&self) -> Option<ImageAt<'_>> {
        match &self.source {
            Source::OnDisk(_) => Some(ImageAt::Game(&self.path)),
            Source::Coming(content, _) => Some(ImageAt::Stored(content)),
            Source::Damaged(_) | Source::Unread => None,
        }
    }

    /// Why it cannot be loaded, if it cannot.
    pub fn damage(&self) -> Option<&str> {
        match &self.source {
            Source::Damaged(why) => Some(why),
            Source::OnDisk(_) | Source::Coming(..) | Source::Unread => None,
        }
    }
}

/// Whether a file has the ending of a program or library.
fn may_be_image(path: &TreePath) -> bool {
    let ending = extension(path.file_name());
    ending == "exe" || LIBRARY_EXTENSIONS.contains(&ending.as_str())
}
