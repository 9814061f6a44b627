//! Another release of a game, for a wind: its files, whether it is complete, and whether it belongs to this game.

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
