//! One thing that a check says.

use std::fmt;

use schemars::JsonSchema;
use serde::Serialize;

use crate::remedy::Remedy;

/// How much a finding matters.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, JsonSchema)]
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
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Finding {
    /// A stable name for scripts and for looking it up.
    pub code: String,
    /// How much it matters.
    pub severity: Severity,
    /// The finding in a sentence, with the values that show it.
    pub sentence: String,
    /// What to do now.
    pub remedy: Remedy,
    /// Every name that the sentence is about, if it says only the first of them.
    pub names: Vec<String>,
    /// Whether the user continues despite it.
    pub overridden: bool,
}

impl Finding {
    pub(crate) fn new(
        code: &str,
        severity: Severity,
        sentence: impl Into<String>,
        remedy: impl Into<Remedy>,
    ) -> Self {
        let (sentence, remedy) = (sentence.into(), remedy.into());
        Self {
            code: code.to_owned(),
            severity,
            sentence,
            remedy,
            names: Vec::new(),
            overridden: false,
        }
    }

    /// Whether it keeps a change from being made.
    pub fn stops(&self) -> bool {
        self.severity == Severity::Stop && !self.overridden
    }
}
