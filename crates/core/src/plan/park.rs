//! Plans to take a component out for now, and to put it back as it was.

use super::registry::undone_by_files;
use super::{Place, Plan};
use crate::catalog::Role;
use crate::change::{Change, Owner, Purpose, Side, Step, Target};
use crate::check::altered_since;
use crate::error::Result;
use crate::path::same_name;
use crate::situation::Situation;
use crate::survey::Library;

/// Plans to park a family: files that spanner put there are replaced by the shipped ones, and a component that no
/// game ships is removed. Settings stay. Empty, if the component is the game's own.
pub(crate) fn park(situation: &Situation<'_>, family: &str) -> Result<Plan> {
    let Situation { view, ledger, window, .. } = situation;
    let owner = Owner::of_family(family);
    let mut plan =
        Plan::new(view, Purpose::Park { family: family.to_owned() }, format!("park {family}"));
    for (place, entry) in ledger.files().filter(|(_, entry)| entry.owner.is_family(family)) {
        if !entry.in_force() || situation.is_users(place, &entry.owner) {
            continue;
        }
        let place = window.on_disk(ledger, place);
        let now = window.file(&place)?;
        if !now.same_as(&entry.shipped) {
            plan.steps.push(Step::replace(place, now, entry.shipped.clone(), &owner));
        }
    }

    // Settings files stay, but registry values belong to the component.
    let values = ledger.entries().filter(|entry| entry.owner.is_family(family));
    for entry in values.filter(|entry| entry.in_force()) {
        if !matches!(entry.target, Target::Value(_)) {
            continue;
        }
        let now = window.now(&entry.target)?;
        if now.same_as(&entry.last) {
            let (target, shipped) = (entry.target.clone(), entry.shipped.clone());
            plan.steps.push(Step::of(target, now, shipped, &owner));
        }
    }

    let by_files = undone_by_files(situation, |name| same_name(name, family))?;
    for step in by_files {
        if !plan.steps.iter().any(|own| own.target() == step.target()) {
            plan.steps.push(step);
        }
    }

    let added = |library: &&Library| {
        matches!(library.role, Role::Extender | Role::Loader | Role::Overlay)
            && same_name(&library.family, family)
            && !library.put_aside
    };
    for library in view.libraries.iter().filter(added) {
        let place = Place::from(library.path.clone());
        if plan.steps.iter().filter_map(Step::file).any(|other| other.same_as(&place)) {
            continue;
        }
        let now = window.file(&place)?;
        if !now.state.is_absent() {
            plan.steps.push(Step::replace(place, now, Side::ABSENT, &owner));
        }
    }

    let folders = ledger.made_folders().filter(|(_, owner)| owner.is_family(family));
    let folders = folders.map(|(folder, owner)| (folder.clone(), owner.clone())).collect();
    plan.arrange_with(folders, situation)?;
    Ok(plan)
}

/// Plans to restore the files that a `park` removed. A file that the launcher put there in the meantime is replaced,
/// and becomes the shipped one; a file of the user's is left alone.
pub(crate) fn unpark(situation: &Situation<'_>, parked: &Change, family: &str) -> Result<Plan> {
    let purpose = Purpose::Unpark { change: parked.number() };
    let mut plan = Plan::new(situation.view, purpose, format!("unpark {family}"));
    for step in parked.steps() {
        if step.target().is_folder() {
            continue;
        }
        let now = situation.window.now(step.target())?;
        if now.same_as(step.before()) {
            continue;
        }
        // The game brought nothing there before: a stranger's file is not ours to replace.
        if !now.state.is_absent() && step.after().state.is_absent() {
            plan.findings.push(altered_since::left_alone(step.target(), &Side::ABSENT, &now));
        } else {
            plan.steps.push(step.taken_back(now));
        }
    }

    plan.arrange(situation)?;
    Ok(plan)
}
