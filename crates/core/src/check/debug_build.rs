//! `debug-build`: a library that is a debug build.

use super::CheckInput;
use crate::finding::{Finding, Severity};

pub(crate) fn check(input: &CheckInput<'_>) -> Option<Finding> {
    let debug = input.swaps.iter().find(|swap| swap.facts.is_debug())?;
    let name = debug.place.path().file_name();
    let sentence = format!(
        "{} is a debug build ({name} says so): it is slow, and it needs runtimes that players do not \
         have.",
        input.label()
    );
    let remedy = "Use the release build, unless you were asked to test this one.";
    Some(Finding::new("debug-build", Severity::Warn, sentence, remedy))
}
