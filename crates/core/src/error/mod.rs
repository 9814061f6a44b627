//! Everything that can go wrong above a single image: one file a subsystem.
//!
//! Rules: a variant has the operation and the path; [`Error::remedy`] has the next step, in its own sentences, so
//! that every interface gives the same advice.

mod feed;
mod files;
mod game;
mod history;
mod home;
mod rack;

use std::io;
use std::path::{Path, PathBuf};

use crate::finding::Finding;
use crate::path::slashes;
use crate::remedy::Remedy;
pub use feed::FeedError;
use files::{code_of_files, on_files};
pub use game::GameError;
pub use history::ChangeError;
pub use home::HomeError;
pub use rack::RackError;
pub use upright_spanner_change::in_words;
pub(crate) use upright_spanner_change::{Error as Files, is_in_use};
use upright_spanner_image::ImageError;

/// A text file of the user's that cannot be used, such as a catalog.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{}:{line}: {what}", slashes(path))]
pub struct CatalogError {
    /// The file.
    pub path: PathBuf,
    /// The line that is wrong, from 1.
    pub line: usize,
    /// The reason, and the expected form.
    pub what: String,
}

impl CatalogError {
    /// The parser's error, with its line in the text.
    pub(crate) fn of_toml(path: &Path, text: &str, error: &toml::de::Error) -> Self {
        let at = error.span().map_or(0, |span| span.start);
        Self { path: path.to_owned(), line: line_at(text, at), what: error.message().to_owned() }
    }
}

/// The line, from 1, of a byte in a text.
pub(crate) fn line_at(text: &str, at: usize) -> usize {
    text.get(..at).unwrap_or(text).matches('\n').count() + 1
}

/// An operation that failed.
#[derive(Debug, thiserror::Error)]
pub enum Error {
    /// An error about a game.
    #[error(transparent)]
    Game(#[from] GameError),
    /// The rack.
    #[error(transparent)]
    Rack(#[from] RackError),
    /// A feed.
    #[error(transparent)]
    Feed(#[from] FeedError),
    /// The home folder.
    #[error(transparent)]
    Home(#[from] HomeError),
    /// A change.
    #[error(transparent)]
    Change(#[from] ChangeError),
    /// A catalog or settings file cannot be used.
    #[error(transparent)]
    Catalog(#[from] CatalogError),
    /// An operation on files failed, on ours or in a game.
    #[error(transparent)]
    Files(#[from] Files),
    /// A file is not an image, or a damaged one.
    #[error("{}: {source}", slashes(path))]
    Image {
        /// The file.
        path: PathBuf,
        /// The reason.
        source: ImageError,
    },
    /// A file of trusted certificates cannot be used.
    #[error("{}: {why}", slashes(path))]
    Trust {
        /// The file.
        path: PathBuf,
        /// The reason.
        why: String,
    },
    /// A request that cannot be carried out.
    #[error("{what}")]
    Invalid {
        /// The reason.
        what: String,
        /// The right form.
        remedy: Remedy,
    },
    /// Checks found a reason not to continue.
    #[error("refused: {}", sentences(.0))]
    Refused(
        /// The findings that stop it.
        Vec<Finding>,
    ),
}

/// The result of an operation of this crate.
pub type Result<T, E = Error> = std::result::Result<T, E>;

impl From<upright_spanner_change::BadPath> for Error {
    fn from(error: upright_spanner_change::BadPath) -> Self {
        Self::Files(error.into())
    }
}

impl Error {
    /// Wraps an operating system's error; made for `map_err`.
    pub(crate) fn io(doing: &'static str, path: &Path) -> impl FnOnce(io::Error) -> Self {
        move |source| Self::Files(Files::io(doing, path)(source))
    }

    /// Wraps an image's error; made for `map_err`.
    pub fn image(path: &Path) -> impl FnOnce(ImageError) -> Self {
        move |source| Self::Image { path: path.to_owned(), source }
    }

    /// The file that could not be had since a process has it open.
    pub(crate) fn in_use(&self) -> Option<&Path> {
        match self {
            Self::Files(Files::Io { path, source, .. }) if is_in_use(source) => Some(path),
            _ => None,
        }
    }

    /// A stable name for scripts.
    pub fn code(&self) -> &'static str {
        match self {
            Self::Game(error) => error.code(),
            Self::Rack(error) => error.code(),
            Self::Feed(error) => error.code(),
            Self::Home(error) => error.code(),
            Self::Change(error) => error.code(),
            Self::Catalog(_) => "catalog",
            Self::Files(error) => code_of_files(error),
            Self::Image { source, .. } => source.code(),
            Self::Trust { .. } => "trust",
            Self::Invalid { .. } => "setting",
            Self::Refused(_) => "refused",
        }
    }

    /// The next step for the user.
    pub fn remedy(&self) -> Option<Remedy> {
        let remedy = match self {
            Self::Game(error) => error.remedy(),
            Self::Rack(error) => error.remedy(),
            Self::Feed(error) => error.remedy(),
            Self::Home(error) => error.remedy(),
            Self::Change(error) => return error.remedy(),
            Self::Catalog(_) => "Correct that line; docs/formats.md describes the format.".into(),
            Self::Files(error) => return on_files(error),
            Self::Image { source, .. } => source.advice().into(),
            Self::Trust { .. } => "Give a PEM file with one or more root certificates.".into(),
            Self::Invalid { remedy, .. } => remedy.clone(),
            Self::Refused(findings) => findings.first()?.remedy.clone(),
        };
        Some(remedy)
    }
}

fn sentences(findings: &[Finding]) -> String {
    let sentences: Vec<&str> = findings.iter().map(|finding| finding.sentence.as_str()).collect();
    sentences.join(" ")
}
