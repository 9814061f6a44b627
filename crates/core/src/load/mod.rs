//! What a game would load, as Windows would: from each program, and from each library that is loaded by
//! name while it runs, every image that follows, and what of it cannot be had.
//!
//! No library says this of files on a disk: loaders do it in a process, and for one machine. It is worked
//! out from facts alone, so that a plan can be tried before it is carried out: [`Scene`] is what there is to
//! load, now or after some steps; [`graph`] follows the imports; [`Broken`] tells what a change would break.

mod broken;
mod graph;
mod scene;
mod walk;
mod windows;

pub(crate) use broken::{Broken, newly_broken, newly_unsure};
pub use graph::{Edge, Graph, How, Loaded, Outcome, Process, Way};
pub(crate) use scene::Scene;
pub(crate) use walk::graph;
