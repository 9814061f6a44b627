//! Space in the home for unpacked files: one folder for each run, locked while it is in use. An unlocked folder was
//! left by a run that was killed.

use std::fs;
use std::path::{Path, PathBuf};

use crate::error::{Error, Result};
use upright_spanner_change::{Lock, fault};

/// A folder to unpack into, removed when it is dropped.
#[derive(Debug)]
pub(crate) struct Scratch {
    folder: PathBuf,
    lock: Option<Lock>,
}

impl Scratch {
    /// Makes a folder in `space`, which is created if needed, and removes folders left there.
    pub fn new(space: &Path) -> Result<Self> {
        fs::create_dir_all(space).map_err(Error::io("make", space))?;
        // Whoever clears must not find a folder that is not locked yet.
        let _making = Lock::take(space)?;
        // What cannot be removed now is removed by a later run.
        let _ = remove_left(space);
        let made = tempfile::Builder::new().prefix("").tempdir_in(space);
        let folder = made.map_err(Error::io("make a folder in", space))?.keep();
        let lock = Lock::take(&folder)?;
        Ok(Self { folder, lock: Some(lock) })
    }

    pub fn folder(&self) -> &Path {
        &self.folder
    }

    /// How many bytes there is room for.
    pub fn room(&self) -> Result<u64> {
        let free = fs4::available_space(&self.folder);
        Ok(fault::room(free.map_err(Error::io("look at", &self.folder))?))
    }
}

impl Drop for Scratch {
    fn drop(&mut self) {
        // On Windows the lock is a file in it.
        self.lock = None;
        let _ = fs::remove_dir_all(&self.folder);
    }
}

/// What runs that were killed have left in a folder for scratch. Nothing is altered.
pub(crate) fn scratch_left(space: &Path) -> Vec<PathBuf> {
    let entries = fs::read_dir(space).into_iter().flatten().flatten();
    let folders = entries.filter(|entry| entry.file_type().is_ok_and(|kind| kind.is_dir()));
    let mut left: Vec<PathBuf> =
        folders.map(|entry| entry.path()).filter(|folder| !Lock::is_held(folder)).collect();
    left.sort();
    left
}

/// Removes left folders, and returns their paths.
pub(crate) fn clear_scratch(space: &Path) -> Result<Vec<PathBuf>> {
    if scratch_left(space).is_empty() {
        return Ok(Vec::new());
    }
    let _making = Lock::take(space)?;
    remove_left(space)
}

/// Must be called while no one makes a folder there.
fn remove_left(space: &Path) -> Result<Vec<PathBuf>> {
    let left = scratch_left(space);
    for folder in &left {
        fs::remove_dir_all(folder).map_err(Error::io("remove", folder))?;
    }
    Ok(left)
}
