//! What can go wrong with the home folder.

use std::path::PathBuf;

use crate::path::slashes;
use crate::remedy::{Action, Remedy};

/// Something that the home keeps cannot be read or written.
#[derive(Debug, thiserror::Error)]
pub enum HomeError {
    /// Not even an index in memory can be had.
    #[error("could not open an index, not even in memory")]
    Index,
    /// A file that is precious is damaged.
    #[error("{}: {what}", slashes(path))]
    DamagedFile {
        /// The file.
        path: PathBuf,
        /// What is wrong with it.
        what: String,
    },
    /// Nothing may be removed while something is not known.
    #[error("nothing was removed: {why}")]
    NotSure {
        /// What is not known.
        why: String,
        /// What to do about it.
        remedy: Remedy,
    },
    /// The database of an earlier version failed.
    #[error("could not {doing} in the database: {source}")]
    Database {
        /// What was being done.
        doing: &'static str,
        /// The database's reason.
        source: rusqlite::Error,
    },
    /// The database was written by a newer version of the program.
    #[error("{} was written by a newer version of this program", slashes(path))]
    Newer {
        /// The database.
        path: PathBuf,
    },
    /// The database was written by a version from before the first release.
    #[error("{} was written by a version from before the first release", slashes(path))]
    Older {
        /// The database.
        path: PathBuf,
    },
}

impl HomeError {
    /// Wraps the database's error; made for `map_err`.
    pub(crate) fn database(doing: &'static str) -> impl FnOnce(rusqlite::Error) -> Self {
        move |source| Self::Database { doing, source }
    }

    pub(super) fn code(&self) -> &'static str {
        match self {
            Self::Index | Self::Database { .. } => "database",
            Self::DamagedFile { .. } => "damaged-file",
            Self::NotSure { .. } => "not-sure",
            Self::Newer { .. } => "newer-home",
            Self::Older { .. } => "older-home",
        }
    }

    pub(super) fn remedy(&self) -> Remedy {
        match self {
            Self::Index => "Free some memory, then try again.".into(),
            Self::DamagedFile { .. } => ("See what can be done.", Action::Mend).into(),
            Self::NotSure { remedy, .. } => remedy.clone(),
            Self::Database { .. } => {
                "Check that the home folder is writable and its disk not full; then try again.".into()
            }
            Self::Newer { .. } => {
                ("Update this program, or use another home folder.", Action::ChangeHome).into()
            }
            Self::Older { .. } => (
                "Go back with that version first, if it fitted anything; then use another home folder.",
                Action::ChangeHome,
            )
                .into(),
        }
    }
}
