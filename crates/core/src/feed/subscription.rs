//! A feed that the user has added: where it is, by which key it is known, and how far it has come.

use jiff::{SignedDuration, Timestamp};

use super::key::Key;
use crate::content::Content;
use crate::fetch::{Address, Seen};

/// A feed that the user has added.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Subscription {
    /// What the user calls it.
    pub name: String,
    /// Where it is.
    pub address: Address,
    /// The key that was confirmed, or that this has led to since.
    pub key: Key,
    /// The number of the state that was taken in last. No lower one is taken in.
    pub serial: u64,
    /// The head of that state.
    pub(crate) head: Content,
    /// When its publisher was last asked.
    pub refreshed: Timestamp,
    /// How the server marked what it sent then.
    pub(crate) seen: Seen,
    /// After how long it is asked again by itself, if the user wants that.
    pub fresh_for: Option<SignedDuration>,
    /// Keys of the registry, below the user's own, in which its settings may be.
    pub granted: Vec<String>,
}

impl Subscription {
    /// Whether it is to be asked again by itself.
    pub fn is_due(&self, now: Timestamp) -> bool {
        self.fresh_for.is_some_and(|most| now.duration_since(self.refreshed) > most)
    }

    /// Whether the user has granted it a key of the registry.
    pub(crate) fn grants(&self, key: &str) -> bool {
        self.granted.iter().any(|granted| is_below(granted, key))
    }
}

/// Whether a key of the registry is another or is below it.
pub(super) fn is_below(granted: &str, key: &str) -> bool {
    let (granted, key) = (granted.to_lowercase(), key.to_lowercase());
    let (granted, key) = (granted.trim_matches('\\'), key.trim_matches('\\'));
    !granted.is_empty()
        && key.strip_prefix(granted).is_some_and(|rest| rest.is_empty() || rest.starts_with('\\'))
}
