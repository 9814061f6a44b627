//! The verdict of a set of findings.

use schemars::JsonSchema;
use serde::Serialize;

use super::exe_unsupported;
use crate::finding::{Finding, Severity};

/// The verdict of a set of findings.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Verdict {
    /// Nothing speaks against it.
    Fine,
    /// What decides could not be read.
    Unknown,
    /// Something is worth a second look.
    Attention,
    /// It will not work.
    Stop,
}

impl Verdict {
    /// The word used in output and in JSON.
    pub fn name(self) -> &'static str {
        match self {
            Self::Fine => "fine",
            Self::Unknown => "unknown",
            Self::Attention => "attention",
            Self::Stop => "stop",
        }
    }

    /// The verdict of some findings.
    pub fn of(findings: &[Finding]) -> Self {
        findings.iter().map(Self::of_one).max().unwrap_or(Self::Fine)
    }

    fn of_one(finding: &Finding) -> Self {
        match finding.severity {
            Severity::Note => Self::Fine,
            Severity::Warn if finding.code == exe_unsupported::UNKNOWN => Self::Unknown,
            Severity::Warn => Self::Attention,
            Severity::Stop if finding.overridden => Self::Attention,
            Severity::Stop => Self::Stop,
        }
    }
}
