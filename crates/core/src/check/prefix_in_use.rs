//! `prefix-in-use`: a program of the prefix is running and would overwrite values that are set in the file.

use super::Conditions;
use crate::finding::{Finding, Severity};
use crate::path::slashes;
use crate::remedy::Action;

pub(crate) const CODE: &str = "prefix-in-use";

pub(crate) fn check(conditions: &Conditions) -> Option<Finding> {
    let used = conditions.prefix.as_ref()?;
    let by = used.by.as_deref().map_or_else(String::new, |by| format!(" by {by}"));
    let sentence = format!("The prefix {} is in use{by}.", slashes(&used.path));
    let remedy = (
        "Close the game and what else runs in that prefix; or name the program that starts Windows programs in it.",
        Action::NameRunWith { game: conditions.game.clone().into() },
    );
    Some(Finding::new(CODE, Severity::Stop, sentence, remedy))
}
