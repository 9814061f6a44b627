//! Why a library is taken for a component: one function a kind of evidence, each from facts alone.
//! No product is known by name.

use std::collections::BTreeMap;
use std::sync::LazyLock;

use serde::Serialize;

use super::{GameView, Library};
use crate::catalog::{companies_agree, keyed_to};
use crate::game::Executable;
use crate::path::{extension, fold, same_name, stem};
use crate::rack::Build;

/// A kind of evidence.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum EvidenceKind {
    /// Same file name and same author as a build on the rack.
    OnRack,
    /// Bears the name of a Windows system library beside a program, and is not the system's own.
    StandIn,
    /// Its name holds the executable's version.
    Keyed,
    /// The same library is in several games.
    Recurring,
    /// Made by another company than the executable.
    Outsider,
    /// Sits beside a renamed copy of itself.
    HandBackup,
}

impl EvidenceKind {
    /// The word used in output and in JSON.
    pub fn name(self) -> &'static str {
        match self {
            Self::OnRack => "on-rack",
            Self::StandIn => "stand-in",
            Self::Keyed => "keyed",
            Self::Recurring => "recurring",
            Self::Outsider => "outsider",
            Self::HandBackup => "hand-backup",
        }
    }
}

/// One reason to take a library for a component.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Evidence {
    /// Its kind.
    pub kind: EvidenceKind,
    /// The particulars, as a phrase.
    pub detail: String,
}

/// Collects what one game's own files show.
pub(super) fn within_game(view: &mut GameView, builds: &[Build]) {
    let executable = view.programs.first();
    let program_folders: Vec<&str> = view.programs.iter().map(|p| p.path.folder()).collect();
    let found: Vec<Vec<Evidence>> = view
        .libraries
        .iter()
        .map(|library| {
            let kinds = [
                (EvidenceKind::OnRack, on_rack(library, builds)),
                (EvidenceKind::StandIn, stand_in(library, &program_folders)),
                (EvidenceKind::Keyed, executable.and_then(|exe| keyed(library, exe))),
                (EvidenceKind::HandBackup, hand_backup(library, &view.libraries)),
                (EvidenceKind::Outsider, executable.and_then(|exe| outsider(library, exe))),
            ];
            let some = kinds.into_iter().filter_map(|(kind, detail)| Some((kind, detail?)));
            some.map(|(kind, detail)| Evidence { kind, detail }).collect()
        })
        .collect();
    for (library, evidence) in view.libraries.iter_mut().zip(found) {
        // A copy that was put aside is told of with the file it is a copy of.
        if !library.is_put_aside() {
            library.evidence = evidence;
        }
    }
}

/// Collects what only several games together show.
pub(super) fn across_games(views: &mut [GameView]) {
    let mut seen: BTreeMap<(String, String), Vec<usize>> = BTreeMap::new();
    for (index, view) in views.iter().enumerate() {
        for library in &view.libraries {
            let games = seen.entry(same_in_games(library)).or_default();
            if games.last() != Some(&index) {
                games.push(index);
            }
        }
    }
    for library in views.iter_mut().flat_map(|view| &mut view.libraries) {
        let games = seen.get(&same_in_games(library)).map_or(0, Vec::len);
        if games > 1 {
            let detail = format!("in {games} of the games surveyed");
            library.evidence.push(Evidence { kind: EvidenceKind::Recurring, detail });
        }
    }
}

/// What makes two libraries in two games the same: name and company.
fn same_in_games(library: &Library) -> (String, String) {
    let company = library.facts.string("CompanyName").unwrap_or_default();
    (fold(library.path.file_name()), fold(company))
}

fn on_rack(library: &Library, builds: &[Build]) -> Option<String> {
    let same = |build: &&Build| {
        same_name(&build.file.name, library.path.file_name())
            && companies_agree(&build.file.facts, &library.facts)
            || build.id.family == library.family
                && build.file.facts.string("CompanyName").is_some()
                && companies_agree(&build.file.facts, &library.facts)
    };
    let build = builds.iter().find(same)?;
    Some(format!("same name and author as {} on the rack", build.id))
}

fn stand_in(library: &Library, program_folders: &[&str]) -> Option<String> {
    let name = library.path.file_name();
    let beside = program_folders.contains(&library.path.folder());
    let company = library.facts.string("CompanyName").unwrap_or_default();
    let own = company.to_lowercase().contains("microsoft");
    (beside && !own && is_windows_library(name))
        .then(|| format!("bears the name of Windows' own {}", name.to_lowercase()))
}

/// Whether Windows itself has a library of that name.
fn is_windows_library(name: &str) -> bool {
    static NAMES: LazyLock<Vec<&str>> = LazyLock::new(|| {
        let lines = include_str!("windows-libraries.txt").lines();
        lines.filter(|line| !line.starts_with('#')).collect()
    });
    let name = fold(name);
    name.strip_suffix(".dll").is_some_and(|stem| NAMES.binary_search(&stem).is_ok())
}

fn keyed(library: &Library, executable: &Executable) -> Option<String> {
    let key = keyed_to(&library.facts, library.path.file_name())?;
    let version = executable.version()?;
    key.same_numbers(&version)
        .then(|| format!("its name holds the version of {}, {key}", executable.path.file_name()))
}

fn outsider(library: &Library, executable: &Executable) -> Option<String> {
    let company = library.facts.string("CompanyName")?;
    let own = executable.facts.string("CompanyName");
    let another = own.is_none_or(|own| !same_name(own, company));
    another.then(|| format!("made by {company}, the game by {}", own.unwrap_or("nobody named")))
}

/// Looks for a renamed copy beside the file.
fn hand_backup(library: &Library, all: &[Library]) -> Option<String> {
    let copy = all.iter().find(|other| {
        let original = original_name(other.path.file_name());
        original.is_some_and(|name| same_name(name, library.path.file_name()))
            && other.path.folder() == library.path.folder()
    })?;
    let version = copy.facts.version().map_or_else(String::new, |v| format!(", version {v}"));
    Some(format!("{} beside it looks like the original{version}", copy.path.file_name()))
}

/// The name that a file had before somebody put it aside by renaming, if it looks like that.
pub(super) fn original_name(name: &str) -> Option<&str> {
    const BEHIND: [&str; 9] =
        [".bak", ".backup", ".old", ".orig", ".original", "_old", "_bak", "~", ".disabled"];
    const BEFORE: [&str; 8] =
        ["old-", "old_", "bak-", "bak_", "backup-", "backup_", "orig-", "original-"];
    let is_library = |name: &&str| extension(name) == "dll";
    let folded = name.to_ascii_lowercase();
    let behind = BEHIND.iter().find(|end| folded.ends_with(*end));
    let before = BEFORE.iter().find(|start| folded.starts_with(*start));
    behind
        .map(|end| &name[..name.len() - end.len()])
        .or_else(|| before.map(|start| &name[start.len()..]))
        .filter(is_library)
        .filter(|name| !stem(name).is_empty())
}
