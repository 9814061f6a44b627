//! `same-version-other-bytes`: the present file states the same version, but is another file.

use super::Case;
use crate::finding::{Finding, Severity};
use crate::remedy::Action;

pub(crate) fn check(case: &Case<'_>) -> Option<Finding> {
    let version = case.build.version.as_ref()?;
    let swap = case.swaps.iter().find(|swap| {
        let old = swap.old.and_then(|old| old.facts.version());
        !swap.unchanged && swap.facts == &case.build.file.facts && old.as_ref() == Some(version)
    })?;
    let sentence = format!(
        "{} states version {version} already, but its content is not that of {}.",
        swap.place, case.build.id
    );
    let remedy = ("One of them may be a repack or another variant; compare them.", Action::Compare);
    Some(Finding::new("same-version-other-bytes", Severity::Note, sentence, remedy))
}
