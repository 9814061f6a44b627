//! What checks look at.

use std::path::PathBuf;
use std::sync::Arc;

use crate::catalog::Catalog;
use crate::content::Content;
use crate::game::{Executable, Pin};
use crate::image::{Facts, Image};
use crate::path::{TreePath, same_name};
use crate::rack::Build;
use crate::survey::{GameView, Library};
use crate::version::Version;
use upright_spanner_change::Place;

/// A build and a game: what it would be to have the one in the other, or what it is.
pub(crate) struct Case<'a> {
    pub view: &'a GameView,
    pub build: &'a Build,
    /// The libraries of the build, each with its place in the game.
    pub swaps: Vec<Swap<'a>>,
    /// The rack, for what could be used instead.
    pub builds: &'a [Build],
    pub catalog: &'a Catalog,
    /// The pins of this game.
    pub pins: &'a [Pin],
    /// Builds of other families that come in the same change.
    pub along: &'a [Along],
    pub images: &'a dyn Images,
    /// Whether the build is what the game has now, rather than what it would have.
    pub in_place: bool,
}

/// A build of another family that comes in the same change.
#[derive(Debug, Clone)]
pub(crate) struct Along {
    pub family: String,
    pub version: Option<Version>,
}

/// A component of another family, as far as ties between families go.
pub(crate) struct Other<'a> {
    pub family: &'a str,
    pub version: Option<Version>,
    /// Where it lies; it is not there yet where it comes in the same change.
    pub library: Option<&'a Library>,
}

impl Other<'_> {
    /// `lampwright 31.1.0`.
    pub fn described(&self) -> String {
        match &self.version {
            Some(version) => format!("{} {version}", self.family),
            None => self.family.to_owned(),
        }
    }
}

/// A library that takes its place in a game.
pub(crate) struct Swap<'a> {
    pub place: Place,
    pub facts: &'a Facts,
    pub content: Option<Content>,
    /// What is there now.
    pub old: Option<&'a Library>,
    /// Whether what is there now is the same to the last byte.
    pub unchanged: bool,
    /// The version that the game shipped there.
    pub shipped: Option<Version>,
}

/// Reads whole images where facts do not suffice.
pub(crate) trait Images {
    /// The image at a path in the game.
    fn at(&self, path: &TreePath) -> Option<Arc<Image>>;
    /// The image of a file on the rack.
    fn stored(&self, content: &Content) -> Option<Arc<Image>>;
}

impl Case<'_> {
    /// The executable that counts.
    pub fn executable(&self) -> Option<&Executable> {
        self.view.executable()
    }

    /// The version of the game, where it is known.
    pub fn game_version(&self) -> Option<&Version> {
        self.view.version.as_ref().and_then(|known| known.version.as_ref())
    }

    /// What to call the build: by its name, or by where it lies in the game.
    pub fn label(&self) -> String {
        match self.swaps.first().filter(|_| self.in_place) {
            Some(swap) => format!("{} ({})", self.build.id, swap.place),
            None => self.build.id.to_string(),
        }
    }

    /// The components of other families, as they will be after the change.
    pub fn others(&self) -> Vec<Other<'_>> {
        let own = &self.build.id.family;
        let replaced =
            |family: &str| self.along.iter().any(|along| same_name(&along.family, family));
        let there = self
            .view
            .libraries
            .iter()
            .filter(|library| !library.put_aside)
            .filter(|library| !same_name(&library.family, own) && !replaced(&library.family))
            .map(|library| Other {
                family: &library.family,
                version: library.facts.version(),
                library: Some(library),
            });
        let along = self.along.iter().map(|along| Other {
            family: &along.family,
            version: along.version.clone(),
            library: None,
        });
        there.chain(along).collect()
    }

    /// The whole image of a library that takes its place.
    pub fn image(&self, swap: &Swap<'_>) -> Option<Arc<Image>> {
        match &swap.content {
            Some(content) => self.images.stored(content),
            None => self.images.at(swap.place.path()),
        }
    }

    /// Images of the game that import from a library of that name, and could mean one in that
    /// folder: a program looks in its own folder, whoever asks.
    pub fn importers(&self, name: &str) -> impl Iterator<Item = (&TreePath, Arc<Image>)> {
        let programs = self.view.programs.iter().map(|p| (&p.path, &p.facts));
        let libraries = self.view.libraries.iter().filter(|library| !library.put_aside);
        let libraries = libraries.map(|library| (&library.path, &library.facts));
        let imports =
            move |facts: &Facts| facts.imported_dlls.iter().any(|dll| same_name(dll, name));
        let machine = self.build.machine;
        programs
            .chain(libraries)
            .filter(move |(_, facts)| facts.machine == machine && imports(facts))
            .filter_map(|(path, _)| Some((path, self.images.at(path)?)))
    }
}

/// What the state of the machine is, as far as it matters for a change.
#[derive(Debug, Default)]
pub(crate) struct Conditions {
    /// Files that something has in use.
    pub in_use: Vec<InUse>,
    /// Files that are marked read-only.
    pub read_only: Vec<Place>,
    /// Folders that take no new files.
    pub closed: Vec<PathBuf>,
    /// Volumes without enough room: a folder on each, bytes wanted, bytes free.
    pub short: Vec<(PathBuf, u64, u64)>,
    /// The folder of the game and the home, where they are on different volumes.
    pub volumes: Option<(PathBuf, PathBuf)>,
    /// The bytes that are kept before they are replaced.
    pub kept: u64,
}

/// A file that something has in use.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct InUse {
    pub path: PathBuf,
    /// The process, where the system tells it.
    pub by: Option<String>,
}
