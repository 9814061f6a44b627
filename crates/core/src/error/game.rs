//! The errors of games and their settings.

use std::path::PathBuf;

use super::files::list;
use crate::path::slashes;
use crate::remedy::{Action, Remedy};

/// A game, a library root or a component that cannot be had as it was named.
#[derive(Debug, thiserror::Error)]
pub enum GameError {
    /// A text that cannot be an id.
    #[error("`{id}` is not a valid id; use lower-case letters, digits and `-`")]
    Id {
        /// The text.
        id: String,
        /// The nearest valid id.
        like: String,
    },
    /// Something of that name is there already.
    #[error("there is already {what} `{name}`")]
    Taken {
        /// Its kind, with its article.
        what: &'static str,
        /// Its name.
        name: String,
    },
    /// The folder of a game is missing.
    #[error("{title} was in {}, which is missing", slashes(root))]
    Gone {
        /// The game's title.
        title: String,
        /// Its id.
        id: String,
        /// Its former location.
        root: PathBuf,
    },
    /// Neither a known game nor a folder.
    #[error("unknown game `{name}`: it is neither a folder nor the id of a known game")]
    Unknown {
        /// The requested name.
        name: String,
        /// The known ids.
        known: Vec<String>,
    },
    /// No launcher's record of a game is known.
    #[error("no launcher's record of {title} was found")]
    NoRecord {
        /// The game's title.
        title: String,
        /// Its id.
        game: String,
    },
    /// A folder that is not a library root.
    #[error("{} is not one of the library roots", slashes(path))]
    UnknownRoot {
        /// The folder.
        path: PathBuf,
        /// The library roots.
        known: Vec<String>,
    },
    /// A folder that is not one game.
    #[error("{} holds {} games ({}), not one", slashes(path), titles.len(), list(titles))]
    Several {
        /// The folder.
        path: PathBuf,
        /// The titles in it.
        titles: Vec<String>,
    },
    /// A folder in which there is nothing to work on.
    #[error("{}: this folder contains no program and no library", slashes(path))]
    NotAGame {
        /// The folder.
        path: PathBuf,
    },
    /// Files of a game that should be examined are in use.
    #[error("{} is in use, so it cannot be read", slashes(path))]
    InUse {
        /// The first of them.
        path: PathBuf,
    },
    /// A Windows program should be started on another system.
    #[error("{program} is a program of Windows, and nothing says what runs such programs here")]
    NeedsCommand {
        /// The program.
        program: String,
        /// The game's id.
        game: String,
    },
    /// A program could not be started since it asks for an administrator's rights.
    #[error(
        "{} asks for an administrator's rights, and Windows refused to start it without",
        slashes(path)
    )]
    NeedsAdministrator {
        /// The program.
        path: PathBuf,
    },
    /// The game has no component of that family.
    #[error("{game} has no {family}")]
    NoSuchComponent {
        /// The requested name.
        family: String,
        /// The game's title.
        game: String,
        /// The families that it has.
        known: Vec<String>,
    },
}

impl GameError {
    pub(super) fn code(&self) -> &'static str {
        match self {
            Self::Id { .. } => "not-an-id",
            Self::Taken { .. } => "taken",
            Self::Gone { .. } => "game-gone",
            Self::Unknown { .. } => "unknown-game",
            Self::NoRecord { .. } => "no-record",
            Self::UnknownRoot { .. } => "unknown-root",
            Self::Several { .. } => "several-games",
            Self::NotAGame { .. } => "no-game",
            Self::InUse { .. } => "game-running",
            Self::NeedsCommand { .. } => "needs-command",
            Self::NeedsAdministrator { .. } => "needs-administrator",
            Self::NoSuchComponent { .. } => "no-such-component",
        }
    }

    pub(super) fn remedy(&self) -> Remedy {
        match self {
            Self::Id { like, .. } => format!("Write it as `{like}`.").into(),
            Self::Taken { .. } => "Choose another name.".into(),
            Self::Gone { id, .. } => {
                let action = Action::NameRoot { game: id.clone().into() };
                ("Plug its drive in. If it is somewhere else now, name its new folder.", action)
                    .into()
            }
            Self::Unknown { known, .. } if known.is_empty() => (
                "Give the game's folder, or survey the folder that holds your games.",
                Action::Survey,
            )
                .into(),
            Self::Unknown { known, .. } => {
                format!("Give the game's folder, or one of: {}.", list(known)).into()
            }
            Self::NoRecord { game, .. } => {
                let action = Action::HoldFile { game: game.clone().into() };
                ("Describe the launcher (docs/formats.md), or name the file in which it writes down the game", action)
                    .into()
            }
            Self::UnknownRoot { known, .. } if known.is_empty() => {
                "No library roots have been added.".into()
            }
            Self::UnknownRoot { known, .. } => format!("They are: {}.", list(known)).into(),
            Self::Several { .. } => "Give the folder of one of them.".into(),
            Self::NotAGame { .. } => "Give the folder that the game is in.".into(),
            Self::InUse { .. } => {
                "Close the game, and its launcher if necessary; then try again.".into()
            }
            Self::NeedsCommand { game, .. } => {
                let action = Action::NameRunWith { game: game.clone().into() };
                ("Name the command that runs Windows programs here.", action).into()
            }
            Self::NeedsAdministrator { .. } => {
                "Do it again in a terminal that was opened as an administrator.".into()
            }
            Self::NoSuchComponent { known, .. } if known.is_empty() => {
                "No component was found in this game.".into()
            }
            Self::NoSuchComponent { known, .. } => format!("It has: {}.", list(known)).into(),
        }
    }
}
