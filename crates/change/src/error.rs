//! The errors of altering files.
//!
//! Rules: a variant names the operation and the path. The advice depends on the caller's interface, which derives it
//! from the variant.

use std::io;
use std::path::{Path, PathBuf};

use crate::path::{BadPath, Place, slashes};

/// An operation on files that did not come to its end.
#[derive(Debug, thiserror::Error)]
pub enum Error {
    /// The operating system refused something.
    #[error("could not {doing} {}: {}", slashes(path), in_words(source))]
    Io {
        /// The operation, as in "could not ... PATH".
        doing: &'static str,
        /// To what.
        path: PathBuf,
        /// The operating system's reason.
        source: io::Error,
    },
    /// Something of another kind is at the path that should be read or replaced.
    #[error("{} is {what}, which is never followed, opened or replaced", slashes(path))]
    NotPlain {
        /// Where.
        path: PathBuf,
        /// The kind of thing at the path, with its article.
        what: &'static str,
    },
    /// A file is not in the state that the plan expects.
    #[error("{} is not as it was when the change was planned", slashes(path))]
    NotAsExpected {
        /// The file.
        path: PathBuf,
    },
    /// The folder is not the one that the plan was made for.
    #[error("{} was replaced by another folder after the change was planned", slashes(path))]
    AnotherFolder {
        /// The folder.
        path: PathBuf,
    },
    /// A step would alter something outside the scope of the change.
    #[error("{place} is outside what this change may alter")]
    NotGranted {
        /// The target.
        place: Place,
    },
    /// This system has no registry for a value.
    #[error("this system has no registry for {value}")]
    NoRegistry {
        /// The value.
        value: String,
    },
    /// A settings file or a registry text cannot be parsed, or cannot contain a value.
    #[error("{}: {what}", slashes(path))]
    Settings {
        /// The file.
        path: PathBuf,
        /// The reason.
        what: String,
    },
    /// A path that some system cannot hold.
    #[error(transparent)]
    Path(#[from] BadPath),
    /// Stored content is missing or is not what its name says.
    #[error("the stored copy {} is damaged or missing", slashes(path))]
    DamagedContent {
        /// The file in the store.
        path: PathBuf,
    },
    /// Another process is at work with the same folder.
    #[error("{} is working on {}", holder.as_deref().unwrap_or("another process"), slashes(path))]
    Busy {
        /// The folder.
        path: PathBuf,
        /// Who, if the system says it.
        holder: Option<String>,
    },
    /// A journal file could not be understood.
    #[error("{}: {what}", slashes(path))]
    Journal {
        /// The file.
        path: PathBuf,
        /// The reason.
        what: String,
    },
    /// The user wanted it to stop.
    #[error("stopped as you asked")]
    Stopped,
}

/// The result of an operation of this crate.
pub type Result<T, E = Error> = std::result::Result<T, E>;

impl Error {
    /// Wraps an operating system's error; made for `map_err`.
    pub fn io(doing: &'static str, path: &Path) -> impl FnOnce(io::Error) -> Self {
        move |source| Self::Io { doing, path: path.to_owned(), source }
    }
}

/// Whether the system refused something since a process has the file open.
pub fn is_in_use(error: &io::Error) -> bool {
    const SHARING_VIOLATION: i32 = 32;
    const LOCK_VIOLATION: i32 = 33;
    cfg!(windows) && matches!(error.raw_os_error(), Some(SHARING_VIOLATION | LOCK_VIOLATION))
}

/// The reason without the operating system's error number.
pub fn in_words(error: &io::Error) -> String {
    let text = error.to_string();
    // Windows ends it as a sentence, and it is part of one here.
    text.split(" (os error").next().unwrap_or_default().trim_end_matches('.').to_owned()
}
