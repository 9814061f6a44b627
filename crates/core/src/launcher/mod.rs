//! Launchers: programs that update games and keep records of them. None is known by name: the user describes where
//! its records are and how to read them.

mod description;
mod record;

pub use description::{HoldKey, Launcher, Launchers, parse};
pub(crate) use record::libraries;
pub use record::{Record, Stated, records};
