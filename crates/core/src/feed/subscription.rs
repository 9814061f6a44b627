//! A feed that the user has added: its address, its key, and its serial number.

use jiff::{SignedDuration, Timestamp};

use super::key::Key;
use crate::content::Content;
use crate::fetch::{Address, Seen};

/// A feed that the user has added.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Subscription {
    /// The user's name for it.
    pub name: String,
    /// Its location.
    pub address: Address,
    /// The key that was confirmed, or that this has led to since.
    pub key: Key,
    /// The number of the state that was taken in last. No lower one is taken in.
    pub serial: u64,
    /// The head of that state.
    pub(crate) head: Content,
    /// When its publisher was last asked.
    pub refreshed: Timestamp,
    /// The validators that the server sent then.
    pub(crate) seen: Seen,
    /// The time after which it is refreshed automatically, if the user wants that.
    pub fresh_for: Option<SignedDuration>,
    /// Keys of the registry, below the user's own, in which its settings may be.
    pub granted: Vec<String>,
}

impl Subscription {
    /// Whether it should be refreshed automatically.
    pub fn is_due(&self, now: Timestamp) -> bool {
        self.fresh_for.is_some_and(|most| now.duration_since(self.refreshed) > most)
    }

    /// Whether the user has granted it a key of the registry.
    pub(crate) fn grants(&self, key: &str) -> bool {
        self.granted.iter().any(|granted| is_below(granted, key))
    }
}

/// Whether a registry key is equal to or below another.
pub(super) fn is_below(granted: &str, key: &str) -> bool {
    let (granted, key) = (granted.to_lowercase(), key.to_lowercase());
    let (granted, key) = (granted.trim_matches('\\'), key.trim_matches('\\'));
    !granted.is_empty()
        && key.strip_prefix(granted).is_some_and(|rest| rest.is_empty() || rest.starts_with('\\'))
}
