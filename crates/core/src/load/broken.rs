//! The loading that a change would break: the law above the checks considers nothing else.

use std::collections::HashSet;

use super::graph::{Edge, Graph, How, Loaded, Outcome, Process};
use super::scene::Scene;
use crate::path::{TreePath, fold, same_name};
use upright_spanner_image::Machine;

/// Something that an image of a game asks for and cannot have.
#[derive(Debug, Clone)]
pub(crate) struct Broken {
    /// The program in whose process it is.
    pub program: TreePath,
    /// Whether that is the executable that counts.
    pub counts: bool,
    /// The image that asks.
    pub image: TreePath,
    /// The machine that the process is for.
    pub machine: Machine,
    /// When the image is loaded.
    pub how: How,
    /// The request.
    pub edge: Edge,
}

impl Broken {
    fn new(process: &Process, at: usize, image: &Loaded, edge: Edge) -> Self {
        let (program, counts, machine) = (process.program.clone(), at == 0, process.machine);
        Self { program, counts, machine, image: image.path.clone(), how: image.how, edge }
    }

    /// Whether the game does not start for it.
    pub fn is_vital(&self) -> bool {
        self.counts && self.how == How::AtStart && !self.edge.delayed
    }

    /// Everything that is broken in a graph.
    pub fn all(graph: &Graph) -> Vec<Self> {
        let processes = graph.processes.iter().enumerate();
        let images = processes
            .flat_map(|(at, process)| process.images.iter().map(move |image| (at, process, image)));
        images
            .flat_map(|(at, process, image)| {
                let broken = image.edges.iter().filter(|edge| edge.is_broken());
                broken.map(move |edge| Self::new(process, at, image, edge.clone()))
            })
            .collect()
    }
}

/// The loading that is broken after a change and was not before. An image that lacked symbols before is listed with
/// the additional ones.
pub(crate) fn newly_broken(before: &Graph, after: &Graph, scene: &Scene<'_>) -> Vec<Broken> {
    let was: Vec<Broken> = Broken::all(before);
    let mut found: Vec<Broken> = Broken::all(after)
        .into_iter()
        .filter_map(|broken| {
            let same = was.iter().find(|other| is_same(other, &broken));
            let Some(same) = same else { return Some(broken) };
            more_than(same, broken)
        })
        .collect();
    found.extend(unloadable(before, after, scene));
    found
}

/// Requests to Windows that are new after a change and whose availability is unknown: the image, and the request.
pub(crate) fn newly_unsure(before: &Graph, after: &Graph) -> Vec<(TreePath, Edge)> {
    let asks = |graph: &Graph| -> Vec<(TreePath, Edge)> {
        let images = graph.processes.iter().flat_map(|process| &process.images);
        let asks =
            images.flat_map(|image| image.edges.iter().map(|edge| (image.path.clone(), edge)));
        let unsure = asks.filter(|(_, edge)| !edge.unsure.is_empty());
        unsure.map(|(path, edge)| (path, edge.clone())).collect()
    };
    let was = asks(before);
    let mut found = asks(after);
    for (path, edge) in &mut found {
        let mut same = was.iter().filter(|(other, known)| {
            other.same_as(path) && same_name(&known.library, &edge.library)
        });
        if let Some((_, known)) = same.next() {
            edge.unsure.retain(|function| !known.unsure.contains(function));
        }
    }
    found.retain(|(_, edge)| !edge.unsure.is_empty());
    found
}

fn is_same(a: &Broken, b: &Broken) -> bool {
    a.image.same_as(&b.image)
        && same_name(&a.edge.library, &b.edge.library)
        && (!a.edge.delayed || b.edge.delayed)
}

/// The additional part of broken loading.
fn more_than(was: &Broken, mut is: Broken) -> Option<Broken> {
    let could_load = matches!(was.edge.outcome, Outcome::File(_) | Outcome::Windows);
    if !could_load {
        return None;
    }
    if !matches!(is.edge.outcome, Outcome::File(_) | Outcome::Windows) {
        return Some(is);
    }
    let lacked: HashSet<&String> = was.edge.lacks.iter().collect();
    is.edge.lacks.retain(|function| !lacked.contains(function));
    (!is.edge.lacks.is_empty()).then_some(is)
}

/// Libraries that were loaded at run time and are still present, but that their program cannot load any more.
fn unloadable(before: &Graph, after: &Graph, scene: &Scene<'_>) -> Vec<Broken> {
    let met: HashSet<String> = after
        .processes
        .iter()
        .flat_map(|process| &process.images)
        .map(|image| fold(image.path.as_str()))
        .collect();
    let processes = before.processes.iter().enumerate();
    let roots = processes.flat_map(|(at, process)| {
        let roots = process.images.iter().filter(|image| image.by.is_none());
        roots.map(move |image| (at, process, image))
    });
    let gone = roots.filter(|(_, _, image)| !met.contains(&fold(image.path.as_str())));
    gone.filter_map(|(at, process, image)| {
        let outcome = scene.outcome(&image.path, process.machine)?;
        let library = image.path.file_name().to_owned();
        let (lacks, unsure) = (Vec::new(), Vec::new());
        let edge = Edge { library, delayed: false, forwarded: false, outcome, lacks, unsure };
        Some(Broken::new(process, at, image, edge)).filter(|broken| broken.edge.is_broken())
    })
    .collect()
}
