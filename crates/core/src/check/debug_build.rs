//! `debug-build`: a library that is a debug build.

use super::CheckInput;
use crate::finding::{Finding, Severity};
use upright_spanner_image::Facts;
use upright_spanner_image::system::is_debug_runtime;

pub(crate) fn check(input: &CheckInput<'_>) -> Option<Finding> {
    let of_debug = input.swaps.iter().filter(|swap| swap.facts.is_debug());
    // A build that needs the debug runtimes comes first.
    let debug = of_debug.max_by_key(|swap| needs_debug_runtime(swap.facts))?;
    let name = debug.place.path().file_name();
    let (severity, so) = if needs_debug_runtime(debug.facts) {
        (Severity::Warn, "it is slow, and it needs runtimes that players do not have")
    } else {
        // Some authors leave the flag in their releases.
        (Severity::Note, "it may be slow")
    };
    let sentence = format!("{} is a debug build ({name} says so): {so}.", input.label());
    let remedy = "Use the release build, unless you are testing this one.";
    Some(Finding::new("debug-build", severity, sentence, remedy))
}

fn needs_debug_runtime(facts: &Facts) -> bool {
    facts.imported_dlls.iter().any(|library| is_debug_runtime(library))
}
