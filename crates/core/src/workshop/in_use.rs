//! Which files other programs have in use, and which programs these are.

#[cfg(windows)]
use std::fs;
use std::path::{Path, PathBuf};
use std::thread;
use std::time::{Duration, Instant};

use crate::check::InUse;
use upright_spanner_change::{Lock, Registry};

/// The time to wait for another process of this program: longer than a change of a large component takes, and shorter
/// than users wait without a message.
const PATIENCE: Duration = Duration::from_secs(10);

/// How often it is looked again in the meantime.
const LOOK_AGAIN: Duration = Duration::from_millis(50);

/// The files that another program has in use. If a process of ours works on the game, it is waited for: it is not the
/// game.
pub(super) fn in_use_by_others(files: &[PathBuf], root: &Path) -> Vec<InUse> {
    let began = Instant::now();
    loop {
        let found = in_use(files, root);
        if found.is_empty() || began.elapsed() > PATIENCE || !Lock::is_held(root) {
            return found;
        }
        thread::sleep(LOOK_AGAIN);
    }
}

/// The folder of the prefix that a registry is of.
pub(super) fn prefix_of(registry: &Registry, root: &Path) -> Option<PathBuf> {
    match registry {
        Registry::Windows => None,
        Registry::Prefix(place) => place.on(root).parent().map(Path::to_owned),
    }
}

/// A program that runs in a prefix, if one does: it has the prefix itself, or something of its Windows, open.
#[cfg(target_os = "linux")]
pub(super) fn used_by(prefix: &Path) -> Option<String> {
    use procfs::process::{Process, all_processes};
    let prefix = prefix.canonicalize().ok()?;
    let windows = prefix.join("drive_c").join("windows");
    let own = Process::myself().and_then(|process| process.exe()).ok();
    all_processes().into_iter().flatten().flatten().find_map(|process| {
        let program = process.exe().ok().filter(|program| Some(program) != own.as_ref())?;
        let is_of_it = |path: &PathBuf| *path == prefix || path.starts_with(&windows);
        let uses = is_of_it(&program) || held_by(&process).iter().any(is_of_it);
        let name = process.stat().map(|stat| stat.comm).unwrap_or_default();
        uses.then(|| format!("{name} (process {})", process.pid))
    })
}

#[cfg(not(target_os = "linux"))]
pub(super) fn used_by(_: &Path) -> Option<String> {
    None
}

/// The files that a process has open or mapped, as the system reports them. Processes of this program are not the
/// game.
#[cfg(target_os = "linux")]
fn in_use(files: &[PathBuf], _: &Path) -> Vec<InUse> {
    use procfs::process::{Process, all_processes};
    let real: Vec<PathBuf> = files.iter().filter_map(|file| file.canonicalize().ok()).collect();
    let own = Process::myself().and_then(|process| process.exe()).ok();
    let processes = all_processes().into_iter().flatten().flatten();
    let found = processes.filter_map(|process| {
        // Of a thread of the system, and of a process that is not ours to look at, this says nothing,
        // and nothing else does.
        let program = process.exe().ok().filter(|program| Some(program) != own.as_ref())?;
        let held = held_by(&process);
        let path = real.iter().find(|file| **file == program || held.contains(*file))?;
        let name = process.stat().map(|stat| stat.comm).unwrap_or_default();
        let by = Some(format!("{name} (process {})", process.pid));
        Some(InUse { path: path.clone(), by })
    });
    found.collect()
}

/// The files that a process has open or mapped.
#[cfg(target_os = "linux")]
fn held_by(process: &procfs::process::Process) -> std::collections::HashSet<PathBuf> {
    use procfs::process::{FDTarget, MMapPath};
    let open = process.fd().into_iter().flatten().flatten();
    let open = open.filter_map(|handle| match handle.target {
        FDTarget::Path(path) => Some(path),
        _ => None,
    });
    let mapped = process.maps().into_iter().flatten();
    let mapped = mapped.filter_map(|map| match map.pathname {
        MMapPath::Path(path) => Some(path),
        _ => None,
    });
    open.chain(mapped).collect()
}

/// The files that cannot be opened for writing, since someone else has them open or runs them. Asking
/// for reading alone would not show a program that runs, or a library that one has loaded.
#[cfg(windows)]
fn in_use(files: &[PathBuf], root: &Path) -> Vec<InUse> {
    use std::os::windows::fs::OpenOptionsExt;
    const SHARING_VIOLATION: i32 = 32;
    const READ_DATA: u32 = 0x0001;
    const WRITE_DATA: u32 = 0x0002;
    let shared_by_nobody = |file: &PathBuf, access: u32| {
        let alone = fs::OpenOptions::new().access_mode(access).share_mode(0).open(file);
        alone.is_err_and(|error| error.raw_os_error() == Some(SHARING_VIOLATION))
    };
    // A file that is marked read-only can be asked for reading alone.
    let taken = |file: &&PathBuf| {
        let read_only = fs::metadata(file).is_ok_and(|metadata| metadata.permissions().readonly());
        let access = if read_only { READ_DATA } else { READ_DATA | WRITE_DATA };
        shared_by_nobody(file, access)
    };
    let taken: Vec<&PathBuf> = files.iter().filter(taken).collect();
    if taken.is_empty() {
        return Vec::new();
    }

    let running = running_from(root);
    let found = |file: &PathBuf| InUse { path: file.clone(), by: holder(file, &running) };
    taken.into_iter().map(found).collect()
}

/// The programs that run from a folder, except this one: their paths and names.
#[cfg(windows)]
fn running_from(root: &Path) -> Vec<(PathBuf, String)> {
    use sysinfo::{ProcessRefreshKind, ProcessesToUpdate, System, UpdateKind};
    let own = std::env::current_exe().and_then(fs::canonicalize).ok();
    let root = root.canonicalize().unwrap_or_else(|_| root.to_owned());
    let mut system = System::new();
    let wanted = ProcessRefreshKind::nothing().with_exe(UpdateKind::Always);
    system.refresh_processes_specifics(ProcessesToUpdate::All, true, wanted);

    let running = system.processes().values().filter_map(|process| {
        let program = process.exe()?.canonicalize().ok()?;
        let is_it = program.starts_with(&root) && own.as_ref() != Some(&program);
        let name = program.file_name()?.to_string_lossy().into_owned();
        is_it.then(|| (program, format!("{name} (process {})", process.pid())))
    });
    running.collect()
}

/// The program that has a file in use, otherwise one that runs from the game's folder and probably has it. The system
/// does not report which process has loaded a library.
#[cfg(windows)]
fn holder(file: &Path, running: &[(PathBuf, String)]) -> Option<String> {
    let file = file.canonicalize().ok();
    match running.iter().find(|(program, _)| Some(program) == file.as_ref()) {
        Some((_, name)) => Some(name.clone()),
        None => running.first().map(|(_, name)| format!("{name}, as it seems")),
    }
}

#[cfg(not(any(target_os = "linux", windows)))]
fn in_use(_: &[PathBuf], _: &Path) -> Vec<InUse> {
    Vec::new()
}
