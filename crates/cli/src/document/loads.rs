//! The libraries a game would load.

use schemars::JsonSchema;
use serde::Serialize;
use upright_spanner_core::image::Machine;
use upright_spanner_core::load::{self, Graph, How, Outcome};
use upright_spanner_core::survey::GameView;

use super::{SchemaNumber, text};

/// The loading of a game's programs.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Loads {
    schema: SchemaNumber,
    /// The game's id.
    game: String,
    /// That of the executable that counts comes first.
    processes: Vec<Process>,
}

/// What one program would load.
#[derive(Debug, Serialize, JsonSchema)]
struct Process {
    program: String,
    machine: Machine,
    /// In the order in which they are met.
    images: Vec<Image>,
}

/// An image of the game.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "LoadedImage")]
struct Image {
    path: String,
    version: Option<String>,
    how: How,
    /// The image that first requests it; null for the program, and for libraries that are loaded at run time.
    by: Option<String>,
    imports: Vec<Import>,
}

/// A library that an image asks for.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "LoadedImport")]
struct Import {
    library: String,
    /// Whether the request is made at the first call instead of at the start.
    delayed: bool,
    /// Whether the image leads others on to it, rather than using it itself.
    forwarded: bool,
    found: Found,
    /// The file of the game that is found.
    path: Option<String>,
    /// Why that cannot be loaded, if it cannot.
    why: Option<String>,
    /// The requested functions that it does not export.
    lacks: Vec<String>,
    /// The functions of which it is not known whether Windows offers them.
    unsure: Vec<String>,
}

/// The file that is found when a library is requested.
#[derive(Debug, Clone, Copy, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
enum Found {
    /// A file of the game.
    File,
    /// Windows' own library.
    Windows,
    /// Windows' own library, with unknown exports.
    Unknown,
    /// Nothing.
    Missing,
    /// A file for another machine.
    OtherMachine,
    /// A file that is damaged.
    Damaged,
}

/// How a game comes to a file.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Ways {
    schema: SchemaNumber,
    /// The game's id.
    game: String,
    /// One a process that comes to it.
    ways: Vec<Chain>,
}

/// How a process comes to a file.
#[derive(Debug, Serialize, JsonSchema)]
struct Chain {
    program: String,
    /// The images on the way; the last is the file, or the one that asks for it.
    images: Vec<Image>,
    /// The library that the last image asks for, if that is not an image of the game that can be loaded.
    asks_for: Option<String>,
}

impl Loads {
    pub fn new(view: &GameView, graph: &Graph) -> Self {
        let processes = graph.processes.iter().map(Process::from).collect();
        Self { schema: SchemaNumber, game: view.game.id.clone(), processes }
    }
}

impl Ways {
    pub fn new(view: &GameView, ways: &[load::LoadChain<'_>]) -> Self {
        let ways = ways.iter().map(Chain::from).collect();
        Self { schema: SchemaNumber, game: view.game.id.clone(), ways }
    }
}

impl From<&load::LoadChain<'_>> for Chain {
    fn from(way: &load::LoadChain<'_>) -> Self {
        Self {
            program: way.process.program.to_string(),
            images: way.images.iter().map(|image| Image::new(image, way.process)).collect(),
            asks_for: way.last.map(|edge| edge.library.clone()),
        }
    }
}

impl From<&load::Process> for Process {
    fn from(process: &load::Process) -> Self {
        Self {
            program: process.program.to_string(),
            machine: process.machine,
            images: process.images.iter().map(|image| Image::new(image, process)).collect(),
        }
    }
}

impl Image {
    fn new(image: &load::Loaded, process: &load::Process) -> Self {
        let by = image.by.and_then(|at| process.images.get(at));
        Self {
            path: image.path.to_string(),
            version: text(image.version.as_ref()),
            how: image.how,
            by: by.map(|by| by.path.to_string()),
            imports: image.edges.iter().map(Import::from).collect(),
        }
    }
}

impl From<&load::Edge> for Import {
    fn from(edge: &load::Edge) -> Self {
        let (found, why) = match &edge.outcome {
            Outcome::File(_) => (Found::File, None),
            Outcome::Windows => (Found::Windows, None),
            Outcome::Unknown => (Found::Unknown, None),
            Outcome::Missing => (Found::Missing, None),
            Outcome::OtherMachine(_, machine) => {
                (Found::OtherMachine, Some(format!("it is {}", machine.spoken())))
            }
            Outcome::Damaged(_, why) => (Found::Damaged, Some(why.clone())),
        };
        Self {
            library: edge.library.clone(),
            delayed: edge.delayed,
            forwarded: edge.forwarded,
            found,
            path: edge.path().map(ToString::to_string),
            why,
            lacks: edge.lacks.clone(),
            unsure: edge.unsure.clone(),
        }
    }
}
