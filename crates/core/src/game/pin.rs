//! Pins: what the user keeps as it is.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use upright_spanner_image::Version;

/// A family that is kept at a version in a game.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema, Deserialize)]
pub struct Pin {
    /// The id of the game.
    pub game: String,
    /// The family.
    pub family: String,
    /// The version that it is kept at; whatever it has, where it is left out.
    #[schemars(with = "Option<String>")]
    pub version: Option<Version>,
    /// The reason.
    pub why: String,
}

impl Pin {
    /// The version in words.
    pub fn at(&self) -> String {
        self.version.as_ref().map_or_else(|| "what it has".to_owned(), ToString::to_string)
    }
}
