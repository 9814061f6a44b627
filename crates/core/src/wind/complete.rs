//! Whether a release is complete: a download that was cut off leaves traces.

use std::path::PathBuf;

use super::{GameTree, Release};
use crate::path::TreePath;

/// A part of a release that is not all there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Incomplete {
    /// Names that files have while something fetches them.
    Remains(Vec<PathBuf>),
    /// Files without content that have some in the game, and images without any.
    Empty(Vec<TreePath>),
    /// Images that are not whole, with why of the first.
    CutShort(Vec<TreePath>, String),
    /// Files that something writes into at this moment.
    Growing(Vec<TreePath>),
}

/// What shows that a release is not all there.
pub(crate) fn incomplete(release: &Release, game: &GameTree) -> Vec<Incomplete> {
    let mut found = Vec::new();
    if !release.unfinished.is_empty() {
        found.push(Incomplete::Remains(release.unfinished.clone()));
    }
    let length =
        |side: &crate::change::Side| side.state.content().map_or(0, |content| content.size);
    let of_game = |path: &TreePath| game.size(path).unwrap_or(0);
    let is_empty = |file: &&super::ReleaseFile| {
        length(&file.side) == 0 && (file.facts.is_some() || of_game(&file.path) > 0)
    };
    let empty: Vec<TreePath> =
        release.files.iter().filter(is_empty).map(|file| file.path.clone()).collect();
    if !empty.is_empty() {
        found.push(Incomplete::Empty(empty));
    }

    let mut cut = Vec::new();
    let mut why = None;
    for file in release.files.iter().filter(|file| length(&file.side) > 0) {
        // What only has such a name, in the game too, is nothing that was cut.
        if let Some(Err(error)) = &file.facts {
            let same_in_game = of_game(&file.path) == length(&file.side);
            if !same_in_game {
                cut.push(file.path.clone());
                why.get_or_insert_with(|| error.clone());
            }
        }
    }
    if let Some(why) = why {
        found.push(Incomplete::CutShort(cut, why));
    }
    let growing = release.files.iter().filter(|file| file.grows).map(|file| file.path.clone());
    let growing: Vec<TreePath> = growing.collect();
    if !growing.is_empty() {
        found.push(Incomplete::Growing(growing));
    }
    found
}
