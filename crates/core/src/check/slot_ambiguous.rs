//! `slot-ambiguous`: files under several names could be what the build replaces.

use crate::finding::{Finding, Severity};
use crate::path::TreePath;
use crate::rack::Build;

pub(crate) fn check(build: &Build, slots: &[&TreePath]) -> Option<Finding> {
    let mut names: Vec<String> = slots.iter().map(|path| path.file_name().to_lowercase()).collect();
    names.sort();
    names.dedup();
    (names.len() > 1).then(|| {
        let sentence = format!(
            "{} could replace files under {} names here: {}.",
            build.id,
            names.len(),
            names.join(", ")
        );
        let remedy = "Say which with --as NAME.".to_owned();
        Finding::new("slot-ambiguous", Severity::Stop, sentence, remedy)
    })
}
