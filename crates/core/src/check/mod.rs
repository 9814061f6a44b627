//! Findings: what speaks against a change, found before anything is copied. One file per check;
//! each is pure and looks only at what it is given.

pub(crate) mod already_fitted;
pub(crate) mod altered_since;
pub(crate) mod bay_unknown;
pub(crate) mod entry_taken;
pub(crate) mod exe_unsupported;
pub(crate) mod family_absent;
pub(crate) mod keyed_elsewhere;
pub(crate) mod left_alone;
pub(crate) mod machine_mismatch;
pub(crate) mod slot_ambiguous;

use std::fmt;

use serde::{Deserialize, Serialize};

/// How much a finding matters.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// Worth knowing.
    Note,
    /// Worth a second look before going on.
    Warn,
    /// The change is refused.
    Stop,
}

impl fmt::Display for Severity {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(match self {
            Self::Note => "note",
            Self::Warn => "warn",
            Self::Stop => "stop",
        })
    }
}

/// One thing that a check says.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Finding {
    /// A stable name for scripts and for looking it up.
    pub code: String,
    /// How much it matters.
    pub severity: Severity,
    /// What is wrong, with the values that tell it.
    pub sentence: String,
    /// What to do now.
    pub remedy: String,
}

impl Finding {
    fn new(code: &str, severity: Severity, sentence: String, remedy: String) -> Self {
        Self { code: code.to_owned(), severity, sentence, remedy }
    }
}
