//! `entry-taken`: the name that a file would get is in use by another component.

use super::{Finding, Severity};
use crate::rack::Build;
use crate::survey::Library;

pub(crate) fn finding(build: &Build, there: &Library) -> Finding {
    let company = there.facts.string("CompanyName").unwrap_or("somebody else");
    let version = there.facts.version().map_or_else(String::new, |v| format!(", version {v}"));
    let sentence = format!(
        "{} would take the place of {}, which is {}{version}, made by {company}.",
        build.id, there.path, there.family
    );
    let remedy =
        "Give it another name with --as NAME, or take the other component out first.".to_owned();
    Finding::new("entry-taken", Severity::Stop, sentence, remedy)
}
