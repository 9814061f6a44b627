//! `game-running`: a file of the change, or the executable, is in use.

use std::path::Path;

use super::Conditions;
use crate::finding::{Finding, Severity};
use crate::path::slashes;

pub(crate) const CODE: &str = "game-running";

pub(crate) fn check(conditions: &Conditions) -> Option<Finding> {
    let first = conditions.in_use.first()?;
    Some(finding(&first.path, first.by.as_deref()))
}

/// Says that a file is in use, and by whom if the system reports it.
pub(crate) fn finding(path: &Path, by: Option<&str>) -> Finding {
    let by = by.map_or_else(String::new, |by| format!(" by {by}"));
    let sentence = format!("{} is in use{by}.", slashes(path));
    let remedy = "Close the game, and its launcher if necessary; then try again.";
    Finding::new(CODE, Severity::Stop, sentence, remedy)
}
