//! The libraries a game would load, as Windows would: from each program, and from each library that is loaded at run
//! time, every image that follows, and every request that fails.
//!
//! No library does this for files on a disk: loaders do it in a process, and for one machine. The result follows from
//! facts alone, so that a plan can be tested before it is carried out: [`Scene`] has the images, now or after some
//! steps; [`graph`] follows the imports; [`Broken`] is what a change would break.

mod broken;
mod graph;
mod scene;
mod walk;
mod windows;

pub(crate) use broken::{Broken, newly_broken, newly_unsure};
pub use graph::{Edge, Graph, How, LoadChain, Loaded, Outcome, Process};
pub(crate) use scene::Scene;
pub(crate) use walk::graph;
