//! The result of a survey: games as they are on disk now, with their libraries.

use std::collections::HashMap;
use std::path::{Path, PathBuf};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::evidence::Evidence;
use crate::catalog::{Catalog, Role};
use crate::change::ExecutableMark;
use crate::content::Digest;
use crate::error::{CatalogError, Error, GameError, Result};
use crate::feed::Feeds;
use crate::game::{Environment, Executable, Game, GameVersion, KnownGames, Pin};
use crate::history::History;
use crate::launcher::Record;
use crate::path::{TreePath, same_name};
use crate::proven::{Proofs, Proven};
use crate::rack::RackIndex;
use upright_spanner_image::{Facts, Machine, Version};

/// The games and libraries below some paths.
#[derive(Debug, Default)]
pub struct Survey {
    /// The games; those that need attention first.
    pub games: Vec<GameView>,
    /// The number of libraries outside of games, in folders without a program.
    pub stray: usize,
    /// What could not be read. The rest was surveyed all the same.
    pub errors: Vec<LookError>,
}

/// A game as it is on disk now.
#[derive(Debug)]
pub struct GameView {
    /// The game.
    pub game: Game,
    /// Its programs, the likeliest first. The first is the executable that counts.
    pub programs: Vec<Executable>,
    /// Its version, if something states one.
    pub version: Option<GameVersion>,
    /// Every library in its folder, in the order of their paths.
    pub libraries: Vec<Library>,
    /// Libraries and programs that cannot be read since something has them in use.
    pub in_use: Vec<PathBuf>,
    /// Files with the name of a library or a program that are not complete images, or cannot be read.
    pub unusable: Vec<Unusable>,
    /// Libraries that the records know and that are not there.
    pub gone: Vec<Gone>,
    /// The overrides of its prefix, if it runs in one.
    pub environment: Option<Environment>,
    /// What launchers have written down of it.
    pub records: Vec<Record>,
    /// Whether a launcher is kept from updating it, according to the last change.
    pub is_held: bool,
}

/// A file that is not the image that its name promises, or that cannot be read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unusable {
    /// Its location.
    pub path: TreePath,
    /// The reason, as in `it is empty (0 bytes)`.
    pub why: String,
    /// The code of [`upright_spanner_image::ImageError::code`].
    pub code: &'static str,
}

impl Unusable {
    /// Whether it is certainly damaged; an unreadable file may be intact.
    pub fn is_damaged(&self) -> bool {
        self.code != "unreadable"
    }
}

/// A library that the records know and that is not there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Gone {
    /// Its former location.
    pub path: TreePath,
    /// The family that it was of.
    pub family: String,
    /// The version that it stated.
    pub version: Option<Version>,
    /// Whether it had been fitted, rather than being the game's own.
    pub fitted: bool,
}

/// A library in a game's folder.
#[derive(Debug)]
pub struct Library {
    /// Its location.
    pub path: TreePath,
    /// Its facts.
    pub facts: Facts,
    /// The family that it belongs to.
    pub family: String,
    /// The group of related families that the catalog puts it in.
    pub group: Option<String>,
    /// Its role in the game.
    pub role: Role,
    /// Whether it is a component, rather than one of the game's own files.
    pub is_component: bool,
    /// Whether it is a runtime of a compiler or the system, without other evidence.
    pub is_compiler_runtime: bool,
    /// Its state according to the records.
    pub state: Standing,
    /// The newest build on the rack that could take its place, if that is newer.
    pub newer: Option<Newer>,
    /// A feed's newest build for it, if that is newer than the present one and those on the rack.
    pub offered: Option<Offered>,
    /// Whether its name says that it is a copy of another library, put aside by hand.
    pub put_aside: bool,
    /// Renamed copies of it in the same folder.
    pub backups: Vec<Backup>,
    /// Why it is taken for a component.
    pub evidence: Vec<Evidence>,
    /// What keeps it at a version.
    pub pin: Option<Pin>,
    /// That it was seen at work since it was fitted.
    pub proven: Option<Proven>,
}

/// A renamed copy of a library, put aside by hand.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Backup {
    /// Its location.
    #[schemars(with = "String")]
    pub path: TreePath,
    /// The version that it states.
    #[schemars(with = "Option<String>")]
    pub version: Option<Version>,
}

/// A build on the rack that is newer than the game's.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Newer {
    /// Its name.
    pub build: String,
    /// Its version.
    pub version: Version,
}

/// A feed's build that is newer than the game's.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Offered {
    /// Its name.
    pub build: String,
    /// Its version.
    pub version: Version,
    /// The feed.
    pub feed: String,
    /// The digest of the download.
    pub blake3: Digest,
}

/// The state of a file according to the records.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, JsonSchema, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Standing {
    /// No change ever touched it.
    Unrecorded,
    /// It was altered once and is now as it was before that.
    Shipped,
    /// The last change put it there.
    Fitted,
    /// Something else has altered it since.
    Overwritten,
    /// It was there when it was last recorded, and is not any more.
    Missing,
}

impl Standing {
    /// The word used in output and in JSON.
    pub fn name(self) -> &'static str {
        match self {
            Self::Unrecorded => "unrecorded",
            Self::Shipped => "shipped",
            Self::Fitted => "fitted",
            Self::Overwritten => "overwritten",
            Self::Missing => "missing",
        }
    }
}

