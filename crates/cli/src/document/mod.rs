//! The documents that `--json` prints, one file for each kind of result: other programs rely on them.
//!
//! They are their own types, so that no one alters a document by renaming a field of the program. [`schema`]
//! describes each as a JSON Schema; `docs/schema/` holds these. Fields join, none goes.

pub mod adopt;
pub mod change;
pub mod check;
pub mod compare;
pub mod doctor;
pub mod drift;
pub mod error;
pub mod family;
pub mod feed;
pub mod game;
pub mod history;
pub mod inspect;
pub mod loads;
pub mod noted;
pub mod plan;
pub mod prove;
pub mod rack;
pub mod schema;
pub mod start;
pub mod survey;
pub mod tune;
pub mod wind;

use std::borrow::Cow;

use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::{Serialize, Serializer};

/// The number of the documents' format: 1.
#[derive(Debug, Clone, Copy)]
pub struct SchemaNumber;

/// The format of today.
const NUMBER: u32 = 1;

impl Serialize for SchemaNumber {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_u32(NUMBER)
    }
}

impl JsonSchema for SchemaNumber {
    fn inline_schema() -> bool {
        true
    }

    fn schema_name() -> Cow<'static, str> {
        "SchemaNumber".into()
    }

    fn json_schema(_: &mut SchemaGenerator) -> Schema {
        json_schema!({ "type": "integer", "const": NUMBER })
    }
}

/// The text of each value.
fn texts<T: ToString>(values: impl IntoIterator<Item = T>) -> Vec<String> {
    values.into_iter().map(|value| value.to_string()).collect()
}

/// The text of a value that may be missing.
fn text<T: ToString>(value: Option<&T>) -> Option<String> {
    value.map(ToString::to_string)
}
