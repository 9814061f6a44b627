//! Whether a folder holds files of a game, at the game's own level.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use super::GameTree;
use crate::path::{TreePath, fold, same_name};

/// The relation of a release's paths to those of the game.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Level {
    /// Enough of them are the game's own.
    Fits,
    /// They would be, from a folder further in.
    Inside(String),
    /// They would be, from the folder around it.
    Around(PathBuf),
    /// They are those of a folder of the game, and must be in a folder of that name.
    Below(String),
    /// Too few of them are the game's own, at whatever level.
    Foreign,
}

/// What part of the paths is in common if a folder is of the game: a release has more, and lacks some.
const ENOUGH: f64 = 0.2;

/// The level of some paths below `given`. If the game's executable is among them, that tells.
pub(crate) fn level(
    paths: &[&TreePath],
    game: &GameTree,
    executable: Option<&TreePath>,
    given: &Path,
) -> Level {
    if paths.is_empty() || game.is_empty() {
        return Level::Fits;
    }
    let share = |hits: usize| hits as f64 / paths.len() as f64;
    let own = paths.iter().filter(|path| game.has(path)).count();
    let is_program = |path: &TreePath| executable.is_some_and(|own| own.same_as(path));
    if share(own) >= ENOUGH || paths.iter().any(|path| is_program(path)) {
        return Level::Fits;
    }
    let around = paths.iter().find_map(|path| {
        let cut = path.as_str().match_indices('/').map(|(at, _)| path.as_str().split_at(at));
        let mut levels =
            cut.filter_map(|(folder, rest)| Some((folder, TreePath::new(&rest[1..]).ok()?)));
        levels.find(|(_, rest)| is_program(rest)).map(|(folder, _)| folder.to_owned())
    });
    if let Some(folder) = around {
        return Level::Inside(folder);
    }

    // One or two folders further in, each with its share of common paths.
    let mut inside: BTreeMap<&str, usize> = BTreeMap::new();
    for path in paths {
        for (at, _) in path.as_str().match_indices('/').take(2) {
            let (folder, rest) = path.as_str().split_at(at);
            if TreePath::new(&rest[1..]).is_ok_and(|rest| game.has(&rest)) {
                *inside.entry(folder).or_default() += 1;
            }
        }
    }
    let inside = inside.into_iter().max_by_key(|(_, hits)| *hits);

    // The game's folders that match it, each with its share of common paths.
    let folders = game.folders().iter().filter(|folder| folder.depth() < 2);
    let below = folders.map(|folder| {
        let would_be = |path: &&&TreePath| {
            TreePath::new(&format!("{folder}/{path}")).is_ok_and(|p| game.has(&p))
        };
        (folder, paths.iter().filter(would_be).count())
    });
    let below = below.max_by_key(|(_, hits)| *hits);

    let better = |hits: usize| hits > own && share(hits) >= ENOUGH;
    match (inside, below) {
        (Some((folder, hits)), below)
            if better(hits) && below.is_none_or(|(_, other)| other <= hits) =>
        {
            Level::Inside(folder.to_owned())
        }
        (_, Some((folder, hits))) if better(hits) => {
            let named = given.file_name().is_some_and(|name| {
                same_name(&fold(&name.to_string_lossy()), &fold(folder.as_str()))
            });
            match given.parent().filter(|_| named) {
                Some(around) => Level::Around(around.to_owned()),
                None => Level::Below(folder.to_string()),
            }
        }
        _ if own == 0 || share(own) < ENOUGH / 4.0 => Level::Foreign,
        _ => Level::Fits,
    }
}
