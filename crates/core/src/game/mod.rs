//! Games: their folders, and which of their programs is the one that counts.

pub mod command_line;
mod discover;
mod edit;
mod environment;
mod executable;
#[expect(clippy::module_inception, reason = "a game is what it is about")]
mod game;
mod known;
mod pin;
mod settings;
pub(crate) mod version;

pub(crate) use discover::{Reach, game_folders};
pub use edit::GameEdit;
pub use environment::Environment;
pub use executable::Executable;
pub(crate) use executable::rank;
pub use game::Game;
pub(crate) use known::KnownGames;
pub use pin::Pin;
pub(crate) use settings::is_bay_name;
pub use settings::{GameSettings, VersionFile};
pub use version::{GameVersion, Origin};
pub(crate) use version::{telling, version_in};