/// Something that could not be looked at.
#[derive(Debug)]
pub struct LookError {
    /// Where.
    pub path: PathBuf,
    /// A stable code: that of [`upright_spanner_image::ImageError::code`], `unreadable` for folders, or `catalog`.
    pub code: &'static str,
    /// The reason.
    pub message: String,
}

impl From<&CatalogError> for LookError {
    fn from(error: &CatalogError) -> Self {
        let message = format!("line {}: {}", error.line, error.what);
        Self { path: error.path.clone(), code: "catalog", message }
    }
}

/// The home's data that helps to recognise files.
pub(crate) struct Knowledge<'a> {
    pub games: KnownGames,
    pub library_roots: &'a [PathBuf],
    pub rack: RackIndex<'a>,
    pub history: &'a History,
    pub catalog: &'a Catalog,
    pub feeds: &'a Feeds,
    pub pins: &'a [Pin],
    pub proofs: &'a Proofs,
    /// What launchers have written down of games.
    pub records: &'a [Record],
}

/// What shows that a file is the one whose facts were read before.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Mark {
    /// Length in bytes.
    pub size: u64,
    /// Date: seconds since 1970, and nanoseconds.
    pub modified: (i64, u32),
    /// The file's number on its volume, if the system has one.
    pub file: u64,
}

/// The store of image facts between surveys.
pub(crate) trait FactsStore {
    /// The facts of all images below a folder, by path.
    fn below(&self, folder: &Path) -> Result<HashMap<String, (Mark, Facts)>>;
    /// Keeps facts.
    fn keep(&self, facts: &[(String, Mark, &Facts)]) -> Result<()>;
}

impl GameView {
    /// The executable that counts.
    pub fn executable(&self) -> Option<&Executable> {
        self.programs.first()
    }

    /// The name of that one's file.
    pub fn program_name(&self) -> Option<&str> {
        self.executable().map(|executable| executable.path.file_name())
    }

    /// Its version.
    pub fn game_version(&self) -> Option<&Version> {
        self.version.as_ref().and_then(|known| known.version.as_ref())
    }

    /// The mark of the executable that counts, as it is now.
    pub fn mark(&self) -> Option<ExecutableMark> {
        let executable = self.executable()?;
        Some(ExecutableMark {
            path: executable.path.clone(),
            version: self.version.as_ref().and_then(|known| known.version.clone()),
            size: executable.facts.size,
            stamp: executable.facts.stamp,
        })
    }

    /// Says that the game has no component of a family; or that this is not known, since files of it
    /// are in use.
    pub(crate) fn no_component(&self, family: &str) -> Error {
        match self.in_use.first() {
            Some(path) => Error::Game(GameError::InUse { path: path.clone() }),
            None => Error::Game(GameError::NoSuchComponent {
                family: family.to_owned(),
                game: self.game.title.clone(),
                known: self.families(),
            }),
        }
    }

    /// The libraries that are components: those that need attention first, then by role.
    pub fn components(&self) -> Vec<&Library> {
        let components = self.libraries.iter().filter(|library| library.is_component);
        let mut components: Vec<&Library> = components.collect();
        components.sort_by(|a, b| {
            b.attention()
                .cmp(&a.attention())
                .then(a.role.cmp(&b.role))
                .then(b.is_exchanged().cmp(&a.is_exchanged()))
                .then_with(|| a.family.cmp(&b.family))
                .then_with(|| a.path.cmp(&b.path))
        });
        components
    }

    /// The families of its components, each once.
    pub fn families(&self) -> Vec<String> {
        let mut families: Vec<String> =
            self.components().iter().map(|library| library.family.clone()).collect();
        families.sort();
        families.dedup();
        families
    }

    /// That a family was seen at work since it was fitted.
    pub fn proven(&self, family: &str) -> Option<&Proven> {
        let of_family = self.libraries.iter().filter(|library| same_name(&library.family, family));
        of_family.filter_map(|library| library.proven.as_ref()).max_by_key(|proven| proven.at)
    }

    /// The machine that a component must be for, if the game has an executable.
    pub fn machine(&self) -> Option<Machine> {
        self.executable().map(|executable| executable.facts.machine)
    }

    pub(super) fn attention(&self) -> Attention {
        let components = self.libraries.iter().filter(|library| library.is_component);
        let gone = self.gone.iter().map(|_| Attention::Overwritten);
        components.map(Library::attention).chain(gone).max().unwrap_or(Attention::None)
    }
}

/// How much a component asks for the user's attention.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Attention {
    /// Nothing about it is remarkable.
    None,
    /// The rack or a feed has a newer build.
    Outdated,
    /// Something else has overwritten or removed the fitted file.
    Overwritten,
}

impl Library {
    /// Whether any evidence shows that people exchange it: more than a maker different from the game's.
    pub fn is_exchanged(&self) -> bool {
        self.evidence.iter().any(|evidence| evidence.kind.is_telling())
    }

    /// How much it asks for the user's attention.
    pub fn attention(&self) -> Attention {
        match self.state {
            Standing::Overwritten => Attention::Overwritten,
            _ if self.newer.is_some() || self.offered.is_some() => Attention::Outdated,
            _ => Attention::None,
        }
    }
}
