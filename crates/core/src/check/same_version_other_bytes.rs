//! `same-version-other-bytes`: the present file states the same version, but has different content.

use super::CheckInput;
use crate::finding::{Finding, Severity};
use crate::remedy::Action;

pub(crate) fn check(input: &CheckInput<'_>) -> Option<Finding> {
    let version = input.subject.version.as_ref()?;
    let there = input.swaps.iter().filter(|swap| {
        !swap.unchanged && Some(swap.facts) == input.subject.facts && !input.in_place
    });
    let mut there = there.filter_map(|swap| swap.old);
    let old = there.find(|old| old.facts.version().as_ref() == Some(version))?;
    let sentence = format!(
        "{} states version {version} already, but its content is not that of {}.",
        old.path, input.subject.name
    );
    let remedy = ("One of them may be a repack or another variant; compare them.", Action::Compare);
    Some(Finding::new("same-version-other-bytes", Severity::Note, sentence, remedy))
}
