//! The one law above the checks: a change must not make what stays of a game load less than it did before.
//!
//! Compares the loading of the game before and after a plan; newly broken loading stops it. Loading that was broken
//! before is mentioned once. Parts removed on purpose, and libraries that only they reached, are reported.

use std::collections::BTreeSet;

use super::{LedgerEntry, Plan};
use crate::change::{Purpose, Step, winds};
use crate::check::{broken_before, functions_unknown, loading};
use crate::finding::{Finding, Severity};
use crate::load::{Broken, How, graph, newly_broken, newly_unsure};
use crate::path::{fold, same_name};
use crate::situation::Situation;

/// Adds the broken loading to a plan. Earlier findings about a part of it are replaced.
pub(crate) fn stop_broken_loading(situation: &Situation<'_>, plan: &mut Plan) {
    plan.findings.retain(|finding| !is_of_the_law(finding));
    plan.findings.extend(broken_by(situation, plan));
    plan.findings.sort_by_key(|finding| std::cmp::Reverse(finding.severity));
}

/// The loading that a plan would break, and that is broken already.
fn broken_by(situation: &Situation<'_>, plan: &Plan) -> Vec<Finding> {
    if plan.files().next().is_none() {
        return Vec::new();
    }
    let before = situation.loads();
    let scene = situation.scene().after(&plan.steps);
    let after = graph(&scene);
    let newly = newly_broken(before, &after, &scene);
    let goes_back = goes_back_to_shipped(situation, plan);

    let mut findings: Vec<Finding> = Vec::new();
    for broken in &newly {
        let severity = match () {
            () if is_taken_out(broken, &plan.steps) => Severity::Note,
            () if broken.edge.delayed || goes_back => Severity::Warn,
            () => Severity::Stop,
        };
        findings.push(loading::finding(situation, broken, severity));
    }
    let unsure = newly_unsure(before, &after);
    findings.extend(unsure.iter().map(|(image, edge)| functions_unknown::finding(image, edge)));
    let stays: BTreeSet<String> = Broken::all(&after).iter().map(key).collect();
    let was = Broken::all(before);
    let still = was.iter().find(|broken| broken.is_vital() && stays.contains(&key(broken)));
    findings.extend(still.map(|broken| broken_before::finding(situation, broken)));
    // One library in several processes is reported once.
    let mut said = BTreeSet::new();
    findings.retain(|finding| said.insert(finding.sentence.clone()));
    findings
}

/// Whether a finding is one that the law makes and no check.
fn is_of_the_law(finding: &Finding) -> bool {
    const ITS_OWN: [&str; 5] = [
        loading::NEEDED,
        loading::ENTRY,
        loading::DAMAGED,
        broken_before::CODE,
        functions_unknown::CODE,
    ];
    let lacks = finding.code == loading::FUNCTIONS && finding.severity > Severity::Note;
    lacks || ITS_OWN.contains(&&*finding.code)
}

/// What makes two broken things the same.
fn key(broken: &Broken) -> String {
    fold(&format!("{}\n{}", broken.image, broken.edge.library))
}

/// Whether a library is not there since the plan takes it out, and only what came by its name wants it.
fn is_taken_out(broken: &Broken, steps: &[Step]) -> bool {
    let goes = |step: &&Step| {
        let name = step.file().map(|place| place.path().file_name());
        step.after().state.is_absent()
            && name.is_some_and(|name| same_name(name, &broken.edge.library))
    };
    broken.how == How::ByName && steps.iter().find(goes).is_some()
}

/// Whether a plan puts nothing into the game but what that ships, or did before anything was changed.
fn goes_back_to_shipped(situation: &Situation<'_>, plan: &Plan) -> bool {
    let is_shipped = |step: &Step| {
        let entry = situation.ledger.at(step.target());
        let is_what = |entry: &LedgerEntry| {
            entry.shipped.same_as(step.after()) || entry.first.same_as(step.after())
        };
        entry.is_some_and(is_what)
    };
    // Undoing a wind makes room for the launcher's release.
    let changes = || situation.changes.iter().copied();
    if let Purpose::Undo { change: number } = plan.purpose {
        if changes().any(|change| change.number() == number && winds(change, changes())) {
            return true;
        }
    }
    matches!(plan.purpose, Purpose::Rollback | Purpose::Undo { .. }) && plan.files().all(is_shipped)
}
