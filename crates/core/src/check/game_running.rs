//! `game-running`: a file of the change, or the executable, is in use.

use super::{Conditions, Finding, Severity};

pub(crate) const CODE: &str = "game-running";

pub(crate) fn check(conditions: &Conditions) -> Option<Finding> {
    let first = conditions.in_use.first()?;
    let by = first.by.as_ref().map_or_else(String::new, |by| format!(" by {by}"));
    let sentence = format!("{} is in use{by}.", first.path.display());
    let remedy = "Close the game, and its launcher if need be; then try again.";
    Some(Finding::new(CODE, Severity::Stop, sentence, remedy))
}
