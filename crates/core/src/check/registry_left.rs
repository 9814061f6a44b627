//! `registry-left`: a build brings values for the registry, which are set only if the user says so.

use crate::finding::{Finding, Severity};
use crate::remedy::Action;

pub(crate) const CODE: &str = "registry-left";

/// For the values that a file of a build would set, each as `value: before → after`.
pub(crate) fn finding(build: &str, file: &str, values: &[String]) -> Finding {
    let sentence = format!(
        "{build} brings {file}, which would set in the registry: {}. That is left.",
        values.join("; ")
    );
    Finding::new(CODE, Severity::Note, sentence, ("To set it too", Action::SetRegistry))
}
