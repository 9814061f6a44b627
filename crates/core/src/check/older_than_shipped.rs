//! `older-than-shipped`: the build is older than the shipped version.

use super::CheckInput;
use crate::finding::{Finding, Severity};

pub(crate) fn check(input: &CheckInput<'_>) -> Option<Finding> {
    let new = input.subject.version.as_ref()?;
    let head = input.swaps.iter().filter(|swap| Some(swap.facts) == input.subject.facts);
    let shipped = head.filter_map(|swap| swap.shipped.as_ref()).find(|shipped| new < *shipped)?;
    let sentence = format!(
        "{} is older than version {shipped}, which {} shipped.",
        input.label(),
        input.situation.game().title
    );
    let remedy = "Nothing, if you meant to go to an older version; the way back is rollback.";
    Some(Finding::new("older-than-shipped", Severity::Warn, sentence, remedy))
}
