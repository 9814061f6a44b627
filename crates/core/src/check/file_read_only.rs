//! `file-read-only`: a file is marked read-only, or a folder takes no new files.

use super::Conditions;
use crate::finding::{Finding, Severity};
use crate::path::slashes;

pub(crate) const CODE: &str = "file-read-only";

pub(crate) fn check(conditions: &Conditions) -> Vec<Finding> {
    let closed = conditions.closed.first().map(|folder| {
        let sentence = format!("{} takes no new files: it is read-only.", slashes(folder));
        let remedy = "Allow writing to that folder, or run this as someone who may.";
        Finding::new(CODE, Severity::Stop, sentence, remedy)
    });
    let marked = conditions.read_only.first().map(|place| {
        let sentence = format!("{place} is marked read-only.");
        let remedy = "It is altered all the same, and keeps the mark.";
        Finding::new(CODE, Severity::Note, sentence, remedy)
    });
    closed.into_iter().chain(marked).collect()
}
