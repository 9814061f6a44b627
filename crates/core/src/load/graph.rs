//! The images of a game, and the requests of each.

use schemars::JsonSchema;
use serde::Serialize;

use crate::path::TreePath;
use upright_spanner_image::{Machine, Version};

/// The loading of a game's programs.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Graph {
    /// One process a program; that of the executable that counts comes first.
    pub processes: Vec<Process>,
}

/// What one program would load.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Process {
    /// The program.
    pub program: TreePath,
    /// The machine that its process is for.
    pub machine: Machine,
    /// The program and every image of the game that it would load, in the order in which they are met.
    pub images: Vec<Loaded>,
}

/// An image of a game in a process.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Loaded {
    /// Its path.
    pub path: TreePath,
    /// The version that it states.
    pub version: Option<Version>,
    /// When it is loaded.
    pub how: How,
    /// The image that asks for it first, by its place among the images of the process.
    pub by: Option<usize>,
    /// Its requests.
    pub edges: Vec<Edge>,
}

/// When an image is loaded, the surest first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum How {
    /// It is the program, or is loaded with it: the game does not start without it.
    AtStart,
    /// When a function of it is first called.
    AtFirstCall,
    /// By its name while the game runs, as it seems: nothing imports it.
    ByName,
}

/// A library that an image asks for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Edge {
    /// Its name, in the image's spelling.
    pub library: String,
    /// Whether the request is made at the first call instead of at the start.
    pub delayed: bool,
    /// Whether the image does not use it itself but leads others on to it.
    pub forwarded: bool,
    /// The result.
    pub outcome: Outcome,
    /// The requested functions that the library does not export.
    pub lacks: Vec<String>,
    /// The requested functions that Windows may not export.
    pub unsure: Vec<String>,
}

/// The file that is found when an image requests a library.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Outcome {
    /// A file of the game.
    File(TreePath),
    /// Windows' own library, with known exports.
    Windows,
    /// Windows' own library; which functions it offers is not known.
    Unknown,
    /// Nothing.
    Missing,
    /// A file for another machine.
    OtherMachine(TreePath, Machine),
    /// A file that cannot be loaded, and why.
    Damaged(TreePath, String),
}

impl Edge {
    /// Whether the request fails.
    pub fn is_broken(&self) -> bool {
        let is_found =
            matches!(self.outcome, Outcome::File(_) | Outcome::Windows | Outcome::Unknown);
        !is_found || !self.lacks.is_empty()
    }

    /// The file of the game that it leads to, be it one that can be loaded or not.
    pub fn path(&self) -> Option<&TreePath> {
        match &self.outcome {
            Outcome::File(path) | Outcome::OtherMachine(path, _) | Outcome::Damaged(path, _) => {
                Some(path)
            }
            Outcome::Windows | Outcome::Unknown | Outcome::Missing => None,
        }
    }
}

/// How a process comes to a file.
#[derive(Debug, Clone)]
pub struct LoadChain<'a> {
    /// The process.
    pub process: &'a Process,
    /// The images on the way, the program first, or the library that is loaded by its name.
    pub images: Vec<&'a Loaded>,
    /// The last library's own request, if it does not lead to an image of the game.
    pub last: Option<&'a Edge>,
}

impl<'a> LoadChain<'a> {
    /// The way to an image, else to what an image asks for, by its path or its name.
    fn of(process: &'a Process, is_it: &impl Fn(&str) -> bool) -> Option<Self> {
        let is_asked = |edge: &&Edge| {
            is_it(&edge.library) || edge.path().is_some_and(|path| is_it(path.as_str()))
        };
        let image = process.images.iter().position(|image| is_it(image.path.as_str()));
        let asked = || {
            let mut images = process.images.iter().enumerate();
            images.find_map(|(at, image)| Some((at, image.edges.iter().find(is_asked)?)))
        };
        let (at, last) = match image {
            Some(at) => (at, None),
            None => asked().map(|(at, edge)| (at, Some(edge)))?,
        };

        let mut images = Vec::new();
        let mut next = process.images.get(at);
        while let Some(image) = next {
            images.push(image);
            next = image.by.and_then(|at| process.images.get(at));
        }
        images.reverse();
        Some(Self { process, images, last })
    }
}

impl Graph {
    /// The ways that lead to some image or library, one a process: the program first, the image last that
    /// asks for it or is it.
    pub fn ways(&self, is_it: impl Fn(&str) -> bool) -> Vec<LoadChain<'_>> {
        let way = |process| LoadChain::of(process, &is_it);
        self.processes.iter().filter_map(way).collect()
    }
}
