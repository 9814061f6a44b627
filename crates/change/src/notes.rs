//! Notes: the data that a caller records with a change in addition to its steps. To the engine they are an opaque
//! JSON document; the caller converts them to and from its own types.

use serde::de::DeserializeOwned;
use serde::{Deserialize, Deserializer, Serialize, Serializer};
use serde_json::Value;

/// A JSON document of the caller's.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Notes(String);

impl Notes {
    /// The document of a value.
    ///
    /// # Errors
    /// If the value cannot be written as JSON.
    pub fn of(value: &impl Serialize) -> serde_json::Result<Self> {
        serde_json::to_string(value).map(Self)
    }

    /// The value that the document contains.
    ///
    /// # Errors
    /// If the document does not describe such a value.
    pub fn read<T: DeserializeOwned>(&self) -> serde_json::Result<T> {
        serde_json::from_str(&self.0)
    }

    pub(crate) fn text(&self) -> &str {
        &self.0
    }

    pub(crate) fn from_text(text: String) -> Self {
        Self(text)
    }
}

/// Writes the text of a JSON document as part of another document, so that a person can read both.
pub(crate) fn serialize<S: Serializer>(text: &str, serializer: S) -> Result<S::Ok, S::Error> {
    let value: Value = serde_json::from_str(text).map_err(serde::ser::Error::custom)?;
    value.serialize(serializer)
}

/// Reads such a part as text again.
pub(crate) fn deserialize<'de, D: Deserializer<'de>>(deserializer: D) -> Result<String, D::Error> {
    Value::deserialize(deserializer).map(|value| value.to_string())
}
