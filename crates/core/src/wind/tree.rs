//! The files of a game, whatever they are, by their paths.

use std::collections::{BTreeMap, HashMap};
use std::path::Path;
use std::sync::{Mutex, PoisonError};

use ignore::{WalkBuilder, WalkState};

use crate::path::{TreePath, fold};

/// The files of a game's folder. Links are not followed.
#[derive(Debug, Default)]
pub(crate) struct GameTree {
    /// Each file with its length in bytes.
    files: BTreeMap<TreePath, u64>,
    folders: Vec<TreePath>,
    /// Paths of both as games compare them, each with the tree's own spelling.
    spelled: HashMap<String, TreePath>,
}

impl GameTree {
    /// Lists a game's folder. What cannot be looked into is passed over: an engine that comes to it says so.
    pub fn read(root: &Path) -> Self {
        let found: Mutex<Vec<(TreePath, Option<u64>)>> = Mutex::default();
        let mut walk = WalkBuilder::new(root);
        walk.standard_filters(false).follow_links(false).build_parallel().run(|| {
            Box::new(|entry| {
                let Ok(entry) = entry else { return WalkState::Continue };
                let Ok(path) = TreePath::below(root, entry.path()) else {
                    return WalkState::Continue;
                };
                let Ok(metadata) = entry.metadata() else { return WalkState::Continue };
                let size = metadata.is_file().then_some(metadata.len());
                if metadata.is_file() || metadata.is_dir() {
                    found.lock().unwrap_or_else(PoisonError::into_inner).push((path, size));
                }
                WalkState::Continue
            })
        });
        Self::of(found.into_inner().unwrap_or_else(PoisonError::into_inner))
    }

    /// The tree of some paths: files with their lengths, and folders with none.
    pub fn of(mut paths: Vec<(TreePath, Option<u64>)>) -> Self {
        paths.sort();
        let mut tree = Self::default();
        for (path, size) in paths {
            tree.spelled.entry(fold(path.as_str())).or_insert_with(|| path.clone());
            match size {
                Some(size) => drop(tree.files.insert(path, size)),
                None => tree.folders.push(path),
            }
        }
        tree
    }

    /// Whether it contains no files.
    pub fn is_empty(&self) -> bool {
        self.files.is_empty()
    }

    /// Its files with their lengths.
    pub fn files(&self) -> impl Iterator<Item = (&TreePath, u64)> {
        self.files.iter().map(|(path, size)| (path, *size))
    }

    /// Its folders.
    pub fn folders(&self) -> &[TreePath] {
        &self.folders
    }

    /// The length of the file at a path, however that is spelled.
    pub fn size(&self, path: &TreePath) -> Option<u64> {
        self.files
            .get(path)
            .or_else(|| self.files.get(self.spelled.get(&fold(path.as_str()))?))
            .copied()
    }

    /// Whether there is a file at a path, however that is spelled.
    pub fn has(&self, path: &TreePath) -> bool {
        self.size(path).is_some()
    }

    /// A path in the tree's own spelling, as far as the tree has it.
    pub fn spelling(&self, path: &TreePath) -> TreePath {
        if self.files.contains_key(path) {
            return path.clone();
        }
        if let Some(known) = self.spelled.get(&fold(path.as_str())) {
            return known.clone();
        }
        let own = path.parent().map(|folder| self.spelling(&folder));
        own.and_then(|folder| TreePath::new(&format!("{folder}/{}", path.file_name())).ok())
            .unwrap_or_else(|| path.clone())
    }
}
