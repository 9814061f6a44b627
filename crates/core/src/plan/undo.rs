//! Plans to undo one change. An undo is a change too, and can be undone.

use std::collections::{BTreeMap, BTreeSet};

use super::{Ground, Plan, content};
use crate::change::{Change, ChangeState, Deed};
use crate::check::altered_since;
use crate::error::Result;
use crate::survey::GameView;

/// The changes that were done and not undone. An undoing is not among them; undone itself, it brings
/// back what it had undone.
pub(crate) fn in_effect(changes: &[Change]) -> BTreeSet<i64> {
    let mut effective = BTreeSet::new();
    let mut undoings: BTreeMap<i64, i64> = BTreeMap::new();
    for change in changes.iter().filter(|change| change.state == ChangeState::Done) {
        let Deed::Undo(of) = change.deed else {
            effective.insert(change.number);
            continue;
        };
        undoings.insert(change.number, of);
        // Undoing an undoing turns the change at the root of it on again, and so on.
        let (mut root, mut on) = (of, false);
        while let Some(deeper) = undoings.get(&root) {
            (root, on) = (*deeper, !on);
        }
        if on {
            effective.insert(root);
        } else {
            effective.remove(&root);
        }
    }
    effective
}

/// The later changes in effect that altered a file which a change left, and so stand on it.
pub(crate) fn standing_on<'a>(change: &Change, changes: &'a [Change]) -> Vec<&'a Change> {
    let effective = in_effect(changes);
    let touches = |other: &&Change| {
        other.steps.iter().any(|step| {
            let path = step.place.on(&other.root);
            change.steps.iter().any(|own| own.place.on(&change.root) == path)
        })
    };
    let later = changes.iter().filter(|other| other.number > change.number);
    later.filter(|other| effective.contains(&other.number)).filter(touches).collect()
}

/// Plans to make every file what it was before a change on which nothing stands.
pub(crate) fn undo(view: &GameView, change: &Change, ground: &dyn Ground) -> Result<Plan> {
    let summary = format!("undo {} ({})", change.number, change.summary);
    let mut plan = Plan::new(view, Deed::Undo(change.number), summary);
    for step in change.steps.iter().rev() {
        let now = ground.now(&step.place)?;
        if content(now.as_ref()) == content(step.before.as_ref()) {
            continue;
        }
        if let Some(there) = &now {
            if content(now.as_ref()) != content(step.after.as_ref()) {
                plan.findings.push(altered_since::finding(&step.place, step.after.as_ref(), there));
                continue;
            }
        }
        plan.steps.push(step.taken_back(now));
    }
    Ok(plan)
}
