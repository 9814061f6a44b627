//! Why a library is taken for a component.

use schemars::JsonSchema;
use serde::Serialize;

/// A kind of evidence.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum EvidenceKind {
    /// The user's catalog describes it.
    Catalogued,
    /// Same file name and same author as a build on the rack.
    OnRack,
    /// Bears the name of a Windows system library beside a program, and is not the system's own.
    StandIn,
    /// Its name holds the executable's version.
    Keyed,
    /// States a product and its own version that are not the executable's.
    OwnVersion,
    /// The same library is in several games, or in several places of one.
    Recurring,
    /// Made by another company than the executable.
    Outsider,
    /// It has a renamed copy beside it.
    HandBackup,
}

impl EvidenceKind {
    /// The word used in output and in JSON.
    pub fn name(self) -> &'static str {
        match self {
            Self::Catalogued => "catalogued",
            Self::OnRack => "on-rack",
            Self::StandIn => "stand-in",
            Self::Keyed => "keyed",
            Self::OwnVersion => "own-version",
            Self::Recurring => "recurring",
            Self::Outsider => "outsider",
            Self::HandBackup => "hand-backup",
        }
    }
}

impl EvidenceKind {
    /// Whether it shows that people exchange such a library, rather than that it has another maker.
    pub fn is_telling(self) -> bool {
        !matches!(self, Self::OwnVersion | Self::Outsider)
    }
}

/// One reason to take a library for a component.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Evidence {
    /// Its kind.
    pub kind: EvidenceKind,
    /// The particulars, as a phrase.
    pub detail: String,
}
