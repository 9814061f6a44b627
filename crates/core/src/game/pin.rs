//! Pins: the families that the user keeps at a version.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use upright_spanner_image::{Requirement, Version};

/// A family that is kept at a version in a game.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema, Deserialize)]
pub struct Pin {
    /// The id of the game.
    pub game: String,
    /// The family.
    pub family: String,
    /// The versions that it is kept at; whatever it has, if it is left out.
    #[schemars(with = "Option<String>")]
    pub version: Option<Requirement>,
    /// The reason.
    pub why: String,
}

impl Pin {
    /// Whether the family may be at a version.
    pub fn admits(&self, version: Option<&Version>) -> bool {
        let wanted = self.version.as_ref();
        wanted.is_none_or(|wanted| version.is_some_and(|version| wanted.includes(version)))
    }

    /// The version in words.
    pub fn at(&self) -> String {
        self.version.as_ref().map_or_else(|| "what it has".to_owned(), ToString::to_string)
    }
}
