//! Recorded proofs: the change, and the time at which its files were seen in the running game.

use jiff::Timestamp;

use crate::change::ExecutableMark;
use crate::path::same_name;

/// That a component was seen at work after a change had put it in.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Proven {
    /// The change.
    pub change: i64,
    /// The game.
    pub game: String,
    /// The component's family.
    pub family: String,
    /// Whether it reported its version; otherwise it was only loaded.
    pub by_report: bool,
    /// When it was seen.
    pub at: Timestamp,
    /// The executable that counted then.
    pub executable: Option<ExecutableMark>,
}

impl Proven {
    /// The word used in output.
    pub fn name(&self) -> &'static str {
        if self.by_report { "proved" } else { "loaded" }
    }

    /// Whether the game has been updated since, so that it would have to be seen again.
    pub fn is_old(&self, executable: Option<&ExecutableMark>) -> bool {
        let mark = |it: &ExecutableMark| (it.path.clone(), it.size, it.stamp);
        self.executable.as_ref().map(mark) != executable.map(mark)
    }
}

/// Every proof that was noted.
#[derive(Debug, Clone, Default)]
pub struct Proofs {
    pub(crate) all: Vec<Proven>,
}

impl Proofs {
    /// The proof of a family that a change fitted.
    pub fn of(&self, change: i64, family: &str) -> Option<&Proven> {
        self.of_change(change).find(|proven| same_name(&proven.family, family))
    }

    /// The proofs of a change.
    pub fn of_change(&self, change: i64) -> impl Iterator<Item = &Proven> {
        self.all.iter().filter(move |proven| proven.change == change)
    }

    /// Notes a proof in place of an earlier one.
    pub(crate) fn note(&mut self, proven: Proven) {
        let is_same = |other: &Proven| {
            other.change == proven.change && same_name(&other.family, &proven.family)
        };
        self.all.retain(|other| !is_same(other));
        self.all.push(proven);
    }
}
