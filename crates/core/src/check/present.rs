//! Checks of the present state of a game: everything it would load, and each family.

use super::input::{CheckInput, Subject, Swap};
use super::run::check;
use super::verdict::Verdict;
use super::{component_gone, image_damaged, loading, mixed_builds};
use crate::change::version_of;
use crate::finding::{Finding, Severity};
use crate::load::{Broken, How};
use crate::path::{TreePath, same_name};
use crate::situation::Situation;
use crate::survey::Library;
use upright_spanner_image::Version;

/// The results of the checks of one game.
#[derive(Debug, Default)]
pub struct CheckedGame {
    /// The findings about the game itself: its programs, and everything they load that is not a component.
    pub findings: Vec<Finding>,
    /// Each family of its components.
    pub families: Vec<CheckedFamily>,
}

/// The results of the checks of one family in one game.
#[derive(Debug)]
pub struct CheckedFamily {
    /// The family.
    pub family: String,
    /// Its version in the game, if all its files have the same.
    pub version: Option<Version>,
    /// The verdict of the findings.
    pub verdict: Verdict,
    /// The findings, the gravest first.
    pub findings: Vec<Finding>,
}

impl CheckedGame {
    /// The verdict of the findings about the game itself.
    pub fn own_verdict(&self) -> Verdict {
        Verdict::of(&self.findings)
    }

    /// What all findings come to.
    pub fn verdict(&self) -> Verdict {
        let families = self.families.iter().map(|checked| checked.verdict);
        families.chain([self.own_verdict()]).max().unwrap_or(Verdict::Fine)
    }

    /// The findings of the game itself and of some of its families.
    pub fn about(self, is_meant: impl Fn(&str) -> bool) -> Vec<Finding> {
        let families = self.families.into_iter().filter(|checked| is_meant(&checked.family));
        self.findings.into_iter().chain(families.flat_map(|checked| checked.findings)).collect()
    }

    /// Every finding: those of the game itself first.
    pub fn all(&self) -> impl Iterator<Item = &Finding> {
        self.findings.iter().chain(self.families.iter().flat_map(|checked| &checked.findings))
    }
}

/// Checks a game as it is now.
pub(crate) fn check_present(situation: &Situation<'_>) -> CheckedGame {
    let mut families = situation.view.families();
    families.extend(situation.view.gone.iter().map(|gone| gone.family.clone()));
    families.sort();
    families.dedup();

    let mut whole: Vec<(Option<String>, Finding)> = Vec::new();
    for broken in Broken::all(situation.loads()) {
        let family = family_of(situation, &broken);
        let severity = severity(situation, &broken, family.is_some());
        let finding = loading::finding(situation, &broken, severity);
        // A finding that keeps the game from starting belongs to the game, whichever image lacks something.
        if family.is_some() && broken.is_vital() {
            whole.push((None, finding.clone()));
        }
        whole.push((family, finding));
    }
    whole.extend(image_damaged::check(situation).into_iter().map(|finding| (None, finding)));
    let gone = situation.view.gone.iter();
    whole.extend(
        gone.map(|gone| (Some(gone.family.clone()), component_gone::finding(situation, gone))),
    );

    let checked = families.iter().filter_map(|family| {
        let own = whole.iter().filter(|(of, _)| of.as_ref() == Some(family));
        check_family(situation, family, own.map(|(_, finding)| finding.clone()).collect())
    });
    let families: Vec<CheckedFamily> = checked.collect();
    let is_told =
        |of: &Option<String>| families.iter().any(|checked| of.as_ref() == Some(&checked.family));
    let own = whole.into_iter().filter(|(of, _)| !is_told(of)).map(|(_, finding)| finding);
    CheckedGame { findings: sorted(own.collect()), families }
}

/// The family of components that something broken is about: that of the image that asks.
fn family_of(situation: &Situation<'_>, broken: &Broken) -> Option<String> {
    let library = component_at(situation, &broken.image)?;
    Some(library.family.clone())
}

fn component_at<'a>(situation: &Situation<'a>, path: &TreePath) -> Option<&'a Library> {
    let libraries = situation.view.libraries.iter();
    libraries.filter(|library| library.is_component).find(|library| library.path == *path)
}

/// How grave something is that is broken as the game is: it stops the game that does not start for it.
fn severity(situation: &Situation<'_>, broken: &Broken, is_component: bool) -> Severity {
    match broken.how {
        _ if broken.is_vital() => Severity::Stop,
        // A game that loads libraries at run time may have loaded this one from any folder.
        How::ByName if loading::lies_elsewhere(situation, broken) => Severity::Note,
        // A delay-loaded library may never be requested.
        _ if broken.edge.delayed && !is_component => Severity::Note,
        _ if is_component => Severity::Warn,
        How::AtStart | How::AtFirstCall if broken.counts => Severity::Warn,
        // It may be there for another program, or for none.
        _ => Severity::Note,
    }
}

fn check_family(
    situation: &Situation<'_>,
    family: &str,
    whole: Vec<Finding>,
) -> Option<CheckedFamily> {
    let live = situation.view.libraries.iter().filter(|library| !library.put_aside);
    let files: Vec<&Library> = live.filter(|l| same_name(&l.family, family)).collect();
    let Some(first) = files.first() else {
        let gone = situation.view.gone.iter().find(|gone| same_name(&gone.family, family))?;
        let (version, findings) = (gone.version.clone(), sorted(whole));
        let verdict = Verdict::of(&findings);
        return Some(CheckedFamily { family: family.to_owned(), version, verdict, findings });
    };
    let subject = Subject::component(first, situation);
    let version = subject.version.clone();
    let swaps = files.iter().map(|library| swap(situation, library)).collect();
    let input = CheckInput { situation, subject, swaps, alongside: &[], in_place: true };
    let mut findings = check(&input);
    findings.extend(files.iter().find_map(|library| mixed_builds::check(situation, library)));
    findings.extend(whole);
    let findings = sorted(findings);
    let is_one = files.iter().all(|file| file.facts.version() == version);

    Some(CheckedFamily {
        family: family.to_owned(),
        version: version.filter(|_| is_one),
        verdict: Verdict::of(&findings),
        findings,
    })
}

/// The gravest first, each once.
fn sorted(mut findings: Vec<Finding>) -> Vec<Finding> {
    findings.sort_by_key(|finding| std::cmp::Reverse(finding.severity));
    findings.dedup();
    findings
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
