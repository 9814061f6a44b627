//! Plans to undo one change. An undo is a change too, and can be undone.

use std::collections::{BTreeMap, BTreeSet};

use super::Plan;
use crate::change::{Change, Purpose, RecordState, Step, Target};
use crate::check::altered_since;
use crate::error::Result;
use crate::situation::Situation;

/// The changes that were done and not undone. An undoing is not among them; undone itself, it brings
/// back what it had undone.
pub(crate) fn in_effect<'a>(changes: impl IntoIterator<Item = &'a Change>) -> BTreeSet<i64> {
    let mut effective = BTreeSet::new();
    // What an undoing turns on or off: the change at the root of it, since undoing an undoing turns that on
    // again, and so on.
    let mut undoings: BTreeMap<i64, (i64, bool)> = BTreeMap::new();
    for change in changes.into_iter().filter(|change| change.state() == RecordState::Done) {
        let Purpose::Undo(of) = change.purpose else {
            effective.insert(change.number());
            continue;
        };
        let (root, on) = undoings.get(&of).map_or((of, false), |(root, on)| (*root, !on));
        undoings.insert(change.number(), (root, on));
        if on {
            effective.insert(root);
        } else {
            effective.remove(&root);
        }
    }

    effective
}

/// The later changes in effect that altered a target which a change left, and so stand on it.
pub(crate) fn standing_on<'a>(change: &Change, changes: &[&'a Change]) -> Vec<&'a Change> {
    let effective = in_effect(changes.iter().copied());
    let targets = |change: &Change| -> BTreeSet<String> {
        let own = change.steps().iter().map(Step::target).filter(|target| !target.is_folder());
        // A key that was set in a file stands on what put the file there.
        let file = |target: &Target| match target {
            Target::Setting(key) => Some(change.key_of(&Target::File(key.place.clone()))),
            _ => None,
        };
        own.flat_map(|target| file(target).into_iter().chain([change.key_of(target)])).collect()
    };
    let altered = change.steps().iter().map(Step::target).filter(|target| !target.is_folder());
    let own: BTreeSet<String> = altered.map(|target| change.key_of(target)).collect();
    let later = changes.iter().copied().filter(|other| other.number() > change.number());
    later
        .filter(|other| effective.contains(&other.number()))
        .filter(|other| !targets(other).is_disjoint(&own))
        .collect()
}

/// Plans to make every target what it was before a change on which nothing stands.
pub(crate) fn undo(situation: &Situation<'_>, change: &Change) -> Result<Plan> {
    let summary = format!("undo {} ({})", change.number(), change.summary());
    let mut plan = Plan::new(situation.view, Purpose::Undo(change.number()), summary);
    for step in change.steps().iter().rev() {
        if step.target().is_folder() {
            continue;
        }
        let now = situation.window.now(step.target())?;
        if now.same_as(step.before()) {
            continue;
        }
        if !now.state.is_absent() && !now.same_as(step.after()) {
            plan.findings.push(altered_since::left_alone(step.target(), step.after(), &now));
            continue;
        }
        plan.steps.push(step.taken_back(now));
    }

    plan.arrange(situation)?;
    Ok(plan)
}
