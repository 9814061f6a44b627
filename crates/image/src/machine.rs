//! The machine that an image is for, and whether it is a library or a program.

use std::fmt;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The machine that an image is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, JsonSchema, Deserialize)]
pub enum Machine {
    /// 32-bit x86.
    #[serde(rename = "x86")]
    X86,
    /// 64-bit x86.
    #[serde(rename = "x86_64")]
    X86_64,
    /// 32-bit ARM.
    #[serde(rename = "arm")]
    Arm,
    /// 64-bit ARM.
    #[serde(rename = "arm64")]
    Arm64,
    /// Another machine.
    #[serde(rename = "other")]
    Other,
}

impl Machine {
    pub(crate) fn from_header(value: u16) -> Self {
        match value {
            0x014C => Self::X86,
            0x8664 => Self::X86_64,
            0x01C0 | 0x01C2 | 0x01C4 => Self::Arm,
            0xAA64 => Self::Arm64,
            _ => Self::Other,
        }
    }

    /// The name used in output and in JSON.
    pub fn name(self) -> &'static str {
        match self {
            Self::X86 => "x86",
            Self::X86_64 => "x86_64",
            Self::Arm => "arm",
            Self::Arm64 => "arm64",
            Self::Other => "other",
        }
    }

    /// As people say it: `32-bit`, `64-bit`, `64-bit ARM`.
    pub fn spoken(self) -> &'static str {
        match self {
            Self::X86 => "32-bit",
            Self::X86_64 => "64-bit",
            Self::Arm => "32-bit ARM",
            Self::Arm64 => "64-bit ARM",
            Self::Other => "for another machine",
        }
    }
}

impl fmt::Display for Machine {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.name())
    }
}

/// Whether an image is a library or a program.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, JsonSchema, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Kind {
    /// A library, whatever its file's name.
    Dll,
    /// A program.
    Exe,
}
