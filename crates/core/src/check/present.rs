//! Checks of what a game has now, family by family.

use super::input::{CheckInput, Subject, Swap};
use super::run::check;
use super::verdict::Verdict;
use crate::change::version_of;
use crate::finding::Finding;
use crate::path::same_name;
use crate::situation::Situation;
use crate::survey::Library;
use upright_spanner_image::Version;

/// What the checks say of one family in one game.
#[derive(Debug)]
pub struct CheckedFamily {
    /// The family.
    pub family: String,
    /// Its version in the game, where all its files have the same.
    pub version: Option<Version>,
    /// What the findings come to.
    pub verdict: Verdict,
    /// The findings, the gravest first.
    pub findings: Vec<Finding>,
}

/// Checks each family of components as it is now.
pub(crate) fn check_present(situation: &Situation<'_>) -> Vec<CheckedFamily> {
    let families = situation.view.families();
    families.iter().filter_map(|family| check_family(situation, family)).collect()
}

fn check_family(situation: &Situation<'_>, family: &str) -> Option<CheckedFamily> {
    let live = situation.view.libraries.iter().filter(|library| !library.put_aside);
    let files: Vec<&Library> = live.filter(|l| same_name(&l.family, family)).collect();
    let subject = Subject::component(files.first()?, situation.builds);
    let version = subject.version.clone();
    let swaps = files.iter().map(|library| swap(situation, library)).collect();
    let findings = check(&CheckInput { situation, subject, swaps, alongside: &[], in_place: true });
    let is_one = files.iter().all(|file| file.facts.version() == version);

    Some(CheckedFamily {
        family: family.to_owned(),
        version: version.filter(|_| is_one),
        verdict: Verdict::of(&findings),
        findings,
    })
}

/// A library in the place that it has.
fn swap<'a>(situation: &Situation<'_>, library: &'a Library) -> Swap<'a> {
    let place = library.path.clone().into();
    let recorded = situation.ledger.get(&place);
    Swap {
        shipped: recorded.and_then(|entry| version_of(&entry.shipped)),
        place,
        facts: &library.facts,
        content: None,
        old: Some(library),
        unchanged: true,
    }
}
