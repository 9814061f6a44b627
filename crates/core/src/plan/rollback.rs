//! Plans to restore the shipped state, or the state at an earlier point.

use super::registry::undone_by_files;
use super::shortcut::is_outside;
use super::undo::move_back;
use super::{LONGEST_SETTINGS, Ledger, LedgerEntry, Place, Plan};
use crate::change::{Change, Owner, Purpose, Side, State, Step, Target};
use crate::check::{altered_since, settings_kept};
use crate::error::Result;
use crate::situation::Situation;
use upright_spanner_settings::{Lookup, document};

/// The point that a rollback goes to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Point {
    /// The latest shipped state.
    Shipped,
    /// Right after the change of this number; 0 is before all.
    After(i64),
}

/// The targets that a rollback is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Selection<'a> {
    /// Everything that changes have touched.
    Everything,
    /// One component, by the id of its family.
    Family(&'a str),
    /// The user's saved games.
    Saves,
}

impl Selection<'_> {
    fn includes(self, owner: &Owner) -> bool {
        match self {
            Self::Everything => true,
            Self::Family(id) => owner.is_family(id),
            Self::Saves => *owner == Owner::Saves,
        }
    }

    /// The selection in the summary of a change, after a space.
    fn in_summary(self) -> String {
        match self {
            Self::Everything => String::new(),
            Self::Family(id) => format!(" {id}"),
            Self::Saves => " saves".to_owned(),
        }
    }
}

/// The options of a rollback.
#[derive(Debug, Clone, Copy)]
pub(crate) struct RollbackOptions<'a> {
    /// The targets.
    pub of: Selection<'a>,
    /// The point to restore.
    pub to: Point,
    /// Whether settings that were edited since are restored too.
    pub settings: bool,
}

/// Why a rollback has nothing to do.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NothingToDo {
    /// No change is recorded.
    NothingRecorded,
    /// Every target is as it was then.
    AlreadyThere,
    /// What differs was altered by someone else, or is settings that were edited.
    LeftAlone,
}

