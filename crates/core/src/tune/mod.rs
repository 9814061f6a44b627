//! Settings of a game: which exist, their present values, and the build's or the game's own values. This module
//! reads, and decides nothing.
//!
//! - `list`: the settings of a game's components, and their sources;
//! - `place`: their locations, with placeholders resolved;
//! - `find`: the setting that people name;
//! - `compat`: the operating system's own compatibility mode.

mod compat;
mod find;
mod list;
mod place;
mod tunable;

pub use compat::{COMPAT, Mode};
pub(crate) use compat::{compat_value, with_mode};
pub(crate) use find::find;
pub(crate) use list::{all_keys, started, tuning};
pub(crate) use place::{registry, resolve, start_file, with_placeholder};
pub use tunable::{PresetState, ProgramMode, SettingsFile, Tunable, Tuning};
