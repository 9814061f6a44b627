//! Under which names a game loads libraries that are beside its executable.

use std::collections::HashSet;

use schemars::JsonSchema;
use serde::Serialize;

use crate::load::{Graph, How, Loaded};
use crate::path::{TreePath, fold, same_name};
use crate::survey::{GameView, Library};
use crate::window::{ImageAt, Window};
use upright_spanner_image::system::{can_be_stood_in, is_always_windows_own};

/// A name that a game loads.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Load {
    pub name: String,
    /// The image that imports it.
    pub by: TreePath,
    /// The number of images between it and the executable.
    pub depth: usize,
}

/// Every library that the executable imports, and what those of the game import in turn.
pub(super) fn loads(graph: &Graph) -> Vec<Load> {
    let Some(process) = graph.processes.first() else { return Vec::new() };
    let depth_of = |image: &Loaded| {
        let by = |image: &&Loaded| process.images.get(image.by?);
        std::iter::successors(Some(image), by).count() - 1
    };
    let (mut loads, mut known) = (Vec::new(), HashSet::new());
    // A library that is loaded at run time may not be loaded at all, so it does not count as a way in.
    for image in process.images.iter().filter(|image| image.how != How::ByName) {
        for edge in image.edges.iter().filter(|edge| !edge.forwarded) {
            if known.insert(fold(&edge.library)) {
                let (name, by) = (edge.library.clone(), image.path.clone());
                loads.push(Load { name, by, depth: depth_of(image) });
            }
        }
    }
    loads
}

/// The library of a name in a folder of the game.
fn beside<'a>(view: &'a GameView, folder: &str, name: &str) -> Option<&'a Library> {
    view.libraries.iter().find(|library| {
        same_name(library.path.folder(), folder) && same_name(library.path.file_name(), name)
    })
}

/// A name under which a loader would be loaded by a game.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct EntryName {
    /// The file name.
    pub name: String,
    /// The image that imports it.
    #[schemars(with = "String")]
    pub by: TreePath,
    /// Whether it is loaded at the first call, instead of at the start.
    pub delayed: bool,
    /// The number of functions that a stand-in must export.
    pub functions: usize,
    /// The family that has the name already.
    pub taken_by: Option<String>,
}

/// The names under which a loader would be loaded, the best first: free ones, then those that the
/// executable itself imports, at its start, and of which it wants the least.
pub(crate) fn entry_names(view: &GameView, graph: &Graph, window: &dyn Window) -> Vec<EntryName> {
    let Some(executable) = view.executable() else { return Vec::new() };
    let folder = executable.path.folder();
    let loads = loads(graph);
    let usable = loads
        .iter()
        .filter(|load| can_be_stood_in(&load.name) && !is_always_windows_own(&load.name));
    let mut entries: Vec<(usize, EntryName)> = usable
        .map(|load| {
            let imports = window.imports(ImageAt::Game(&load.by));
            let mut imports = imports.iter().flat_map(|imports| imports.iter());
            let import = imports.find(|import| same_name(&import.dll, &load.name));
            let entry = EntryName {
                name: fold(&load.name),
                by: load.by.clone(),
                delayed: import.is_some_and(|import| import.delayed),
                functions: import.map_or(0, |import| import.symbols.len()),
                taken_by: beside(view, folder, &load.name).map(|library| library.family.clone()),
            };
            (load.depth, entry)
        })
        .collect();
    entries.sort_by_key(|(depth, entry)| {
        (entry.taken_by.is_some(), *depth, entry.delayed, entry.functions, entry.name.clone())
    });
    entries.into_iter().map(|(_, entry)| entry).collect()
}
