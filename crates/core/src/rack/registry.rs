//! `.reg` files of a build: their values, and which of them is the undo file of another.

use super::build::Build;
use super::layout::Policy;
use super::sort::Part;
use crate::content::Content;
use crate::path::{TreePath, fold, stem};
use upright_spanner_settings::registry::{RegFile, RegItem, RegLine};

/// A `.reg` file of a build.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RegistryFile {
    /// Its path in the package.
    pub path: TreePath,
    /// Its lines, in order.
    pub lines: Vec<RegLine>,
    /// How many lines mean nothing to the system, and are passed over.
    pub passed_over: usize,
    /// Whether it takes back what another one, or an installation by hand, has set.
    pub is_undo: bool,
    /// Whether the layout says that its values are set with a fit.
    pub is_set: bool,
}

/// Words in the names of files that take something back.
const UNDOING: [&str; 6] = ["undo", "uninstall", "remove", "revert", "restore", "disable"];

/// The `.reg` files of a build; `read` gives the bytes of a content.
pub fn registry_files(
    build: &Build,
    read: impl Fn(&Content) -> Option<Vec<u8>>,
) -> Vec<RegistryFile> {
    let parts = build.parts.iter().filter(|part| part.part == Part::Registry);
    let file = |part: &super::BuildPart| {
        let RegFile { lines, passed_over } = RegFile::read(&read(&part.content)?)?;
        let acts = || lines.iter().filter(|line| line.item != RegItem::MakeKey);
        let goes = |line: &RegLine| matches!(line.item, RegItem::Delete(_) | RegItem::DeleteKey);
        let name = fold(stem(part.path.file_name()));
        let is_named = UNDOING.iter().any(|word| name.contains(word));
        let is_undo = acts().next().is_some() && (is_named || acts().all(goes));
        let mut places = build.layout.places.iter();
        let is_set =
            places.any(|place| place.from == part.path && place.policy == Policy::Registry);
        let (path, passed_over) = (part.path.clone(), passed_over.len());
        Some(RegistryFile { path, lines, passed_over, is_undo, is_set })
    };
    parts.filter_map(file).collect()
}
