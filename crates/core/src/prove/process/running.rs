//! A process of a game, and the files that are mapped into it.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use file_id::{FileId, get_file_id};
use jiff::Timestamp;

use crate::path::fold;

/// A process of a game.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Running {
    /// Its number.
    pub pid: u32,
    /// When it was started, if the system says it.
    pub since: Option<Timestamp>,
    /// Whether it was seen to have ended.
    pub has_ended: bool,
    /// The files that were mapped into it, by the names of their files in lower case.
    mapped: BTreeMap<String, Vec<Mapped>>,
}

/// A file that is mapped into a process.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(in crate::prove) struct Mapped {
    /// Its path as the process sees it.
    pub path: PathBuf,
    /// Which file it is; nothing if it has been removed since.
    pub file: Option<FileId>,
}

impl Running {
    /// A process with the files mapped into it.
    pub(super) fn new(
        pid: u32,
        since: Option<Timestamp>,
        files: impl IntoIterator<Item = Mapped>,
    ) -> Self {
        let mut mapped: BTreeMap<String, Vec<Mapped>> = BTreeMap::new();
        for file in files {
            let name = fold(&file.path.file_name().unwrap_or_default().to_string_lossy());
            let known = mapped.entry(name).or_default();
            if !known.contains(&file) {
                known.push(file);
            }
        }
        Self { pid, since, has_ended: false, mapped }
    }

    /// The files of a name that were mapped into it.
    pub(in crate::prove) fn mapped(&self, name: &str) -> &[Mapped] {
        self.mapped.get(&fold(name)).map_or(&[], Vec::as_slice)
    }

    pub(super) fn has(&self, name: &str, file: Option<FileId>) -> bool {
        self.mapped(name).iter().any(|mapped| mapped.is(file))
    }

    /// Adds the files mapped by now; earlier ones are kept.
    pub(super) fn learn(&mut self, now: Self) {
        for (name, files) in now.mapped {
            let known = self.mapped.entry(name).or_default();
            let new: Vec<Mapped> = files.into_iter().filter(|file| !known.contains(file)).collect();
            known.extend(new);
        }
    }
}

impl Mapped {
    /// Whether it is a file that is there.
    pub fn is(&self, file: Option<FileId>) -> bool {
        file.is_some() && self.file == file
    }
}

/// Which file is at a path.
pub(in crate::prove) fn file_at(path: &Path) -> Option<FileId> {
    get_file_id(path).ok()
}
