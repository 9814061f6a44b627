//! What became of checking a signature.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What became of checking a signature.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, JsonSchema, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum SignatureStatus {
    /// The image has none.
    Absent,
    /// The content is the signed one, and the signer's certificate signed it.
    Intact,
    /// The image or the signature was altered after signing.
    Broken,
    /// There is one, but it cannot be checked.
    Unreadable,
}

impl SignatureStatus {
    /// The word used in output and in JSON.
    pub fn name(self) -> &'static str {
        match self {
            Self::Absent => "absent",
            Self::Intact => "intact",
            Self::Broken => "broken",
            Self::Unreadable => "unreadable",
        }
    }
}
