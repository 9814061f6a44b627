//! `older-goes`: an older version under another name is removed.

use crate::finding::{Finding, Severity};
use crate::rack::Build;
use crate::remedy::Action;
use crate::survey::Library;

pub(crate) fn finding(build: &Build, old: &Library) -> Finding {
    let version = old.facts.version().map_or_else(String::new, |version| format!(" {version}"));
    let sentence = format!(
        "{} goes, which is {}{version}: both would get into the game, and {} is by the same maker.",
        old.path, old.family, build.id
    );
    let remedy = ("It is kept, and a rollback brings it back. To leave it there", Action::Beside);
    Finding::new("older-goes", Severity::Note, sentence, remedy)
}
