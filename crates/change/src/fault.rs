//! Fail points: every operation that alters a disk asks here first. In debug builds the variable
//! `SPANNER_FAULT` makes one of them fail, or end the program on the spot, so that tests can try
//! each; in release builds there is nothing here.
//!
//! `kill:7` ends the program before the seventh operation, `space:7` makes that operation fail for lack of space,
//! `io:7` with an input/output error. `power:7` ends the program as a loss of power would: the durable state of each
//! folder in `SPANNER_FAULT_ROOTS` is written beside it with the ending `.kept`, to be swapped in. `room:7` leaves
//! seven bytes free on every disk.

/// To be asked before an operation on `path`.
///
/// # Errors
/// Only if a test wants one.
#[cfg(not(debug_assertions))]
#[expect(clippy::unnecessary_wraps, reason = "it fails in debug builds")]
pub fn point(_: &'static str, _: &std::path::Path) -> crate::error::Result<()> {
    Ok(())
}

/// How much room a disk has left that has this much.
#[cfg(not(debug_assertions))]
pub fn room(free: u64) -> u64 {
    free
}

/// Called when a file or folder was written to disk.
#[cfg(not(debug_assertions))]
pub(crate) fn synced(_: &std::path::Path) {}

/// Called when all of a volume was written to disk.
#[cfg(all(not(debug_assertions), target_os = "linux"))]
pub(crate) fn all_synced() {}

#[cfg(all(debug_assertions, target_os = "linux"))]
pub(crate) use chosen::all_synced;
#[cfg(debug_assertions)]
pub(crate) use chosen::synced;
#[cfg(debug_assertions)]
pub use chosen::{point, room};

/// The fault that a test has chosen.
#[cfg(debug_assertions)]
mod chosen {
    use std::io;
    use std::path::Path;
    use std::sync::LazyLock;
    use std::sync::atomic::{AtomicU64, Ordering};

    use crate::error::{Error, Result};

    static FAULT: LazyLock<Option<(String, u64)>> = LazyLock::new(|| {
        let text = std::env::var("SPANNER_FAULT").ok()?;
        let (kind, number) = text.split_once(':')?;
        Some((kind.to_owned(), number.parse().ok()?))
    });

    static DONE: AtomicU64 = AtomicU64::new(0);

    /// To be asked before an operation on `path`.
    ///
    /// # Errors
    /// Only if a test wants one.
    pub fn point(doing: &'static str, path: &Path) -> Result<()> {
        let Some((kind, number)) = FAULT.as_ref() else { return Ok(()) };
        let is_it = DONE.fetch_add(1, Ordering::Relaxed) + 1 == *number;
        match kind.as_str() {
            "power" => super::power::before_operation(is_it),
            "room" => {}
            _ if !is_it => {}
            "space" => return Err(Error::io(doing, path)(io::ErrorKind::StorageFull.into())),
            "io" => return Err(Error::io(doing, path)(io::Error::other("input/output error"))),
            _ => std::process::abort(),
        }

        Ok(())
    }

    /// How much room a disk has left that has this much.
    pub fn room(free: u64) -> u64 {
        match FAULT.as_ref() {
            Some((kind, left)) if kind == "room" => free.min(*left),
            _ => free,
        }
    }

    /// Called when a file or folder was written to disk.
    pub(crate) fn synced(path: &Path) {
        if FAULT.as_ref().is_some_and(|(kind, _)| kind == "power") {
            super::power::after_sync(path);
        }
    }

    /// Called when all of a volume was written to disk. Tests have one.
    #[cfg(target_os = "linux")]
    pub(crate) fn all_synced() {
        if FAULT.as_ref().is_some_and(|(kind, _)| kind == "power") {
            super::power::after_sync_of_all();
        }
    }
}

/// A loss of power, on systems without numbers of files: the program just ends.
#[cfg(all(debug_assertions, not(unix)))]
mod power {
    pub fn before_operation(is_it: bool) {
        if is_it {
            std::process::abort();
        }
    }

    pub fn after_sync(_: &std::path::Path) {}
}

/// A loss of power, as the strictest disk takes it: a file has the content that it had when it was last
/// synced, and a folder the names.
#[cfg(all(debug_assertions, unix))]
mod power {
    use std::collections::{BTreeMap, HashMap};
    use std::ffi::OsString;
    use std::fs::{self, File, Metadata, Permissions};
    use std::os::unix::fs::MetadataExt;
    use std::path::{Path, PathBuf};
    use std::sync::{Mutex, PoisonError};
    use std::time::SystemTime;