/// Plans the way back, of one family or of all that changes have touched.
pub(crate) fn rollback(situation: &Situation<'_>, wanted: RollbackOptions<'_>) -> Result<Plan> {
    let Situation { view, changes, ledger, window, .. } = situation;
    let RollbackOptions { of, to, settings } = wanted;
    let point = match to {
        Point::Shipped => String::new(),
        Point::After(number) => format!(" to change {number}"),
    };
    let mut plan =
        Plan::new(view, Purpose::Rollback, format!("rollback{}{point}", of.in_summary()));
    let root = &view.game.root;
    let up_to_point = match to {
        Point::Shipped => None,
        Point::After(number) => Some(Ledger::of(root, until(changes, number))),
    };
    for entry in ledger.entries().filter(|entry| of.includes(&entry.owner)) {
        let file = entry.target.file();
        let is_outside = file.is_some_and(|file| is_outside(situation, file));
        if entry.target.is_folder() || to == Point::Shipped && is_outside {
            continue;
        }
        // Files of the game itself are as shipped, and saves belong to the user: neither has to be read.
        let is_of_game = entry.owner == Owner::Game && !entry.in_force();
        // A hold is lifted by its own command.
        let is_other = matches!(entry.owner, Owner::Saves | Owner::Hold);
        if to == Point::Shipped && (is_of_game || is_other) {
            continue;
        }
        let is_settings = file.is_some_and(|file| situation.is_users(file, &entry.owner));
        // A target that was not touched by then had the state that the first change found. Edits of settings are not
        // new settings of the game's.
        let target = match &up_to_point {
            None if settings && is_settings => &entry.first,
            None => &entry.shipped,
            Some(then) => then.at(&entry.target).map_or(&entry.first, |known| &known.last),
        };
        let on_disk = window.target_on_disk(ledger, &entry.target);
        let now = window.now(&on_disk)?;
        if let Target::Aside(aside) = &on_disk {
            let goes_aside = target.state.is_absent();
            if to != Point::Shipped && now.state.is_absent() != goes_aside {
                move_back(situation, aside, (now, goes_aside), &entry.owner, &mut plan)?;
            }
            continue;
        }
        // To a point that was named, dates and marks are restored too.
        let is_there = match to {
            Point::Shipped => now.same_as(target),
            Point::After(_) => is_the_same(&now, target),
        };
        if is_there {
            continue;
        }
        // A target in its original state, or one altered since, is the game's own; a missing one is restored.
        let is_own = !(entry.in_force() || settings && is_settings);
        if to == Point::Shipped && is_own && !now.state.is_absent() {
            continue;
        }
        let altered = !now.same_as(&entry.last) && !is_as_tuned(situation, &on_disk, entry)?;
        if altered && !now.state.is_absent() {
            if is_settings && !settings {
                plan.findings.extend(on_disk.file().map(|f| settings_kept::finding(f, &view.game)));
                continue;
            }
            if to == Point::Shipped && !is_settings {
                plan.findings.push(altered_since::left_alone(&on_disk, &entry.last, &now));
                continue;
            }
            // The user asked to restore settings.
            if !is_settings {
                plan.findings.push(altered_since::replaced(&on_disk, &now));
            }
        }
        if target.state.content().is_some_and(|content| !window.has(&content)) {
            plan.findings.push(altered_since::not_stored(&on_disk));
            continue;
        }
        plan.steps.push(Step::of(on_disk, now, target.clone(), &entry.owner));
    }

    if to == Point::Shipped {
        let planned = |step: &Step| plan.steps.iter().any(|own| own.target() == step.target());
        let by_files = undone_by_files(situation, |id| of.includes(&Owner::of_family(id)))?;
        let by_files: Vec<Step> = by_files.into_iter().filter(|step| !planned(step)).collect();
        plan.steps.extend(by_files);
    }
    let was_there = |folder: &Place| up_to_point.as_ref().is_some_and(|then| then.made(folder));
    let folders = ledger.made_folders().filter(|(_, owner)| of.includes(owner));
    let folders = folders.filter(|(folder, _)| !was_there(folder));
    let folders = folders.map(|(folder, owner)| (folder.clone(), owner.clone())).collect();
    plan.arrange_with(folders, situation)?;
    Ok(plan)
}

/// Whether a settings file is as the last change left it, but for keys that changes have set since.
fn is_as_tuned(situation: &Situation<'_>, now: &Target, entry: &LedgerEntry) -> Result<bool> {
    let (Some(place), Some(then)) = (now.file(), entry.last.state.content()) else {
        return Ok(false);
    };
    let mut keys = situation.ledger.keys_in(place).peekable();
    if keys.peek().is_none() || then.size > LONGEST_SETTINGS {
        return Ok(false);
    }
    let then = situation.window.stored(&then)?;
    let mut bytes = situation.window.bytes(place)?;
    for key in keys {
        let untuned = match document::get(key.format, &then, &key.path) {
            Ok(Lookup::Value(value)) => document::set(key.format, &bytes, &key.path, &value),
            Ok(Lookup::Absent { around }) => document::unset(key.format, &bytes, &key.path, around),
            Err(fault) => Err(fault),
        };
        let Ok(untuned) = untuned else { return Ok(false) };
        bytes = untuned;
    }
    Ok(bytes == then)
}

/// Whether content and marks are the same.
fn is_the_same(now: &Side, then: &Side) -> bool {
    match (&now.state, &then.state) {
        (State::File(now), State::File(then)) => {
            now.content == then.content
                && now.stamp.modified == then.stamp.modified
                && now.stamp.read_only == then.stamp.read_only
                && (now.stamp.mode == then.stamp.mode || then.stamp.mode.is_none())
        }
        _ => now.same_as(then),
    }
}

/// The changes up to one, which is among them.
fn until<'a>(changes: &[&'a Change], number: i64) -> impl Iterator<Item = &'a Change> {
    changes.iter().copied().take_while(move |change| change.number() <= number)
}
