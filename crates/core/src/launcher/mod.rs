//! Launchers: what keeps games up to date, and writes down which it has, and where. None is known by name: the user
//! describes if its records lie and what is in them.

mod description;
mod record;

pub use description::{HoldKey, Launcher, Launchers, parse};
pub(crate) use record::libraries;
pub use record::{Record, Stated, records};
