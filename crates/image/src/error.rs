//! Why a file gave no facts, or a table none. A leaf: it uses nothing of the other files.

use std::io;

/// Why a file gave no facts.
#[derive(Debug, thiserror::Error)]
pub enum ImageError {
    /// It could not be opened or read.
    #[error("it cannot be read: {}", in_words(.0))]
    Unreadable(#[from] io::Error),
    /// It has no content.
    #[error("it is empty (0 bytes)")]
    Empty,
    /// It is something else.
    #[error("it is not a Windows library or program but {looks_like}")]
    NotAnImage {
        /// What its first bytes look like.
        looks_like: &'static str,
    },
    /// It ends before its own headers say that it does.
    #[error("it is cut short: {what} should reach byte {needed}, and the file has {present}")]
    Truncated {
        /// The part that is not all there.
        what: &'static str,
        /// Length in bytes that the file would need.
        needed: u64,
        /// Length in bytes that it has.
        present: u64,
    },
    /// A table contradicts itself.
    #[error("it is damaged: {what} makes no sense")]
    Malformed {
        /// The table.
        what: &'static str,
    },
    /// A table is so large that reading it would take time and memory out of all proportion.
    #[error("it is damaged or made to do harm: {what} is larger than in any real image")]
    Excessive {
        /// The table.
        what: &'static str,
    },
}

impl ImageError {
    pub(crate) fn malformed(what: &'static str) -> Self {
        Self::Malformed { what }
    }

    pub(crate) fn excessive(what: &'static str) -> Self {
        Self::Excessive { what }
    }

    /// The stable code used in JSON.
    pub fn code(&self) -> &'static str {
        match self {
            Self::Unreadable(_) => "unreadable",
            Self::Empty => "empty",
            Self::NotAnImage { .. } => "not-an-image",
            Self::Truncated { .. } => "truncated",
            Self::Malformed { .. } => "malformed",
            Self::Excessive { .. } => "excessive",
        }
    }

    /// The next step for the user.
    pub fn advice(&self) -> &'static str {
        match self {
            Self::Unreadable(_) => "Check that the file is there and that you may read it.",
            Self::Empty | Self::Truncated { .. } => {
                "The copy or download stopped early. Get the file again."
            }
            Self::NotAnImage { .. } => "Give a .dll or .exe file.",
            Self::Malformed { .. } | Self::Excessive { .. } => {
                "Get the file again from its source."
            }
        }
    }
}

/// The system's message, without the error number behind it.
fn in_words(error: &io::Error) -> String {
    let text = error.to_string();
    // Windows ends it as a sentence, and it is part of one here.
    text.split(" (os error").next().unwrap_or_default().trim_end_matches('.').to_owned()
}