    /// The index is only a cache: it is lost with the power.
    const INDEX: &str = "spanner.db";

    type Number = (u64, u64);

    /// The durable state of a folder.
    #[derive(Default)]
    struct Disk {
        roots: Vec<PathBuf>,
        folders: HashMap<Number, BTreeMap<OsString, (Number, bool)>>,
        files: HashMap<Number, Content>,
    }

    struct Content {
        bytes: Vec<u8>,
        permissions: Permissions,
        modified: SystemTime,
        /// Held so that no other file gets its number.
        _held: File,
    }

    static DISK: Mutex<Option<Disk>> = Mutex::new(None);

    pub fn before_operation(is_it: bool) {
        let mut disk = DISK.lock().unwrap_or_else(PoisonError::into_inner);
        let disk = disk.get_or_insert_with(Disk::as_it_is);
        if is_it {
            disk.lose_the_rest().expect("a copy of what the disk is sure to have");
            std::process::abort();
        }
    }

    pub fn after_sync(path: &Path) {
        let mut disk = DISK.lock().unwrap_or_else(PoisonError::into_inner);
        disk.get_or_insert_with(Disk::as_it_is).note(path);
    }

    /// Like before the first operation, everything is on disk.
    #[cfg(target_os = "linux")]
    pub fn after_sync_of_all() {
        let mut disk = DISK.lock().unwrap_or_else(PoisonError::into_inner);
        *disk = Some(Disk::as_it_is());
    }

    fn number(metadata: &Metadata) -> Number {
        (metadata.dev(), metadata.ino())
    }

    impl Disk {
        /// Before the first operation everything is on disk.
        fn as_it_is() -> Self {
            let roots = std::env::var_os("SPANNER_FAULT_ROOTS").unwrap_or_default();
            let roots: Vec<PathBuf> = std::env::split_paths(&roots).collect();
            let mut disk = Self { roots: roots.clone(), ..Self::default() };
            let mut paths = roots;
            while let Some(path) = paths.pop() {
                disk.note(&path);
                let entries = fs::read_dir(&path).into_iter().flatten().flatten();
                paths.extend(entries.map(|entry| entry.path()));
            }
            disk
        }

        /// A file or folder is on disk as it is now.
        fn note(&mut self, path: &Path) {
            let Ok(metadata) = fs::symlink_metadata(path) else { return };
            if metadata.is_dir() {
                let entries = fs::read_dir(path).into_iter().flatten().flatten();
                let names = entries.filter_map(|entry| {
                    let found = fs::symlink_metadata(entry.path()).ok()?;
                    Some((entry.file_name(), (number(&found), found.is_dir())))
                });
                self.folders.insert(number(&metadata), names.collect());
            } else if let (Ok(bytes), Ok(held)) = (fs::read(path), File::open(path)) {
                let permissions = metadata.permissions();
                let modified = metadata.modified().unwrap_or(SystemTime::UNIX_EPOCH);
                let content = Content { bytes, permissions, modified, _held: held };
                self.files.insert(number(&metadata), content);
            }
        }

        /// Writes the durable state of each folder beside it, since other threads may write into the folder itself
        /// until the program has ended.
        fn lose_the_rest(&self) -> std::io::Result<()> {
            for root in &self.roots {
                let kept = root.with_extension("kept");
                fs::create_dir(&kept)?;
                self.restore(&kept, number(&fs::symlink_metadata(root)?))?;
            }
            Ok(())
        }

        fn restore(&self, folder: &Path, own: Number) -> std::io::Result<()> {
            let Some(names) = self.folders.get(&own) else { return Ok(()) };
            for (name, (number, is_folder)) in names {
                let path = folder.join(name);
                if name.to_string_lossy().starts_with(INDEX) {
                    continue;
                }
                if *is_folder {
                    fs::create_dir(&path)?;
                    self.restore(&path, *number)?;
                    continue;
                }
                let content = self.files.get(number);
                // Of a file that was never synced the name is all there is.
                fs::write(&path, content.map_or(&[][..], |content| &content.bytes))?;
                if let Some(content) = content {
                    File::options().write(true).open(&path)?.set_modified(content.modified)?;
                    fs::set_permissions(&path, content.permissions.clone())?;
                }
            }

            Ok(())
        }
    }
}
