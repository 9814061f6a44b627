//! Plans to take a component out for now, and to put it back as it was.

use super::{Ground, Ledger, Place, Plan, Step, content};
use crate::catalog::Role;
use crate::change::{Change, Deed};
use crate::check::altered_since;
use crate::error::Result;
use crate::path::same_name;
use crate::rack::is_settings_name;
use crate::survey::{GameView, Library};

/// Plans to take a family out: what spanner put there goes back to what the game brought, and what
/// no game ships itself is taken away. Settings stay. Empty, where it is the game's own.
pub(crate) fn park(
    view: &GameView,
    ledger: &Ledger,
    family: &str,
    ground: &dyn Ground,
) -> Result<Plan> {
    let mut plan = Plan::new(view, Deed::Park(family.to_owned()), format!("park {family}"));
    for entry in ledger.entries().filter(|entry| same_name(&entry.family, family)) {
        if !entry.in_force() || is_settings_name(entry.place.path.file_name()) {
            continue;
        }
        let now = ground.now(&entry.place)?;
        if content(now.as_ref()) != content(entry.shipped.as_ref()) {
            plan.steps.push(Step {
                place: entry.place.clone(),
                family: family.to_owned(),
                before: now,
                after: entry.shipped.clone(),
                folders: entry.folders,
            });
        }
    }
    let added = |library: &&Library| {
        matches!(library.role, Role::Extender | Role::Loader | Role::Overlay)
            && same_name(&library.family, family)
            && !library.put_aside
    };
    for library in view.libraries.iter().filter(added) {
        let place = Place::from(library.path.clone());
        if plan.steps.iter().any(|step| step.place.same_as(&place)) {
            continue;
        }
        if let Some(now) = ground.now(&place)? {
            let family = family.to_owned();
            plan.steps.push(Step { place, family, before: Some(now), after: None, folders: 0 });
        }
    }
    Ok(plan)
}

/// Plans to put back what a change took out. What has come into its place meanwhile by the launcher
/// is replaced, and so is the game's own then; what the user put there is left alone.
pub(crate) fn unpark(
    view: &GameView,
    parked: &Change,
    family: &str,
    ground: &dyn Ground,
) -> Result<Plan> {
    let deed = Deed::Unpark(parked.number);
    let mut plan = Plan::new(view, deed, format!("unpark {family}"));
    for step in &parked.steps {
        let now = ground.now(&step.place)?;
        if content(now.as_ref()) == content(step.before.as_ref()) {
            continue;
        }
        match &now {
            // The game brought nothing there before: a stranger's file is not ours to replace.
            Some(there) if step.after.is_none() => {
                plan.findings.push(altered_since::finding(&step.place, None, there));
            }
            _ => plan.steps.push(step.taken_back(now)),
        }
    }
    Ok(plan)
}
