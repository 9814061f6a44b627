//! What happens to folders follows from what happens to files: those that a file comes to are made
//! first, and those that a change made once go last, when nothing is left in them.

use std::collections::BTreeSet;

use super::Place;
use crate::change::{Owner, Side, State, Step, Target};

use crate::error::Result;
use crate::situation::Situation;
use upright_spanner_change::Aside;

/// The steps about files, with those about folders around them. `candidates` are further folders, each
/// with its owner, which go if a change made them and nothing is left in them.
pub(super) fn arrange(
    steps: Vec<Step>,
    candidates: Vec<(Place, Owner)>,
    situation: &Situation<'_>,
) -> Result<Vec<Step>> {
    let Situation { ledger, window, .. } = situation;
    let others = in_order(steps.into_iter().filter(|step| !step.target().is_folder()).collect());
    let mut goes: Vec<(&Step, &Place)> = Vec::new();
    let mut comes: Vec<(&Step, &Place)> = Vec::new();
    for step in &others {
        let leaves = step.after().state.is_absent();
        match step.target() {
            Target::File(place) if leaves => goes.push((step, place)),
            Target::File(place) => comes.push((step, place)),
            // Moving aside removes a tree from one place and adds it at another, in either direction.
            Target::Aside(Aside { place, kept }) => {
                let (from, to) = if leaves { (place, kept) } else { (kept, place) };
                goes.push((step, from));
                comes.push((step, to));
            }
            _ => {}
        }
    }
    let mut made: BTreeSet<Place> = BTreeSet::new();
    let mut arranged = Vec::new();

    for (step, place) in &comes {
        for folder in window.missing_folders(place)? {
            if made.insert(folder.clone()) {
                arranged.push(Step::make_folder(folder, step.owner()));
            }
        }
    }

    let mut gone: BTreeSet<Place> = goes.iter().map(|(_, place)| (*place).clone()).collect();
    let stays: BTreeSet<Place> = comes.iter().flat_map(|(_, place)| place.folders()).collect();
    // The deepest first: whether a folder is empty decides about the one around it.
    let mut around: Vec<(Place, Owner)> = goes
        .iter()
        .flat_map(|(step, place)| {
            let owner = step.owner().clone();
            place.folders().into_iter().map(move |folder| (folder, owner.clone()))
        })
        .chain(candidates)
        .collect();
    around.sort_by_key(|(folder, _)| (std::cmp::Reverse(folder.path().depth()), folder.clone()));
    around.dedup_by(|a, b| a.0 == b.0);

    let mut removed = Vec::new();
    for (folder, owner) in around {
        if stays.contains(&folder) || !ledger.made(&folder) {
            continue;
        }
        // A folder that is something else by now, or cannot be read, stays.
        let now = window.now(&Target::Folder(folder.clone())).map(|side| side.state);
        let Ok(State::Folder(mode)) = now else { continue };
        let (entries, others) = window.entries(&folder)?;
        if others == 0 && entries.iter().all(|entry| gone.contains(entry)) {
            gone.insert(folder.clone());
            removed.push(Step::remove_folder(folder, mode, &owner));
        }
    }

    arranged.extend(others);
    arranged.extend(removed);
    Ok(arranged)
}

/// The steps in a possible order: a read-only mark is removed before the file is altered, and set after it has its
/// final content. Keys of a file that is replaced go with it.
fn in_order(steps: Vec<Step>) -> Vec<Step> {
    let files: Vec<(Place, bool)> = steps
        .iter()
        .filter_map(|step| Some((step.file()?.clone(), step.after().state.is_absent())))
        .collect();
    let of = |place: &Place| files.iter().find(|(file, _)| file.same_as(place));
    let marks: Vec<(Place, bool)> = steps
        .iter()
        .filter_map(|step| match step.target() {
            Target::ReadOnly(place) => Some((place.clone(), step.after().state.is_marked())),
            _ => None,
        })
        .collect();
    let (mut first, mut middle, mut last) = (Vec::new(), Vec::new(), Vec::new());
    for step in steps {
        match step.target() {
            Target::Setting(key) if of(&key.place).is_some() => {}
            Target::ReadOnly(place) if of(place).is_some_and(|(_, goes)| *goes) => {
                let (target, before) = (step.target().clone(), step.before().clone());
                first.push(Step::of(target, before, Side::ABSENT, step.owner()));
            }
            Target::ReadOnly(_) if step.after().state.is_marked() => last.push(step),
            Target::ReadOnly(_) => first.push(step),
            Target::File(place) => {
                let mark = marks.iter().find(|(marked, _)| marked.same_as(place));
                middle.push(mark.map_or(step.clone(), |(_, set)| step.marked(*set)));
            }
            _ => middle.push(step),
        }
    }
    first.extend(middle);
    first.extend(last);
    first
}
