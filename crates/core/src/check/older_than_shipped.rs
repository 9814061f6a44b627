//! `older-than-shipped`: the build is older than what the game itself brought.

use super::Case;
use crate::finding::{Finding, Severity};

pub(crate) fn check(case: &Case<'_>) -> Option<Finding> {
    let new = case.build.version.as_ref()?;
    let head = case.swaps.iter().filter(|swap| swap.facts == &case.build.file.facts);
    let shipped = head.filter_map(|swap| swap.shipped.as_ref()).find(|shipped| new < *shipped)?;
    let sentence = format!(
        "{} is older than version {shipped}, which {} shipped.",
        case.label(),
        case.view.game.title
    );
    let remedy = "Fine if you mean to step down; the way back is rollback.";
    Some(Finding::new("older-than-shipped", Severity::Warn, sentence, remedy))
}
