//! Which folders below a place are games. Works on paths alone.
//!
//! A folder with programs or its own libraries is one game. A folder whose programs all are in sub-folders is one
//! game if it is built like one (folders such as `bin` or `redist`, or a program that has the folder's name), and
//! else a library whose sub-folders are looked at.

use std::collections::BTreeMap;

use super::executable::{holds_installers, is_helper_name, is_runtime_folder, squeeze};
use crate::path::{TreePath, extension, stem};

/// Names that folders inside a game have, and games do not.
const PARTS: [&str; 23] = [
    "bin",
    "bin32",
    "bin64",
    "binaries",
    "x64",
    "x86",
    "win32",
    "win64",
    "windows",
    "system",
    "system32",
    "engine",
    "game",
    "data",
    "tools",
    "support",
    "prerequisites",
    "installers",
    "launcher",
    "plugins",
    "editor",
    "crashreporter",
    "runtime",
];

/// The known facts of a place before it is searched.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Reach {
    /// Nothing: it may be a game, or hold games at any depth.
    Anything,
    /// The user said that each of its sub-folders is a game.
    LibraryRoot,
    /// The user said that it is a game.
    Game,
}

/// A folder of the tree: its own programs and libraries, and its sub-folders that hold any.
#[derive(Default)]
struct Folder<'a> {
    files: Vec<&'a str>,
    folders: BTreeMap<&'a str, Folder<'a>>,
}

impl<'a> Folder<'a> {
    fn insert(&mut self, path: &'a str) {
        match path.split_once('/') {
            None => self.files.push(path),
            Some((folder, rest)) => self.folders.entry(folder).or_default().insert(rest),
        }
    }

    fn programs(&self) -> impl Iterator<Item = &'a str> + '_ {
        let own = self.files.iter().copied().filter(|name| extension(name) == "exe");
        let below = self.folders.values().flat_map(Folder::programs);
        Box::new(own.chain(below)) as Box<dyn Iterator<Item = &'a str> + '_>
    }

    fn has_program(&self) -> bool {
        self.programs().next().is_some()
    }
}

/// The game folders below a place named `name`, relative to it (`""` is the place itself), given
/// the paths of all programs and libraries there.
///
/// A place without any program is taken as one game, so that a folder of libraries can be worked
/// on too.
///
/// `reach` gives the user's statements about a folder, by its path relative to the place.
pub(crate) fn game_folders(
    name: &str,
    images: &[TreePath],
    reach: impl Fn(&str) -> Reach,
) -> Vec<String> {
    let mut tree = Folder::default();
    for path in images {
        tree.insert(path.as_str());
    }
    if images.is_empty() {
        return Vec::new();
    }
    if !tree.has_program() && reach("") != Reach::LibraryRoot {
        return vec![String::new()];
    }

    let mut out = Vec::new();
    collect(&tree, name, "", &reach, &mut out);
    out
}

fn collect(
    folder: &Folder<'_>,
    name: &str,
    path: &str,
    reach: &impl Fn(&str) -> Reach,
    out: &mut Vec<String>,
) {
    let known = reach(path);
    if known == Reach::Game {
        out.push(path.to_owned());
        return;
    }

    // A program that runs others is not a game, wherever it is.
    let is_runtime = !path.is_empty() && is_runtime_folder(name);
    if !folder.has_program() || is_runtime && known == Reach::Anything {
        return;
    }
    if known == Reach::Anything && is_game(folder, name) {
        out.push(path.to_owned());
        return;
    }

    for (child, below) in &folder.folders {
        let path = if path.is_empty() { (*child).to_owned() } else { format!("{path}/{child}") };
        if known != Reach::LibraryRoot {
            collect(below, child, &path, reach, out);
        } else if below.has_program() {
            out.push(path);
        }
    }
}

fn is_game(folder: &Folder<'_>, name: &str) -> bool {
    let games_below = || folder.folders.values().filter(|below| below.has_program()).count();
    let only_helpers = || {
        let mut programs = folder.files.iter().filter(|file| extension(file) == "exe");
        programs.all(|file| is_helper_name(stem(file)))
    };
    if !folder.files.is_empty() {
        // Installers lying about in a library of games do not make it one game.
        return !(only_helpers() && games_below() > 1 && !has_parts(folder));
    }

    let own = squeeze(name);
    let bears_name = |program: &str| {
        let program = squeeze(stem(program));
        own.len() > 2 && (program.contains(&own) || (program.len() > 3 && own.contains(&program)))
    };
    has_parts(folder) || folder.programs().any(bears_name)
}

fn has_parts(folder: &Folder<'_>) -> bool {
    let is_part = |name: String| PARTS.contains(&name.as_str()) || holds_installers(&name);
    folder.folders.keys().any(|child| is_part(child.to_lowercase()))
}
