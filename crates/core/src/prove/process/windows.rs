//! Processes on Windows: modules are listed only for those that run the game's executable.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

use jiff::Timestamp;
use sysinfo::{ProcessRefreshKind, ProcessesToUpdate, System, UpdateKind};

use super::running::{Mapped, Running, file_at};
use crate::path::fold;

/// A process of the system.
pub(super) struct Candidate {
    pub pid: u32,
    since: Option<Timestamp>,
    program: Option<PathBuf>,
}

/// Every process.
pub(super) fn all() -> Vec<Candidate> {
    let mut system = System::new();
    let wanted = ProcessRefreshKind::nothing().with_exe(UpdateKind::Always);
    system.refresh_processes_specifics(ProcessesToUpdate::All, true, wanted);
    let candidate = |process: &sysinfo::Process| Candidate {
        pid: process.pid().as_u32(),
        since: i64::try_from(process.start_time())
            .ok()
            .and_then(|seconds| Timestamp::from_second(seconds).ok()),
        program: process.exe().map(Path::to_owned),
    };
    system.processes().values().map(candidate).collect()
}

impl Candidate {
    /// The modules that it has loaded, if it runs the executable.
    pub fn look_into(&self, executable: &Path) -> Option<Running> {
        let name = |path: &Path| path.file_name().map(|name| fold(&name.to_string_lossy()));
        let own = file_at(executable);
        let is_it = self.program.as_ref().is_some_and(|program| {
            name(program) == name(executable) && own.is_some() && file_at(program) == own
        });
        if !is_it {
            return Some(Running::new(self.pid, self.since, []));
        }
        let maps = proc_maps::get_process_maps(self.pid).unwrap_or_default();
        let paths: BTreeSet<PathBuf> =
            maps.iter().filter_map(|map| map.filename().map(Path::to_owned)).collect();
        let program = Mapped { path: executable.to_owned(), file: own };
        let modules = paths.into_iter().map(|path| Mapped { file: file_at(&path), path });
        Some(Running::new(self.pid, self.since, modules.chain([program])))
    }
}
