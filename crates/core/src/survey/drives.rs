//! The drives of a machine, and where on them games may be: everywhere but in the system's own folders.

use std::fs;
use std::path::{Path, PathBuf};

/// Folders at the top of a drive that belong to the system, or contain deleted files.
const WINDOWS_OWN: [&str; 10] = [
    "$recycle.bin",
    "$winreagent",
    "config.msi",
    "perflogs",
    "programdata",
    "recovery",
    "system volume information",
    "windows",
    "windows.old",
    "documents and settings",
];
const UNIX_OWN: [&str; 18] = [
    "bin",
    "boot",
    "dev",
    "etc",
    "lib",
    "lib32",
    "lib64",
    "libx32",
    "lost+found",
    "proc",
    "root",
    "run",
    "sbin",
    "snap",
    "sys",
    "tmp",
    "usr",
    "var",
];

/// A drive, or on Linux a mount.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Drive {
    /// Its top folder.
    pub root: PathBuf,
    /// Its folders that are not the system's own.
    pub folders: Vec<PathBuf>,
}

/// Every drive of this machine with a folder to look into.
pub fn drives() -> Vec<Drive> {
    let mut drives: Vec<Drive> = roots().into_iter().map(Drive::at).collect();
    drives.retain(|drive| !drive.folders.is_empty());
    drives
}

impl Drive {
    /// The drive that begins at a folder.
    pub fn at(root: PathBuf) -> Self {
        let entries = fs::read_dir(&root).into_iter().flatten().flatten();
        let folders = entries.filter(|entry| entry.file_type().is_ok_and(|kind| kind.is_dir()));
        let mut folders: Vec<PathBuf> = folders.map(|entry| entry.path()).collect();
        folders.retain(|folder| !is_systems_own(&root, folder));
        folders.sort();
        Self { root, folders }
    }
}

/// Whether a folder at the top of a drive is the system's own. Those of Linux are at the top of its one tree
/// alone.
fn is_systems_own(root: &Path, folder: &Path) -> bool {
    let name = folder.file_name().unwrap_or_default().to_string_lossy().to_lowercase();
    let is_top = root.parent().is_none() && cfg!(unix);
    WINDOWS_OWN.contains(&name.as_str()) || is_top && UNIX_OWN.contains(&name.as_str())
}

#[cfg(windows)]
fn roots() -> Vec<PathBuf> {
    let drives = (b'A'..=b'Z').map(|letter| PathBuf::from(format!("{}:\\", char::from(letter))));
    drives.filter(|drive| drive.is_dir()).collect()
}

/// The system's tree, and volumes mounted outside of it.
#[cfg(not(windows))]
fn roots() -> Vec<PathBuf> {
    let mut roots = vec![PathBuf::from("/")];
    let below = |folder: &Path| -> Vec<PathBuf> {
        let entries = fs::read_dir(folder).into_iter().flatten().flatten();
        entries.map(|entry| entry.path()).filter(|path| path.is_dir()).collect()
    };
    // Removable drives are mounted there, by user.
    roots.extend(below(Path::new("/run/media")).iter().flat_map(|user| below(user)));
    roots
}
