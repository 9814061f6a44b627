//! What happens to folders follows from what happens to files: those that a file comes to are made
//! first, and those that a change made once go last, when nothing is left in them.

use std::collections::BTreeSet;

use super::Place;
use crate::change::{State, Step, Target};
use crate::error::Result;
use crate::situation::Situation;

/// The steps about files, with those about folders around them. `candidates` are further folders, each
/// with the family that it came with, which go if a change made them and nothing is left in them.
pub(super) fn arrange(
    steps: Vec<Step>,
    candidates: Vec<(Place, String)>,
    situation: &Situation<'_>,
) -> Result<Vec<Step>> {
    let Situation { ledger, window, .. } = situation;
    let is_file = |step: &Step| matches!(step.target(), Target::File(_));
    let files: Vec<Step> = steps.into_iter().filter(|step| !step.target().is_folder()).collect();
    let mut made: BTreeSet<Place> = BTreeSet::new();
    let mut arranged = Vec::new();

    for step in files.iter().filter(|step| is_file(step) && !step.after().state.is_absent()) {
        for folder in window.missing_folders(step.place())? {
            if made.insert(folder.clone()) {
                arranged.push(Step::make_folder(folder, step.owner()));
            }
        }
    }

    let goes = |step: &&Step| is_file(step) && step.after().state.is_absent();
    let mut gone: BTreeSet<Place> = files.iter().filter(goes).map(|s| s.place().clone()).collect();
    let stays: BTreeSet<Place> = files
        .iter()
        .filter(|step| is_file(step) && !step.after().state.is_absent())
        .flat_map(|step| step.place().folders())
        .collect();
    // The deepest first: what goes from a folder decides whether the one around it goes.
    let mut around: Vec<(Place, String)> = files
        .iter()
        .filter(goes)
        .flat_map(|step| {
            let owner = step.owner().to_owned();
            step.place().folders().into_iter().map(move |folder| (folder, owner.clone()))
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
        // What is something else by now, or cannot be looked at, stays.
        let now = window.now(&Target::Folder(folder.clone())).map(|side| side.state);
        let Ok(State::Folder(mode)) = now else { continue };
        let (entries, others) = window.entries(&folder)?;
        if others == 0 && entries.iter().all(|entry| gone.contains(entry)) {
            gone.insert(folder.clone());
            removed.push(Step::remove_folder(folder, mode, &owner));
        }
    }

    arranged.extend(files);
    arranged.extend(removed);
    Ok(arranged)
}
