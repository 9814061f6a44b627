//! A wind in a few numbers: by kind, the largest files, the components that change with it.

use std::collections::BTreeMap;

use crate::change::{Side, Step};
use crate::path::{TreePath, extension};
use crate::rack::is_settings_name;
use crate::survey::GameView;
use upright_spanner_change::Place;
use upright_spanner_image::Version;

/// A wind in a few numbers.
#[derive(Debug, Clone, Default)]
pub struct Outline {
    /// Files that are replaced.
    pub replaced: usize,
    /// Files that the game does not have.
    pub new: usize,
    /// Files that are the same.
    pub same: usize,
    /// Files that are moved aside.
    pub aside: u64,
    /// Settings files of the user that keep their values.
    pub settings: usize,
    /// Files of saves that are kept with it.
    pub saves: usize,
    /// The version of the executable before and after, if it states one.
    pub version: Option<(Option<Version>, Option<Version>)>,
    /// The files by kind; those with the most bytes first.
    pub kinds: Vec<Kind>,
    /// The largest of its files that are not the same, with their lengths.
    pub largest: Vec<(TreePath, u64)>,
    /// Components whose version changes with it: the place, the version before and after.
    pub components: Vec<(TreePath, String, String)>,
}

/// The files of one kind.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Kind {
    /// The name of the kind, in the plural.
    pub name: String,
    /// How many are replaced.
    pub replaced: usize,
    /// How many are new.
    pub new: usize,
    /// How many are the same.
    pub same: usize,
    /// Bytes of those that are replaced or new.
    pub bytes: u64,
}

/// So many kinds have their own line.
const MOST_KINDS: usize = 8;

/// So many of the largest files are named.
const MOST_LARGEST: usize = 5;

/// The outline of a release: each path with its present and its new state.
pub(crate) fn outline<'a>(
    view: &GameView,
    files: impl IntoIterator<Item = (&'a TreePath, &'a Side, &'a Side)>,
) -> Outline {
    let mut outline = Outline::default();
    let mut kinds: BTreeMap<String, Kind> = BTreeMap::new();
    let length = |side: &Side| side.state.content().map_or(0, |content| content.size);
    for (path, before, after) in files {
        let name = kind_of(path.file_name());
        let kind = kinds.entry(name.clone()).or_insert_with(|| Kind { name, ..Kind::default() });
        if before.same_as(after) {
            kind.same += 1;
            continue;
        }
        kind.bytes += length(after);
        if before.state.is_absent() {
            kind.new += 1;
        } else {
            kind.replaced += 1;
        }
        outline.largest.push((path.clone(), length(after)));
        if let (Some(was), Some(is)) = (&before.label, &after.label) {
            if was != is && view.libraries.iter().any(|library| library.path == *path) {
                outline.components.push((path.clone(), was.clone(), is.clone()));
            }
        }
    }

    outline.replaced = kinds.values().map(|kind| kind.replaced).sum();
    outline.new = kinds.values().map(|kind| kind.new).sum();
    outline.same = kinds.values().map(|kind| kind.same).sum();
    outline.largest.sort_by_key(|(path, size)| (std::cmp::Reverse(*size), path.clone()));
    outline.largest.truncate(MOST_LARGEST);
    outline.kinds = kinds.into_values().collect();
    outline.kinds.sort_by_key(|kind| std::cmp::Reverse((kind.bytes, kind.same)));
    if outline.kinds.len() > MOST_KINDS {
        let rest = outline.kinds.split_off(MOST_KINDS - 1);
        let others = rest.into_iter().fold(Kind::default(), |sum, kind| Kind {
            name: "others".to_owned(),
            replaced: sum.replaced + kind.replaced,
            new: sum.new + kind.new,
            same: sum.same + kind.same,
            bytes: sum.bytes + kind.bytes,
        });
        outline.kinds.push(others);
    }
    outline
}

/// The kind of a file by its name.
fn kind_of(name: &str) -> String {
    match extension(name).as_str() {
        "exe" => "programs".to_owned(),
        "dll" | "asi" => "libraries".to_owned(),
        _ if is_settings_name(name) => "settings".to_owned(),
        "" => "without an ending".to_owned(),
        ending => format!(".{ending}"),
    }
}

impl Outline {
    /// Counts the steps that are not files of the release.
    pub(crate) fn with_steps(mut self, steps: &[Step], is_save: impl Fn(&Place) -> bool) -> Self {
        for step in steps {
            if let upright_spanner_change::State::Tree(tree) = &step.before().state {
                self.aside += tree.files;
            }
            if !step.alters() && step.file().is_some_and(&is_save) {
                self.saves += 1;
            }
        }
        self
    }
}
