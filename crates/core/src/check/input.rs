//! What checks look at: a subject, the game that it is or would be in, and the state of the machine.

use std::path::PathBuf;
use std::sync::Arc;

use crate::catalog::{Role, keyed_beside};
use crate::content::Content;
use crate::game::Executable;
use crate::path::same_name;
use crate::rack::Build;
use crate::situation::Situation;
use crate::survey::{GameView, Library};
use crate::window::ImageAt;
use upright_spanner_change::Place;
use upright_spanner_image::{
    Export, Facts, Import, Machine, Requirement, SignatureStatus, Version,
};

/// The subject of a check and its situation: a build that could be fitted, or a component that is present.
pub(crate) struct CheckInput<'a> {
    pub situation: &'a Situation<'a>,
    pub subject: Subject<'a>,
    /// The libraries of the subject, each with its place in the game.
    pub swaps: Vec<Swap<'a>>,
    /// Builds of other families that come in the same change.
    pub alongside: &'a [Alongside],
    /// Whether the subject is present in the game, rather than planned.
    pub in_place: bool,
}

/// The subject of a check: a build to fit, or a present component.
pub(crate) struct Subject<'a> {
    /// What to call it, as in `lens@2.9.1`.
    pub name: String,
    pub family: &'a str,
    pub role: Option<Role>,
    pub version: Option<Version>,
    /// What tells it from others of its version.
    pub variant: Option<&'a str>,
    pub machine: Option<Machine>,
    /// The store edition of the game that it is for.
    pub edition: Option<&'a str>,
    /// The versions of the game that it is for.
    pub supports: Option<&'a Requirement>,
    /// The name of its library.
    pub file_name: &'a str,
    /// The facts of its library, if it is an image.
    pub facts: Option<&'a Facts>,
    pub signature: SignatureStatus,
}

/// A build of another family that comes in the same change.
#[derive(Debug, Clone)]
pub(crate) struct Alongside {
    pub family: String,
    pub version: Option<Version>,
}

/// A component of another family, as far as ties between families go.
pub(crate) struct Other<'a> {
    pub family: &'a str,
    pub version: Option<Version>,
    /// The library in the game; `None` if the same change adds it.
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
    /// The present library.
    pub old: Option<&'a Library>,
    /// Whether the present library is identical.
    pub unchanged: bool,
    /// The version that the game shipped there.
    pub shipped: Option<Version>,
}

impl<'a> Subject<'a> {
    /// A build that would come.
    pub fn build(build: &'a Build) -> Self {
        Self {
            name: build.id.to_string(),
            family: &build.id.family,
            role: build.role,
            version: build.version.clone(),
            variant: build.id.variant.as_deref(),
            machine: build.machine,
            edition: build.edition.as_deref(),
            supports: build.supports.as_ref(),
            file_name: &build.file.name,
            facts: build.file.facts.as_ref(),
            signature: build.file.signature,
        }
    }

    /// A present component. Its supported versions come from the build on the rack with the same content, otherwise
    /// from the feed that lists it.
    pub fn component(library: &'a Library, situation: &Situation<'a>) -> Self {
        let Situation { builds, feeds, .. } = *situation;
        let facts = &library.facts;
        let version = facts.version();
        let known = builds.iter().find(|build| {
            same_name(&build.id.family, &library.family)
                && build.version == version
                && build.machine == Some(facts.machine)
        });
        let offers = if known.is_none() { feeds.offers(&library.family) } else { Vec::new() };
        let offered = offers.iter().find(|offer| {
            let mut variants = offer.entry.variant.iter();
            offer.entry.number() == version
                && variants.any(|variant| variant.machine == Some(facts.machine))
        });
        let offered = offered.and_then(|offer| offer.entry.supports.as_ref());
        let stated = version.as_ref().map_or_else(|| "?".to_owned(), ToString::to_string);

        Self {
            name: format!("{}@{stated}", library.family),
            family: &library.family,
            role: Some(library.role),
            version,
            machine: Some(facts.machine),
            edition: known.and_then(|build| build.edition.as_deref()),
            supports: known.and_then(|build| build.supports.as_ref()).or(offered),
            variant: known.and_then(|build| build.id.variant.as_deref()),
            file_name: library.path.file_name(),
            facts: Some(facts),
            signature: SignatureStatus::Absent,
        }
    }

    /// The version of an executable that its name has.
    pub fn key(&self) -> Option<Version> {
        keyed_beside(self.version.as_ref(), self.file_name)
    }
}

impl<'a> CheckInput<'a> {
    /// The survey's view of the game.
    pub fn view(&self) -> &'a GameView {
        self.situation.view
    }

    /// The executable that counts.
    pub fn executable(&self) -> Option<&Executable> {
        self.view().executable()
    }

    /// The version of the game.
    pub fn game_version(&self) -> Option<&Version> {
        self.situation.game_version()
    }

    /// The name of the build, or its place in the game.
    pub fn label(&self) -> String {
        match self.swaps.first().filter(|_| self.in_place) {
            Some(swap) => format!("{} ({})", self.subject.name, swap.place),
            None => self.subject.name.clone(),
        }
    }

    /// The components of other families, as they will be after the change.
    pub fn others(&self) -> Vec<Other<'_>> {
        let own = self.subject.family;
        let replaced =
            |family: &str| self.alongside.iter().any(|other| same_name(&other.family, family));
        let there = self
            .view()
            .libraries
            .iter()
            .filter(|library| !library.put_aside)
            .filter(|library| !same_name(&library.family, own) && !replaced(&library.family))
            .map(|library| Other {
                family: &library.family,
                version: library.facts.version(),
                library: Some(library),
            });

        let coming = self.alongside.iter().map(|other| Other {
            family: &other.family,
            version: other.version.clone(),
            library: None,
        });
        there.chain(coming).collect()
    }

    /// The exports of the library that would replace it.
    pub fn exports(&self, swap: &Swap<'_>) -> Option<Vec<Export>> {
        self.situation.window.exports(match &swap.content {
            Some(content) => ImageAt::Stored(content),
            None => ImageAt::Game(swap.place.path()),
        })
    }

    /// The symbols that images of the game import from a library of that name.
    pub fn importers(&self, name: &str) -> impl Iterator<Item = Arc<Vec<Import>>> {
        let programs = self.view().programs.iter().map(|p| (&p.path, &p.facts));
        let libraries = self.view().libraries.iter().filter(|library| !library.put_aside);
        let libraries = libraries.map(|library| (&library.path, &library.facts));
        let imports =
            move |facts: &Facts| facts.imported_dlls.iter().any(|dll| same_name(dll, name));
        let machine = self.subject.machine;
        programs
            .chain(libraries)
            .filter(move |(_, facts)| Some(facts.machine) == machine && imports(facts))
            .filter_map(|(path, _)| self.situation.window.imports(ImageAt::Game(path)))
    }
}

/// The state of the machine, as far as it matters for a change.
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
    /// The folder of the game and the home, if they are on different volumes.
    pub volumes: Option<(PathBuf, PathBuf)>,
    /// The bytes that are kept before they are replaced.
    pub kept: u64,
    /// The id of the game.
    pub game: String,
    /// The prefix whose registry a plan alters, if its programs run and no command is known to set it through.
    pub prefix: Option<InUse>,
}

/// A file that something has in use.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct InUse {
    pub path: PathBuf,
    /// The process, if the system reports it.
    pub by: Option<String>,
}
