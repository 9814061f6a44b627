//! Processes of Linux, by `/proc`: also programs of Windows show their libraries there as mapped files.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use file_id::FileId;
use jiff::Timestamp;
use procfs::process::{MMapPath, Process, all_processes};

use super::running::{Mapped, Running, file_at};

/// The suffix of the path of a file that was removed or replaced.
const REMOVED: &str = " (deleted)";

/// A process of the system.
pub(super) struct Candidate {
    pub pid: u32,
    process: Process,
}

/// Every process.
pub(super) fn all() -> Vec<Candidate> {
    let all = all_processes().into_iter().flatten().flatten();
    let candidate = |process: Process| {
        let pid = u32::try_from(process.pid).ok()?;
        Some(Candidate { pid, process })
    };
    all.filter_map(candidate).collect()
}

impl Candidate {
    /// The files mapped into it, as far as this user may see them.
    pub fn look_into(&self, _: &Path) -> Option<Running> {
        let mut files: BTreeMap<PathBuf, FileId> = BTreeMap::new();
        for map in self.process.maps().ok()? {
            if let MMapPath::Path(path) = map.pathname {
                let (major, minor) = map.dev;
                let device_id = rustix::fs::makedev(major.unsigned_abs(), minor.unsigned_abs());
                files.insert(path, FileId::Inode { device_id, inode_number: map.inode });
            }
        }

        // Paths are read in the process's own root. If that is not allowed, the map's own file numbers are used,
        // which some file systems report differently for the file itself.
        let root = PathBuf::from(format!("/proc/{}/root", self.pid));
        let can_enter = root.join(".").symlink_metadata().is_ok();
        let mapped = files.into_iter().map(|(path, numbers)| {
            let seen = file_at(&root.join(path.strip_prefix("/").unwrap_or(&path)));
            if let Some(file) = seen.or_else(|| (!can_enter).then_some(numbers)) {
                return Mapped { path, file: Some(file) };
            }
            let text = path.to_string_lossy();
            let path = text.strip_suffix(REMOVED).map_or_else(|| path.clone(), PathBuf::from);
            Mapped { path, file: None }
        });
        Some(Running::new(self.pid, self.began(), mapped))
    }

    /// When it was started.
    fn began(&self) -> Option<Timestamp> {
        let ticks = self.process.stat().ok()?.starttime;
        let boot = i64::try_from(procfs::boot_time_secs().ok()?).ok()?;
        let millis = i64::try_from(ticks * 1000 / procfs::ticks_per_second()).ok()?;
        Timestamp::from_millisecond(boot * 1000 + millis).ok()
    }
}
