//! `first-install`: if something goes that the game did not have, and why there.

use crate::finding::{Finding, Severity};
use crate::path::TreePath;
use crate::rack::Build;
use crate::remedy::Action;

pub(crate) fn finding(build: &Build, path: &TreePath, why: &str) -> Finding {
    let sentence = format!("{} is new here and goes to {path}: {why}.", build.id);
    let remedy = ("Under another name", Action::UnderName);
    Finding::new("first-install", Severity::Note, sentence, remedy)
}
