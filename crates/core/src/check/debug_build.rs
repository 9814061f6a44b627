//! `debug-build`: a library that is built for developers.

use super::Case;
use crate::finding::{Finding, Severity};

pub(crate) fn check(case: &Case<'_>) -> Option<Finding> {
    let debug = case.swaps.iter().find(|swap| swap.facts.is_debug())?;
    let name = debug.place.path().file_name();
    let sentence = format!(
        "{} is built for developers ({name} says so): it is slow, and needs runtimes that only they \
         have.",
        case.label()
    );
    let remedy = "Use the release build, unless you are asked to test with this one.";
    Some(Finding::new("debug-build", Severity::Warn, sentence, remedy))
}
