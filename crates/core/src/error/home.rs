//! The errors of the home folder.

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
        /// The reason.
        what: String,
    },
    /// Nothing may be removed while something is not known.
    #[error("nothing was removed: {why}")]
    NotSure {
        /// The unknown fact.
        why: String,
        /// What to do about it.
        remedy: Remedy,
    },
    /// The database was written by a newer version of the program.
    #[error("{} was written by a newer version of this program", slashes(path))]
    Newer {
        /// The database.
        path: PathBuf,
    },
}

impl HomeError {
    pub(super) fn code(&self) -> &'static str {
        match self {
            Self::Index => "database",
            Self::DamagedFile { .. } => "damaged-file",
            Self::NotSure { .. } => "not-sure",
            Self::Newer { .. } => "newer-home",
        }
    }

    pub(super) fn remedy(&self) -> Remedy {
        match self {
            Self::Index => "Free some memory, then try again.".into(),
            Self::DamagedFile { .. } => ("List the possible repairs.", Action::Mend).into(),
            Self::NotSure { remedy, .. } => remedy.clone(),
            Self::Newer { .. } => {
                ("Update this program, or use another home folder.", Action::ChangeHome).into()
            }
        }
    }
}
