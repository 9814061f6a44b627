//! `newer-content`: files that only the newer release has, and that an older executable would come across.

use std::collections::{BTreeMap, BTreeSet};

use crate::change::Owner;
use crate::finding::{Finding, Severity};
use crate::path::{TreePath, extension, fold};
use crate::rack::is_settings_name;
use crate::remedy::Action;
use crate::situation::Situation;
use crate::wind::{GameTree, Release};
use upright_spanner_change::Place;

/// So many files of a kind in one folder of the release show that the game takes whatever it finds there.
const A_ROW: usize = 2;

/// A hint at what an older executable would load or list: files of a kind of which the release has several in the
/// same folder, and libraries beside the executable.
pub(crate) fn finding(
    situation: &Situation<'_>,
    release: &Release,
    tree: &GameTree,
    is_save: impl Fn(&TreePath) -> bool,
) -> Option<Finding> {
    let row = |path: &TreePath| (fold(path.folder()), extension(path.file_name()));
    let mut rows: BTreeMap<(String, String), usize> = BTreeMap::new();
    let mut brought = BTreeSet::new();
    for file in &release.files {
        *rows.entry(row(&file.path)).or_default() += 1;
        brought.insert(fold(file.path.as_str()));
    }
    let beside = situation.view.executable().map(|executable| fold(executable.path.folder()));
    let is_seen = |path: &TreePath| {
        let (folder, ending) = row(path);
        let is_library = ["dll", "asi"].contains(&&*ending) && Some(&folder) == beside.as_ref();
        let listed = rows.get(&(folder, ending.clone())).is_some_and(|files| *files >= A_ROW);
        !ending.is_empty() && (is_library || listed)
    };
    let is_ours = |path: &TreePath| {
        let entry = situation.ledger.get(&Place::from(path.clone()));
        entry.is_some_and(|entry| entry.in_force() && entry.owner != Owner::Game)
    };
    let only_newer = tree.files().map(|(path, _)| path).filter(|path| {
        !brought.contains(&fold(path.as_str()))
            && !is_settings_name(path.file_name())
            && is_seen(path)
            && !is_ours(path)
            && !is_save(path)
    });
    let names: Vec<String> = only_newer.map(ToString::to_string).collect();
    let (first, others) = names.split_first()?;
    let shown = match others.len() {
        0 => format!("{first} is"),
        1 => format!("{first} and 1 more are"),
        more => format!("{first} and {more} more are"),
    };
    let sentence = format!("{shown} not of this release, and the game may load it all the same.");
    let remedy = (
        "If the older game must not see it, have it moved aside",
        Action::SetAside { pattern: first.clone().into() },
    );
    let mut finding = Finding::new("newer-content", Severity::Note, sentence, remedy);
    finding.names = names;
    Some(finding)
}
