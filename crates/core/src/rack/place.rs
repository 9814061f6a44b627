//! Where each file of a build goes, and why: relative to the library that a game loads first, or to the game's own
//! folders of the same name.

use std::collections::BTreeSet;

use super::group::Candidate;
use super::layout::{EXE, Placement, Policy, ROOT, SLOT};
use super::sort::{Part, is_settings_name};
use crate::catalog::{Role, companies_agree};
use crate::path::{TreePath, extension, fold, stem};
use upright_spanner_image::Facts;

/// Why the library of a build is one of its files.
pub const NAMESAKE: &str = "the build is named after it";

/// The known facts of a build whose files are placed.
pub(super) struct Site<'a> {
    /// The library that the build is named after.
    pub head: Candidate<'a>,
    pub path: &'a TreePath,
    pub role: Option<Role>,
    pub is_keyed: bool,
    /// Whether nothing else is made of the package's files.
    pub is_alone: bool,
    /// Folders that hold a program that does not go into a game.
    pub others_programs: BTreeSet<&'a str>,
}

/// A file that is placed.
pub(super) struct Piece<'a> {
    pub path: &'a TreePath,
    pub part: Part,
    /// How its kind was found.
    pub reason: &'a str,
    pub facts: Option<&'a Facts>,
    /// Whether it is a library of the build.
    pub is_member: bool,
}

impl Site<'_> {
    /// Whether the component can be installed on its own, rather than only in place of a game's own files.
    pub fn is_installed_alone(&self) -> bool {
        let entry = matches!(self.role, Some(Role::Extender | Role::Loader | Role::Overlay));
        entry || self.is_keyed || self.head.is_entry()
    }

    fn bay(&self) -> &'static str {
        if self.is_installed_alone() { EXE } else { SLOT }
    }

    /// The place of a file, if it has one, and the reason.
    pub fn place(&self, piece: &Piece<'_>) -> (Option<Placement>, String) {
        let why_not = match piece.part {
            _ if piece.path == self.path => {
                let to = TreePath::new(self.path.file_name()).ok();
                let placed = to.map(|to| placement(piece, self.bay(), to));
                return (placed, NAMESAKE.to_owned());
            }
            Part::Payload | Part::DebugBuild if piece.is_member => None,
            Part::Payload | Part::DebugBuild => Some("it belongs to another build".to_owned()),
            Part::Program => self.against_program(piece),
            Part::Settings => self.against_settings(piece),
            Part::Data => self.against_data(piece),
            Part::Documentation | Part::Developer | Part::Symbols | Part::Registry => {
                Some(piece.reason.to_owned())
            }
        };
        if let Some(why) = why_not {
            return (None, why);
        }
        let (bay, to, why) = self.destination(piece);
        (to.map(|to| placement(piece, bay, to)), why)
    }

    fn destination(&self, piece: &Piece<'_>) -> (&'static str, Option<TreePath>, String) {
        let head = self.head.name;
        let near = below(self.path.folder(), piece.path);
        if let Some(data) = in_data_folder(piece.path).filter(|_| self.bay() == EXE) {
            return (ROOT, Some(data), "games have such a folder".to_owned());
        }
        match near {
            Some(near) if near.folder().is_empty() => {
                (self.bay(), Some(near), format!("it is beside {head}"))
            }
            Some(near) => (self.bay(), Some(near), format!("it is below {head}")),
            None if !piece.part.is_library() => {
                let why = match self.bay() {
                    EXE => "it is in a folder beside the library's",
                    _ => "the game has such a folder",
                };
                (ROOT, Some(piece.path.clone()), why.to_owned())
            }
            None => {
                let name = TreePath::new(piece.path.file_name()).ok();
                (self.bay(), name, format!("it comes with {head}"))
            }
        }
    }

    /// A program comes along that starts an extender, or that is of the same product.
    fn against_program(&self, piece: &Piece<'_>) -> Option<String> {
        const INSTALLERS: [&str; 6] = ["setup", "install", "unins", "update", "crash", "report"];
        let name = fold(piece.path.file_name());
        if self.bay() != EXE || INSTALLERS.iter().any(|word| name.contains(word)) {
            return Some("it is a program that no game needs".to_owned());
        }
        let (Some(head), Some(program)) = (self.head.facts, piece.facts) else {
            return Some("nothing shows that it belongs to the library".to_owned());
        };
        let is_of_it = if self.head.is_extender() {
            companies_agree(head, program) && head.machine == program.machine
        } else {
            let product = |facts: &Facts| facts.string("ProductName").map(fold);
            product(head).is_some() && product(head) == product(program)
        };
        (!is_of_it).then(|| "nothing shows that it belongs to the library".to_owned())
    }

    /// A settings file belongs to the library that it is named after, or to the only one that it could belong to.
    fn against_settings(&self, piece: &Piece<'_>) -> Option<String> {
        if self.is_named_after(piece.path) {
            return None;
        }
        if !self.is_alone {
            return Some("it could be of another build of the package".to_owned());
        }
        None
    }

    fn against_data(&self, piece: &Piece<'_>) -> Option<String> {
        const SCRIPTS: [&str; 6] = ["bat", "cmd", "ps1", "sh", "msi", "vbs"];
        let folder = piece.path.folder();
        if SCRIPTS.contains(&extension(piece.path.file_name()).as_str()) {
            return Some("it is meant to be run by hand".to_owned());
        }
        if self.is_named_after(piece.path) {
            return None;
        }
        if !self.is_alone {
            return Some("it could be of another build of the package".to_owned());
        }
        if self.bay() == EXE {
            return None;
        }
        let is_others = self.others_programs.contains(folder);
        is_others.then(|| "it is beside a program that is not for games".to_owned())
    }

    /// Whether a file has the library's name, with more behind it or not.
    fn is_named_after(&self, path: &TreePath) -> bool {
        let own = fold(stem(self.head.name));
        let name = fold(stem(path.file_name()));
        name.strip_prefix(&own).is_some_and(|rest| !rest.starts_with(|c: char| c.is_alphanumeric()))
    }
}

fn placement(piece: &Piece<'_>, bay: &str, to: TreePath) -> Placement {
    let policy = policy(piece.path, piece.part);
    Placement { from: piece.path.clone(), bay: bay.to_owned(), to, policy, start: false }
}

/// A path below a folder, relative to it.
fn below(folder: &str, path: &TreePath) -> Option<TreePath> {
    if folder.is_empty() {
        return Some(path.clone());
    }
    let rest = path.as_str().strip_prefix(folder)?.strip_prefix('/')?;
    TreePath::new(rest).ok()
}

/// The part of a path from a folder called `data` on: such a folder is merged with the game's own.
pub(super) fn in_data_folder(path: &TreePath) -> Option<TreePath> {
    let mut rest = path.as_str();
    loop {
        let (folder, below) = rest.split_once('/')?;
        if fold(folder) == "data" {
            return TreePath::new(rest).ok();
        }
        rest = below;
    }
}

fn policy(path: &TreePath, part: Part) -> Policy {
    const MERGED: [&str; 3] = ["ini", "cfg", "conf"];
    if part != Part::Settings && (part == Part::Data || !is_settings_name(path.file_name())) {
        Policy::Replace
    } else if MERGED.contains(&extension(path.file_name()).as_str()) {
        Policy::Merge
    } else {
        Policy::Keep
    }
}
