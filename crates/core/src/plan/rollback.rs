//! Plans to put back what the game brought, or what was there at an earlier point.

use super::{Ground, Held, Ledger, Place, Plan, Step, content};
use crate::change::{Change, Deed};
use crate::check::altered_since;
use crate::error::Result;
use crate::path::same_name;
use crate::survey::GameView;

/// The point that a rollback goes to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Point {
    /// What the game brought, the newest of it.
    Shipped,
    /// Right after the change of this number; 0 is before all.
    After(i64),
}

/// Plans the way back, of one family or of all that changes have touched.
pub(crate) fn rollback(
    view: &GameView,
    changes: &[Change],
    family: Option<&str>,
    to: Point,
    ground: &dyn Ground,
) -> Result<Plan> {
    let family_named = family.map_or_else(String::new, |family| format!(" {family}"));
    let point = match to {
        Point::Shipped => String::new(),
        Point::After(number) => format!(" to change {number}"),
    };
    let mut plan = Plan::new(view, Deed::Rollback, format!("rollback{family_named}{point}"));
    let root = &view.game.root;
    let ledger = Ledger::of(root, changes);
    let up_to_point = match to {
        Point::Shipped => None,
        Point::After(number) => Some(Ledger::of(root, until(changes, number))),
    };
    let wanted =
        ledger.entries().filter(|e| family.is_none_or(|family| same_name(family, &e.family)));
    for entry in wanted {
        // A file that was not touched by then was what the first change found.
        let target = match &up_to_point {
            None => entry.shipped.clone(),
            Some(then) => match then.get(&entry.place) {
                Some(known) => known.last.clone(),
                None => first_found(root, changes, &entry.place),
            },
        };
        let now = ground.now(&entry.place)?;
        if content(now.as_ref()) == content(target.as_ref()) {
            continue;
        }
        // What is as it was before the changes, or was altered since, is the game's own; what is gone
        // comes back.
        if to == Point::Shipped && !entry.in_force() && now.is_some() {
            continue;
        }
        let altered = content(now.as_ref()) != content(entry.last.as_ref());
        match &now {
            Some(there) if altered && to == Point::Shipped => {
                let fitted = entry.last.as_ref();
                plan.findings.push(altered_since::finding(&entry.place, fitted, there));
                continue;
            }
            Some(there) if altered => {
                plan.findings.push(altered_since::told(&entry.place, there));
            }
            _ => {}
        }
        plan.steps.push(Step {
            place: entry.place.clone(),
            family: entry.family.clone(),
            before: now,
            after: target,
            folders: entry.folders,
        });
    }
    Ok(plan)
}

/// The changes up to one, which is among them.
fn until(changes: &[Change], number: i64) -> &[Change] {
    &changes[..changes.partition_point(|change| change.number <= number)]
}

/// What the first change that touched a file found there.
fn first_found(root: &std::path::Path, changes: &[Change], place: &Place) -> Option<Held> {
    let path = place.on(root);
    let mut steps = changes
        .iter()
        .flat_map(|change| change.steps.iter().filter(|step| step.place.on(&change.root) == path));
    steps.next().and_then(|step| step.before.clone())
}
