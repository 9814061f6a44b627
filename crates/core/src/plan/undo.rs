//! Plans to undo one change. An undo is a change too, and can be undone.

use std::collections::BTreeSet;

use super::Plan;
use crate::change::{
    Change, ExecutableMark, Owner, Purpose, RecordState, Side, State, Step, Target, Undoings, winds,
};
use crate::check::{altered_since, fitted_in_the_way, saves_kept};
use crate::error::Result;
use crate::game::telling;
use crate::situation::Situation;
use crate::window::ImageAt;
use upright_spanner_change::{Aside, Place};

/// The changes in effect: done and not undone. An undo does not count; if it is undone itself, the change it had
/// undone counts again.
pub(crate) fn in_effect<'a>(changes: impl IntoIterator<Item = &'a Change>) -> BTreeSet<i64> {
    let mut effective = BTreeSet::new();
    let mut undoings = Undoings::default();
    for change in changes.into_iter().filter(|change| change.state() == RecordState::Done) {
        match undoings.take(change) {
            None => effective.insert(change.number()),
            Some((root, true)) => effective.insert(root),
            Some((root, false)) => effective.remove(&root),
        };
    }

    effective
}

/// The later changes in effect that altered a target of a change, and so depend on it.
pub(crate) fn standing_on<'a>(change: &Change, changes: &[&'a Change]) -> Vec<&'a Change> {
    let effective = in_effect(changes.iter().copied());
    let targets = |change: &Change| -> BTreeSet<String> {
        let own = change.steps().iter().map(Step::target).filter(|target| !target.is_folder());
        // A key that was set in a file depends on the change that put the file there.
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

/// The dependent changes that keep a change from being undone. A component that was fitted after a wind stays fitted
/// when the wind is undone, and is not an obstacle.
pub(crate) fn in_the_way<'a>(
    change: &Change,
    later: Vec<&'a Change>,
    changes: &[&'a Change],
) -> Vec<&'a Change> {
    let all = || changes.iter().copied();
    if !winds(change, all()) {
        return later;
    }
    later.into_iter().filter(|other| winds(other, all())).collect()
}

/// Plans to restore every target to its state before a change that no other depends on.
pub(crate) fn undo(situation: &Situation<'_>, change: &Change) -> Result<Plan> {
    let summary = format!("undo {} ({})", change.number(), change.summary());
    let mut plan = Plan::new(situation.view, Purpose::Undo { change: change.number() }, summary);
    let winds = winds(change, situation.changes.iter().copied());
    let files: Vec<&Place> = change.steps().iter().filter_map(Step::file).collect();
    situation.window.look_ahead(&files);
    let (mut stay, mut saves) = (Vec::new(), 0);
    for step in change.steps().iter().rev() {
        if step.target().is_folder() {
            continue;
        }
        let now = situation.window.now(step.target())?;
        if let Target::Aside(aside) = step.target() {
            let goes_aside = step.before().state.is_absent();
            move_back(situation, aside, (now, goes_aside), step.owner(), &mut plan)?;
            continue;
        }
        if now.same_as(step.before()) {
            continue;
        }
        if !step.alters() {
            saves += 1;
            continue;
        }
        let entry = situation.ledger.at(step.target()).filter(|_| winds);
        let later = entry.filter(|e| e.change != change.number() && e.in_force());
        if let Some(entry) = later.filter(|entry| entry.last.same_as(&now)) {
            let family = entry.owner.family().unwrap_or_default();
            stay.push((family.to_owned(), step.target().to_string()));
            continue;
        }
        if !now.state.is_absent() && !now.same_as(step.after()) {
            plan.findings.push(altered_since::left_alone(step.target(), step.after(), &now));
            continue;
        }
        plan.steps.push(step.taken_back(now));
    }

    if winds {
        plan.executable = executable_before(situation, change).or(plan.executable);
    }
    if saves > 0 {
        plan.findings.push(saves_kept::changed(&plan.game.id, change.number(), saves));
    }
    if !stay.is_empty() {
        plan.findings.push(fitted_in_the_way::stays(&stay));
    }
    plan.arrange(situation)?;
    Ok(plan)
}

/// Plans to bring back a tree that was moved aside, or to move it aside again.
pub(super) fn move_back(
    situation: &Situation<'_>,
    aside: &Aside,
    (now, goes_aside): (Side, bool),
    owner: &Owner,
    plan: &mut Plan,
) -> Result<()> {
    let from = if goes_aside { &aside.place } else { &aside.kept };
    let Some((tree, text)) = situation.window.tree(from)? else {
        plan.findings.push(altered_since::not_kept(&aside.place, &from.on(&plan.game.root)));
        return Ok(());
    };
    let state = Side::from(State::Tree(tree));
    let (before, after) = if goes_aside {
        (state, Side::ABSENT)
    } else if now.state.is_absent() {
        (now, state)
    } else {
        plan.findings.push(altered_since::occupied(&aside.place, &aside.kept.on(&plan.game.root)));
        return Ok(());
    };
    plan.steps.push(Step::of(Target::Aside(aside.clone()), before, after, owner));
    plan.made.push(text.into_bytes());
    Ok(())
}

/// The executable as it was before a change that brought another.
fn executable_before(situation: &Situation<'_>, change: &Change) -> Option<ExecutableMark> {
    let executable = situation.view.executable()?;
    let place = Place::from(executable.path.clone());
    let mut steps = change.steps().iter().filter(|step| step.alters());
    let step = steps.find(|step| step.file().is_some_and(|file| file.same_as(&place)))?;
    let facts = situation.window.facts(ImageAt::Stored(&step.before().state.content()?))?;
    let version = facts.version().filter(telling);
    Some(ExecutableMark {
        path: executable.path.clone(),
        version,
        size: facts.size,
        stamp: facts.stamp,
    })
}
