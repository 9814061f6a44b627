//! Errors: what ended a run, and what could not be read.

use std::path::Path;

use schemars::JsonSchema;
use serde::Serialize;
use upright_spanner_core::Error;
use upright_spanner_core::survey::LookError;

use super::SchemaNumber;
use crate::remedy;
use crate::text::slashes;

/// An error that ended a run.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "Error")]
pub struct ErrorDocument {
    schema: SchemaNumber,
    error: ErrorBody,
}

/// The error.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ErrorBody {
    /// A stable name for scripts, such as `unknown-game` or `refused`.
    code: &'static str,
    /// The operation, the path, and the reason.
    message: String,
    /// What to do.
    advice: Option<String>,
}

/// A file or folder that could not be read.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Unread {
    path: String,
    /// A stable name for scripts.
    code: &'static str,
    message: String,
}

/// A package that could not be put on the rack.
#[derive(Debug, Serialize, JsonSchema)]
pub struct FailedPackage {
    path: String,
    #[serde(flatten)]
    error: ErrorBody,
}

/// A game of several with which something could not be done.
#[derive(Debug, Serialize, JsonSchema)]
pub struct FailedGame {
    game: String,
    error: ErrorBody,
}

impl ErrorDocument {
    /// An error that ended a run.
    pub fn new(error: &anyhow::Error) -> Self {
        Self { schema: SchemaNumber, error: error.into() }
    }

    /// A command line that is not understood.
    pub fn wrong_usage(message: String) -> Self {
        Self { schema: SchemaNumber, error: ErrorBody { code: "usage", message, advice: None } }
    }
}

impl From<&anyhow::Error> for ErrorBody {
    fn from(error: &anyhow::Error) -> Self {
        let known = error.downcast_ref::<Error>();
        Self {
            code: known.map_or("failed", Error::code),
            message: error.to_string(),
            advice: known.and_then(remedy::of),
        }
    }
}

impl FailedPackage {
    pub fn new(path: &Path, error: &anyhow::Error) -> Self {
        Self { path: slashes(path), error: error.into() }
    }
}

impl FailedGame {
    pub fn new(game: &str, error: &anyhow::Error) -> Self {
        Self { game: game.to_owned(), error: error.into() }
    }
}

impl Unread {
    pub fn new(path: &Path, code: &'static str, message: String) -> Self {
        Self { path: slashes(path), code, message }
    }
}

impl From<&LookError> for Unread {
    fn from(error: &LookError) -> Self {
        Self { path: slashes(&error.path), code: error.code, message: error.message.clone() }
    }
}
