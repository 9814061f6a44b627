//! Checks builds that a rollback, an undo or a refit restores.

use super::{Place, version_of};
use crate::change::Step;
use crate::check::{self, CheckInput, Finding, Severity, Subject, Swap};
use crate::rack::{Build, Stored};
use crate::situation::Situation;
use crate::survey::Library;

/// Checks the builds of the new files of some steps as if they were fitted again; returns all findings except notes.
/// Builds that are no longer on the rack are not checked.
pub(crate) fn recheck(situation: &Situation<'_>, steps: &[Step]) -> Vec<Finding> {
    let mut findings = Vec::new();
    for build in situation.builds {
        let swaps: Vec<Swap<'_>> =
            steps.iter().filter_map(|step| swap(situation, build, step)).collect();
        if !swaps.is_empty() {
            findings.extend(check::check(&CheckInput {
                situation,
                subject: Subject::build(build),
                swaps,
                alongside: &[],
                in_place: false,
            }));
        }
    }

    findings.retain(|finding| finding.severity > Severity::Note);
    findings
}

/// A file of a build that a step restores.
fn swap<'a>(situation: &Situation<'a>, build: &'a Build, step: &Step) -> Option<Swap<'a>> {
    let content = step.after().state.content()?;
    let is_it =
        |stored: &Stored<'_>| stored.content == content && step.owner().is_family(&build.id.family);
    let place = step.file()?;
    let is_there = |library: &&Library| place.same_as(&Place::from(library.path.clone()));
    let recorded = situation.ledger.get(place);

    Some(Swap {
        place: place.clone(),
        facts: build.files().find(is_it)?.facts?,
        content: Some(content),
        old: situation.view.libraries.iter().find(is_there),
        unchanged: false,
        shipped: recorded.and_then(|entry| version_of(&entry.shipped)),
    })
}
