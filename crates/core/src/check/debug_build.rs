//! `debug-build`: a library that is built for developers.

use super::CheckInput;
use crate::finding::{Finding, Severity};

pub(crate) fn check(input: &CheckInput<'_>) -> Option<Finding> {
    let debug = input.swaps.iter().find(|swap| swap.facts.is_debug())?;
    let name = debug.place.path().file_name();
    let sentence = format!(
        "{} is built for developers ({name} says so): it is slow, and needs runtimes that only they \
         have.",
        input.label()
    );
    let remedy = "Use the release build, unless you are asked to test with this one.";
    Some(Finding::new("debug-build", Severity::Warn, sentence, remedy))
}
