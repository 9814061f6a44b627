//! `undo-file`: what an older build has set in the registry by hand is there still, and a file takes it back.

use crate::finding::{Finding, Severity};
use crate::remedy::Action;

pub(crate) const CODE: &str = "undo-file";

pub(crate) fn finding(build: &str, file: &str, values: &[String]) -> Finding {
    let sentence = format!(
        "An older one was installed by hand, and {file} of {build} should be run: it takes back what that has set \
         in the registry: {}.",
        values.join("; ")
    );
    Finding::new(CODE, Severity::Warn, sentence, ("To do that in the same change", Action::UndoOld))
}
