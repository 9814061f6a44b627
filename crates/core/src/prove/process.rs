//! The processes of a game, and the files that are mapped into them. Only looked at, never opened to write.
//!
//! A game is told by its executable: the process into which that very file is mapped. Files are compared by
//! volume and number, since a boxed game sees other paths than we do.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use file_id::{FileId, get_file_id};
use jiff::{SignedDuration, Timestamp};

use crate::path::fold;

/// A process of a game.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Running {
    /// Its number.
    pub pid: u32,
    /// When it was started, where the system says it.
    pub since: Option<Timestamp>,
    /// Whether it was seen to have ended.
    pub has_ended: bool,
    /// The files that were mapped into it, by the names of their files in lower case.
    mapped: BTreeMap<String, Vec<Mapped>>,
}

/// A file that is mapped into a process.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Mapped {
    /// Its path as the process sees it.
    pub path: PathBuf,
    /// Which file it is; nothing where it has been removed since.
    file: Option<FileId>,
}

impl Running {
    /// The files of a name that were mapped into it.
    pub(super) fn mapped(&self, name: &str) -> &[Mapped] {
        self.mapped.get(&fold(name)).map_or(&[], Vec::as_slice)
    }

    fn has(&self, name: &str, file: Option<FileId>) -> bool {
        self.mapped(name).iter().any(|mapped| mapped.is(file))
    }

    /// Adds what is mapped by now; what was once stays.
    fn learn(&mut self, now: Self) {
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

/// Which file lies at a path.
pub(super) fn file_at(path: &Path) -> Option<FileId> {
    get_file_id(path).ok()
}

/// A process that is so old has mapped its executable, if it ever will: it need not be looked into again.
const SETTLED: SignedDuration = SignedDuration::from_secs(5);

/// Looks for the processes of a game, again and again.
#[derive(Debug, Default)]
pub(super) struct Watch {
    /// Those that were found, also if they have ended.
    found: BTreeMap<u32, Running>,
    /// Processes that are others'.
    others: BTreeSet<u32>,
}

impl Watch {
    /// Looks once more for the processes of the game whose executable lies at a path.
    pub fn look(&mut self, executable: &Path) {
        let Some(name) = executable.file_name() else { return };
        let (name, file) = (name.to_string_lossy(), file_at(executable));
        let mut alive = BTreeSet::new();
        for pid in pids() {
            if self.others.contains(&pid) {
                continue;
            }
            let Some(now) = look_into(pid, executable) else { continue };
            if now.has(&name, file) {
                alive.insert(pid);
                match self.found.get_mut(&pid).filter(|known| known.since == now.since) {
                    Some(known) => known.learn(now),
                    None => drop(self.found.insert(pid, now)),
                }
            } else if now
                .since
                .is_some_and(|since| Timestamp::now().duration_since(since) > SETTLED)
            {
                self.others.insert(pid);
            }
        }
        for (pid, running) in &mut self.found {
            running.has_ended = !alive.contains(pid);
        }
    }

    /// The processes that were found.
    pub fn found(&self) -> impl Iterator<Item = &Running> {
        self.found.values()
    }
}

fn collect(pid: u32, since: Option<Timestamp>, files: impl Iterator<Item = Mapped>) -> Running {
    let mut mapped: BTreeMap<String, Vec<Mapped>> = BTreeMap::new();
    for file in files {
        let name = fold(&file.path.file_name().unwrap_or_default().to_string_lossy());
        let known = mapped.entry(name).or_default();
        if !known.contains(&file) {
            known.push(file);
        }
    }
    Running { pid, since, has_ended: false, mapped }
}

#[cfg(target_os = "linux")]
fn pids() -> Vec<u32> {
    let all = procfs::process::all_processes().into_iter().flatten().flatten();
    all.filter_map(|process| u32::try_from(process.pid).ok()).collect()
}

/// What is mapped into a process, as far as this user may see it. The system gives paths as they are in the
/// process's own root, through which they are looked at.
#[cfg(target_os = "linux")]
fn look_into(pid: u32, _: &Path) -> Option<Running> {
    use procfs::process::{MMapPath, Process};
    /// What stands behind the path of a file that has been removed, or replaced by another.
    const REMOVED: &str = " (deleted)";
    let process = Process::new(i32::try_from(pid).ok()?).ok()?;
    let maps = process.maps().ok()?;
    let paths: BTreeSet<PathBuf> = maps
        .into_iter()
        .filter_map(|map| match map.pathname {
            MMapPath::Path(path) => Some(path),
            _ => None,
        })
        .collect();

    let root = PathBuf::from(format!("/proc/{pid}/root"));
    let files = paths.into_iter().map(|path| {
        let text = path.to_string_lossy();
        if let Some(removed) = text.strip_suffix(REMOVED) {
            return Mapped { path: removed.into(), file: None };
        }
        let file = file_at(&root.join(path.strip_prefix("/").unwrap_or(&path)));
        Mapped { path, file }
    });
    Some(collect(pid, began(&process), files))
}

/// When a process was started.
#[cfg(target_os = "linux")]
fn began(process: &procfs::process::Process) -> Option<Timestamp> {
    let ticks = process.stat().ok()?.starttime;
    let boot = i64::try_from(procfs::boot_time_secs().ok()?).ok()?;
    let millis = i64::try_from(ticks * 1000 / procfs::ticks_per_second()).ok()?;
    Timestamp::from_millisecond(boot * 1000 + millis).ok()
}

#[cfg(windows)]
fn pids() -> Vec<u32> {
    processes().processes().keys().map(|pid| pid.as_u32()).collect()
}

#[cfg(windows)]
fn processes() -> sysinfo::System {
    use sysinfo::{ProcessRefreshKind, ProcessesToUpdate, System};
    let mut system = System::new();
    let wanted = ProcessRefreshKind::nothing();
    system.refresh_processes_specifics(ProcessesToUpdate::All, true, wanted);
    system
}

/// The modules of a process that runs the executable; of others nothing is asked but which program they run.
#[cfg(windows)]
fn look_into(pid: u32, executable: &Path) -> Option<Running> {
    use sysinfo::{Pid, ProcessRefreshKind, ProcessesToUpdate, System, UpdateKind};
    let mut system = System::new();
    let number = Pid::from_u32(pid);
    let wanted = ProcessRefreshKind::nothing().with_exe(UpdateKind::Always);
    system.refresh_processes_specifics(ProcessesToUpdate::Some(&[number]), true, wanted);
    let process = system.process(number)?;
    let since = i64::try_from(process.start_time()).ok();
    let since = since.and_then(|seconds| Timestamp::from_second(seconds).ok());
    let is_it = process.exe().is_some_and(|program| {
        let name = |path: &Path| path.file_name().map(|name| fold(&name.to_string_lossy()));
        name(program) == name(executable) && file_at(program) == file_at(executable)
    });
    if !is_it {
        return Some(collect(pid, since, std::iter::empty()));
    }
    let maps = proc_maps::get_process_maps(pid).unwrap_or_default();
    let paths: BTreeSet<PathBuf> =
        maps.iter().filter_map(|map| map.filename().map(Path::to_owned)).collect();
    let own = Mapped { path: executable.to_owned(), file: file_at(executable) };
    let modules = paths.into_iter().map(|path| Mapped { file: file_at(&path), path });
    Some(collect(pid, since, modules.chain([own])))
}

#[cfg(not(any(target_os = "linux", windows)))]
fn pids() -> Vec<u32> {
    Vec::new()
}

#[cfg(not(any(target_os = "linux", windows)))]
fn look_into(_: u32, _: &Path) -> Option<Running> {
    None
}
