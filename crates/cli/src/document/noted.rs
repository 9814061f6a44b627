//! A setting that a command recorded in the home folder, if that is all it does.

use schemars::JsonSchema;
use serde::Serialize;
use upright_spanner_core::game::Pin;

use super::SchemaNumber;

/// The recorded setting: one member beside `schema`.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Noted {
    schema: SchemaNumber,
    #[serde(flatten)]
    what: What,
}

/// The recorded setting.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
#[schemars(rename = "NotedWhat")]
pub enum What {
    /// A game was named or altered: its id.
    Game(String),
    /// A game, by its id, or a library root was forgotten.
    Forgotten(String),
    /// A build was dropped from the rack: each of its variants.
    Dropped(Vec<String>),
    /// A family is kept as it is.
    Pin(Pin),
    /// A family is free again.
    Unpinned(Pin),
    /// A preset was saved.
    Preset {
        /// The family that it is of.
        family: String,
        /// Its name.
        preset: String,
    },
    /// Nothing to undo.
    Change(()),
}

impl From<What> for Noted {
    fn from(what: What) -> Self {
        Self { schema: SchemaNumber, what }
    }
}
