//! The state of the machine, as far as it matters for a change: what is in use, what is read-only,
//! and how much room there is.

use std::fs;
use std::path::{Path, PathBuf};

use super::Workshop;
use crate::check::{self, Conditions, Finding, InUse};
use crate::plan::Plan;
use crate::survey::GameView;

impl Workshop {
    /// What the state of the machine says of a plan, for which so many bytes of new content come into
    /// the store.
    pub(super) fn conditions(&self, view: &GameView, plan: &Plan, stored: u64) -> Vec<Finding> {
        if plan.steps.is_empty() {
            return Vec::new();
        }
        let root = &view.game.root;
        let replaced = plan.steps.iter().filter(|step| step.before.is_some());
        let mut files: Vec<PathBuf> = replaced.map(|step| step.place.on(root)).collect();
        files.extend(view.executable().map(|executable| executable.path.on(root)));
        let held = |step: &crate::plan::Step| step.before.as_ref().map(|held| held.state);
        let read_only = plan
            .steps
            .iter()
            .filter(|step| held(step).is_some_and(|state| state.stamp.read_only))
            .map(|step| step.place.clone());
        let mut folders: Vec<PathBuf> =
            files.iter().filter_map(|file| file.parent().map(Path::to_owned)).collect();
        folders.sort();
        folders.dedup();
        folders.retain(|folder| !cfg!(windows) && is_closed(folder));
        let kept: u64 = plan.steps.iter().filter_map(held).map(|state| state.content.size).sum();
        let staged: u64 = plan
            .steps
            .iter()
            .filter_map(|step| step.after.as_ref())
            .map(|held| held.state.content.size)
            .sum();
        let apart = !same_volume(root, &self.home);
        // On one volume, what is replaced stays where it is.
        let needs = if apart {
            vec![(root.clone(), staged), (self.home.clone(), stored + kept)]
        } else {
            vec![(root.clone(), stored + staged)]
        };
        let short = needs.into_iter().filter_map(|(folder, wanted)| {
            let free = fs4::available_space(&folder).ok()?;
            (free < wanted).then_some((folder, wanted, free))
        });
        let conditions = Conditions {
            in_use: in_use(&files),
            read_only: read_only.collect(),
            closed: folders,
            short: short.collect(),
            volumes: apart.then(|| (root.clone(), self.home.clone())),
            kept,
        };
        check::check_conditions(&conditions)
    }
}

fn is_closed(folder: &Path) -> bool {
    fs::metadata(folder).is_ok_and(|metadata| metadata.permissions().readonly())
}

#[cfg(unix)]
fn same_volume(a: &Path, b: &Path) -> bool {
    use std::os::unix::fs::MetadataExt;
    let device = |path: &Path| fs::metadata(path).ok().map(|metadata| metadata.dev());
    device(a) == device(b)
}

#[cfg(not(unix))]
fn same_volume(a: &Path, b: &Path) -> bool {
    let drive = |path: &Path| match path.components().next() {
        Some(std::path::Component::Prefix(prefix)) => Some(prefix.as_os_str().to_ascii_uppercase()),
        _ => None,
    };
    drive(a) == drive(b)
}

/// The files that a process has open or mapped, by what the system tells of each process.
#[cfg(target_os = "linux")]
fn in_use(files: &[PathBuf]) -> Vec<InUse> {
    let real: Vec<PathBuf> = files.iter().filter_map(|file| file.canonicalize().ok()).collect();
    let own = std::process::id().to_string();
    let mut found: Vec<InUse> = Vec::new();
    for process in fs::read_dir("/proc").into_iter().flatten().flatten() {
        let number = process.file_name().to_string_lossy().into_owned();
        if !number.chars().all(|c| c.is_ascii_digit()) || number == own {
            continue;
        }
        let folder = process.path();
        let handles = fs::read_dir(folder.join("fd")).into_iter().flatten().flatten();
        let mut open: Vec<PathBuf> =
            handles.filter_map(|handle| fs::read_link(handle.path()).ok()).collect();
        open.extend(fs::read_link(folder.join("exe")));
        let maps = fs::read_to_string(folder.join("maps")).unwrap_or_default();
        // The path is what follows the fifth column.
        let mapped = maps.lines().filter_map(|line| line.find('/').map(|at| line[at..].into()));
        open.extend(mapped);
        let Some(path) = real.iter().find(|file| open.contains(file)) else { continue };
        let name = fs::read_to_string(folder.join("comm")).unwrap_or_default();
        let by = Some(format!("{} ({number})", name.trim()));
        found.push(InUse { path: path.clone(), by });
    }
    found
}

/// The files that cannot be opened alone, since somebody else has them open.
#[cfg(windows)]
fn in_use(files: &[PathBuf]) -> Vec<InUse> {
    use std::os::windows::fs::OpenOptionsExt;
    const SHARING_VIOLATION: i32 = 32;
    let taken = |file: &&PathBuf| {
        let alone = fs::OpenOptions::new().read(true).share_mode(0).open(file);
        alone.is_err_and(|error| error.raw_os_error() == Some(SHARING_VIOLATION))
    };
    files.iter().filter(taken).map(|file| InUse { path: file.clone(), by: None }).collect()
}

#[cfg(not(any(target_os = "linux", windows)))]
fn in_use(_: &[PathBuf]) -> Vec<InUse> {
    Vec::new()
}
