//! Another release of a game, as it is to be put onto the game's folder: what it holds, whether all of it is there,
//! and whether it is of this game at all.

mod complete;
mod level;
mod outline;
mod release;
mod tree;

pub(crate) use complete::{Incomplete, incomplete};
pub(crate) use level::{Level, level};
pub(crate) use outline::outline;
pub use outline::{Kind, Outline};
pub(crate) use release::{Release, ReleaseFile};
pub(crate) use tree::GameTree;
