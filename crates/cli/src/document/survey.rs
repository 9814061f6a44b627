//! The result of a survey. Other programs rely on this document.

use schemars::JsonSchema;
use serde::Serialize;
use upright_spanner_core::catalog::Role;
use upright_spanner_core::game::{self, Pin};
use upright_spanner_core::image::Machine;
use upright_spanner_core::proven::Proven;
use upright_spanner_core::survey::{
    Backup, Evidence, GameView, Gone, Library, NamedFile, Standing,
};

use super::error::Unread;
use super::prove::NotedProof;
use super::{SchemaNumber, text};
use crate::text::{date, slashes};

/// Games with their components.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Survey<'a> {
    schema: SchemaNumber,
    games: Vec<Game<'a>>,
    /// Files that were sought by their names and are not library of a game.
    files: Vec<File>,
    errors: Vec<Unread>,
}

/// A file that was sought by its name.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "NamedFile")]
struct File {
    /// From the drive on.
    path: String,
    size: u64,
    date: String,
    /// The version that it states.
    version: Option<String>,
}

impl From<&NamedFile> for File {
    fn from(file: &NamedFile) -> Self {
        Self {
            path: slashes(&file.path),
            size: file.size,
            date: date(file.modified),
            version: text(file.version.as_ref()),
        }
    }
}

/// A game.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "SurveyedGame")]
struct Game<'a> {
    id: &'a str,
    title: &'a str,
    /// Its folder.
    root: String,
    /// Whether a launcher is kept from updating it.
    held: bool,
    /// The executable that counts; null if the folder has no program.
    executable: Option<Executable<'a>>,
    components: Vec<Component<'a>>,
    /// Libraries that the records know and that are not there.
    missing: Vec<MissingComponent<'a>>,
}

/// A library that the records know and that is not there.
#[derive(Debug, Serialize, JsonSchema)]
struct MissingComponent<'a> {
    path: &'a str,
    family: &'a str,
    /// The version that it stated.
    version: Option<String>,
    state: Standing,
    /// Whether it had been fitted, rather than being the game's own.
    fitted: bool,
}

/// The executable that counts.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "SurveyedExecutable")]
struct Executable<'a> {
    path: &'a str,
    /// The game's version.
    version: Option<String>,
    /// The source of the version.
    version_from: Option<String>,
    machine: Machine,
    /// Why it is the one that counts.
    reasons: &'a [String],
}

/// A drop-in runtime component.
#[derive(Debug, Serialize, JsonSchema)]
struct Component<'a> {
    path: &'a str,
    family: &'a str,
    role: Role,
    version: Option<String>,
    machine: Machine,
    /// In bytes.
    size: u64,
    state: Standing,
    /// The name that its signature has, whether or not it holds.
    signer: Option<&'a str>,
    /// The group of related families that the catalog puts it in.
    group: Option<&'a str>,
    /// The newest build on the rack, if that is newer.
    newer_on_rack: Option<&'a str>,
    /// The newest build that a feed has, if that is newer than both.
    offered: Option<Offered<'a>>,
    pin: Option<&'a Pin>,
    /// When it was seen at work since it was fitted; null if it was not.
    proof: Option<NotedProof>,
    /// Renamed copies of it in the same folder.
    backups: &'a [Backup],
    /// Why it is taken for a component.
    evidence: &'a [Evidence],
}

/// A build of a feed.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "SurveyedOffer")]
struct Offered<'a> {
    /// As it is named to `rack get`.
    build: &'a str,
    feed: &'a str,
}

impl<'a> From<&'a upright_spanner_core::survey::Offered> for Offered<'a> {
    fn from(offered: &'a upright_spanner_core::survey::Offered) -> Self {
        Self { build: &offered.build, feed: &offered.feed }
    }
}

impl<'a> Survey<'a> {
    /// Games, each with those of its libraries that are listed.
    pub fn new(
        games: impl IntoIterator<Item = (&'a GameView, Vec<&'a Library>)>,
        files: &[NamedFile],
        errors: Vec<Unread>,
    ) -> Self {
        let games = games.into_iter().map(|(view, listed)| Game::new(view, &listed)).collect();
        let files = files.iter().map(File::from).collect();
        Self { schema: SchemaNumber, games, files, errors }
    }
}

impl<'a> Game<'a> {
    fn new(view: &'a GameView, listed: &[&'a Library]) -> Self {
        Self {
            id: &view.game.id,
            title: &view.game.title,
            root: slashes(&view.game.root),
            held: view.is_held,
            executable: view.executable().map(|executable| Executable::new(executable, view)),
            components: listed.iter().map(|library| Component::new(library, view)).collect(),
            missing: view.gone.iter().map(MissingComponent::from).collect(),
        }
    }
}

impl<'a> Executable<'a> {
    fn new(executable: &'a game::Executable, view: &GameView) -> Self {
        Self {
            path: executable.path.as_str(),
            version: text(view.version.as_ref().and_then(|known| known.version.as_ref())),
            version_from: view.version.as_ref().map(|known| known.origin.to_string()),
            machine: executable.facts.machine,
            reasons: &executable.reasons,
        }
    }
}

impl<'a> From<&'a Gone> for MissingComponent<'a> {
    fn from(gone: &'a Gone) -> Self {
        Self {
            path: gone.path.as_str(),
            family: &gone.family,
            version: text(gone.version.as_ref()),
            state: Standing::Missing,
            fitted: gone.fitted,
        }
    }
}

impl<'a> Component<'a> {
    fn new(library: &'a Library, view: &GameView) -> Self {
        let mark = view.mark();
        let proof = |proven: &Proven| NotedProof::new(proven, mark.as_ref());
        Self {
            path: library.path.as_str(),
            family: &library.family,
            role: library.role,
            version: library.facts.version().map(|version| version.to_string()),
            machine: library.facts.machine,
            size: library.facts.size,
            state: library.state,
            signer: library.facts.signer.as_deref(),
            group: library.group.as_deref(),
            newer_on_rack: library.newer.as_ref().map(|newer| newer.build.as_str()),
            offered: library.offered.as_ref().map(Offered::from),
            pin: library.pin.as_ref(),
            proof: library.proven.as_ref().map(proof),
            backups: &library.backups,
            evidence: &library.evidence,
        }
    }
}
