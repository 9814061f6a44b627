//! Contents that come from outside with a change: most go into the store, and steps that place them need not
//! wait until they are there.

use std::collections::HashMap;
use std::fs::File;
use std::path::{Path, PathBuf};

use crate::content::{Content, FileState};
use crate::error::{Error, Result};
use crate::store::Store;

/// A content that comes from outside once the journal names it.
#[derive(Debug)]
pub enum Supply {
    /// These bytes.
    Bytes(Vec<u8>),
    /// A file that must have this content.
    File(PathBuf, Content),
    /// A file that is placed but not stored: the user still has it.
    Passing(PathBuf, Content),
}

impl Supply {
    fn content(&self) -> Content {
        match self {
            Self::Bytes(bytes) => Content::of_bytes(bytes),
            Self::File(_, content) | Self::Passing(_, content) => *content,
        }
    }

    /// Stores it; done when it is durable.
    pub(crate) fn keep(&self, store: &Store) -> Result<()> {
        match self {
            Self::Bytes(bytes) => store.keep_bytes(bytes).map(drop),
            Self::File(path, content) => store.keep(&open(path)?, content, path),
            Self::Passing(..) => Ok(()),
        }
    }

    /// Puts it into a new, empty file and gives that its marks; read back and durable when done.
    fn place(&self, store: &Store, state: &FileState, target: &File, path: &Path) -> Result<()> {
        match self {
            Self::Bytes(bytes) => Store::place_bytes(bytes, state, target, path),
            Self::File(origin, _) | Self::Passing(origin, _) => {
                store.place_file(&open(origin)?, origin, state, target, path)
            }
        }
    }
}

fn open(path: &Path) -> Result<File> {
    File::open(path).map_err(Error::io("read", path))
}

/// The supplies of one change, by content.
#[derive(Debug, Default)]
pub(crate) struct Supplies<'a>(HashMap<Content, &'a Supply>);

impl<'a> Supplies<'a> {
    pub fn new(supplies: &'a [Supply]) -> Self {
        Self(supplies.iter().map(|supply| (supply.content(), supply)).collect())
    }

    pub fn has(&self, content: &Content) -> bool {
        self.0.contains_key(content)
    }

    /// Puts a content into a new, empty file: from a supply that has it, else from the store.
    pub fn place(
        &self,
        store: &Store,
        state: &FileState,
        target: &File,
        path: &Path,
    ) -> Result<()> {
        match self.0.get(&state.content) {
            Some(supply) => supply.place(store, state, target, path),
            None => store.place(state, target, path),
        }
    }
}
