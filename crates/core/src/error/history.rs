//! The errors of changes.

use std::path::PathBuf;

use super::files::{list, on_files};
use crate::path::slashes;
use crate::remedy::{Action, Remedy};
use upright_spanner_change::Error as Files;

/// A change that could not be made, undone, or named.
#[derive(Debug, thiserror::Error)]
pub enum ChangeError {
    /// No change has that number.
    #[error("unknown change {number}")]
    Unknown {
        /// The requested number.
        number: i64,
    },
    /// Later changes depend on the one to undo.
    #[error(
        "change {number} cannot be undone alone, since {} altered its files after it",
        list(later)
    )]
    StoodOn {
        /// The change.
        number: i64,
        /// The id of its game.
        game: String,
        /// The later ones, each with its summary.
        later: Vec<String>,
    },
    /// No change of the game touched that family.
    #[error("no file of {family} was ever changed in {game}")]
    UnknownFamily {
        /// The requested name.
        family: String,
        /// The game's title.
        game: String,
        /// The families that changes touched.
        known: Vec<String>,
    },
    /// A release of a game holds what cannot be put onto the game's folder.
    #[error("{} cannot be put onto the game's folder: {why}", slashes(path))]
    NotWindable {
        /// The file.
        path: PathBuf,
        /// Why not.
        why: String,
    },
    /// An earlier change of the game was interrupted and could not be put back yet.
    #[error("change {number} of {} was interrupted and waits to be put back", slashes(root))]
    Waiting {
        /// The number of the earlier change.
        number: i64,
        /// The game's folder.
        root: PathBuf,
    },
    /// A change failed before anything in the game was touched.
    #[error("{cause}; nothing was changed")]
    Untouched {
        /// What failed.
        cause: Files,
    },
    /// A change failed on its way, and the files are as before.
    #[error("{cause}; {}", taken_back(cause))]
    PutBack {
        /// What failed.
        cause: Files,
    },
    /// A change failed on its way, and not everything could be put back.
    #[error("{cause}; and not every file could be put back: {}", left.join("; "))]
    NotPutBack {
        /// The number of the change.
        number: i64,
        /// What failed first.
        cause: Files,
        /// How those files are.
        left: Vec<String>,
    },
    /// A change was made and verified, but that could not be noted.
    #[error("change {number} is done, but that could not be noted: {cause}")]
    NotNoted {
        /// The number of the change.
        number: i64,
        /// Why not.
        cause: Files,
    },
}

impl ChangeError {
    pub(super) fn code(&self) -> &'static str {
        match self {
            Self::Unknown { .. } => "unknown-change",
            Self::StoodOn { .. } => "stood-on",
            Self::UnknownFamily { .. } => "unknown-family",
            Self::NotWindable { .. } => "not-windable",
            Self::Waiting { .. } => "waiting",
            Self::Untouched { .. } => "untouched",
            Self::PutBack { .. } => "put-back",
            Self::NotPutBack { .. } => "not-put-back",
            Self::NotNoted { .. } => "not-noted",
        }
    }

    pub(super) fn remedy(&self) -> Option<Remedy> {
        let remedy = match self {
            Self::Unknown { .. } => {
                let action = Action::ShowHistory { game: None };
                ("The history lists them with their numbers.", action).into()
            }
            Self::StoodOn { number, game, .. } => {
                let action = Action::RollBackTo { game: game.clone().into(), change: number - 1 };
                ("Undo those first, the last one first, or go back to before this one.", action)
                    .into()
            }
            Self::UnknownFamily { known, .. } if known.is_empty() => {
                "Nothing in this game was changed, so there is nothing to go back from.".into()
            }
            Self::UnknownFamily { known, .. } => format!("Changed so far: {}.", list(known)).into(),
            Self::NotWindable { .. } => {
                "Rename that file or take it out of the folder, then try again.".into()
            }
            Self::Untouched { cause } | Self::PutBack { cause } => return on_files(cause),
            Self::Waiting { number, .. } | Self::NotPutBack { number, .. } => (
                "Remove the cause, then run any command that alters games: it puts the files back \
                 first. Or accept what is there.",
                Action::Settle { change: *number },
            )
                .into(),
            Self::NotNoted { .. } => {
                "Make room for the home folder and allow writing to it. The next \
                                      command that alters games notes it as done."
                    .into()
            }
        };
        Some(remedy)
    }
}

/// The sentence about the files after a change was reverted: a file that something else altered stays as it is.
fn taken_back(cause: &Files) -> &'static str {
    match cause {
        Files::NotAsExpected { .. } => "the steps done so far were reverted",
        _ => "every file is back as it was",
    }
}
