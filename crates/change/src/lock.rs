//! Locks: one process at a time alters a folder. A lock is visible to every process that may alter the folder, is
//! released when its process ends, and leaves no file behind.

#[cfg(windows)]
use std::io::ErrorKind;
use std::path::Path;
use std::thread;
use std::time::{Duration, Instant};

use crate::error::{Error, Result};

/// How long to wait for another process: a change of one large component is over by then, and no one stares
/// at a still screen for longer.
const PATIENCE: Duration = Duration::from_secs(10);

/// The time before the next attempt: too short for people to notice.
const PAUSE: Duration = Duration::from_millis(20);

/// A folder that this process alone alters. Given up when dropped.
#[derive(Debug)]
#[must_use]
pub struct Lock {
    _held: std::fs::File,
}

impl Lock {
    /// Whether another process holds the lock of a folder at this moment. Nothing is written for it.
    pub fn is_held(folder: &Path) -> bool {
        is_held(folder)
    }

    /// Takes the lock of a folder, waiting a while for another process to give it up.
    ///
    /// # Errors
    /// [`Error::Busy`] if it does not; if the folder cannot be opened or written to.
    pub fn take(folder: &Path) -> Result<Self> {
        let began = Instant::now();
        loop {
            if let Some(held) = try_lock(folder)? {
                return Ok(Self { _held: held });
            }
            if began.elapsed() > PATIENCE {
                return Err(Error::Busy { path: folder.to_owned(), holder: holder(folder) });
            }
            thread::sleep(PAUSE);
        }
    }
}

/// The folder itself can be locked: no file is needed.
#[cfg(unix)]
fn try_lock(folder: &Path) -> Result<Option<std::fs::File>> {
    use rustix::fs::{FlockOperation, flock};
    use rustix::io::Errno;
    let file = std::fs::File::open(folder).map_err(Error::io("open", folder))?;
    match flock(&file, FlockOperation::NonBlockingLockExclusive) {
        Ok(()) => Ok(Some(file)),
        Err(Errno::WOULDBLOCK) => Ok(None),
        Err(error) => Err(Error::io("lock", folder)(error.into())),
    }
}

#[cfg(unix)]
fn is_held(folder: &Path) -> bool {
    matches!(try_lock(folder), Ok(None))
}

/// Who holds the lock of a folder: name and number of the process.
#[cfg(target_os = "linux")]
fn holder(folder: &Path) -> Option<String> {
    use std::os::unix::fs::MetadataExt;
    let number = std::fs::metadata(folder).ok()?.ino().to_string();
    let locks = std::fs::read_to_string("/proc/locks").ok()?;
    // As in `1: FLOCK  ADVISORY  WRITE 4711 fd:01:1234 0 EOF`.
    let process = locks.lines().find_map(|line| {
        let words: Vec<&str> = line.split_whitespace().collect();
        let [_, "FLOCK", _, _, process, file, ..] = words[..] else { return None };
        (file.rsplit(':').next() == Some(&number)).then_some(process)
    })?;
    let name = std::fs::read_to_string(format!("/proc/{process}/comm")).ok()?;
    Some(format!("{} (process {process})", name.trim()))
}

/// Who holds the lock of a folder.
#[cfg(not(any(target_os = "linux", windows)))]
fn holder(_: &Path) -> Option<String> {
    None
}

/// The name of the file that represents the lock.
#[cfg(windows)]
const NAME: &str = ".spanner-lock";

#[cfg(windows)]
const SHARING_VIOLATION: i32 = 32;

/// How the text in it begins.
#[cfg(windows)]
const TEXT: &str = "process ";

/// More than is ever written into it.
#[cfg(windows)]
const LONGEST: u64 = 64;

/// A folder cannot be locked, so a file in it represents the lock. The system removes it when its process releases
/// the lock or ends. One left by a loss of power is reused; another file of that name, or a link, is left alone.
#[cfg(windows)]
fn try_lock(folder: &Path) -> Result<Option<std::fs::File>> {
    use std::io::Write;
    use std::os::windows::fs::OpenOptionsExt;
    const DELETE: u32 = 0x0001_0000;
    const READ_AND_WRITE: u32 = 0xc000_0000;
    const SHARED_FOR_READING: u32 = 0x1;
    const HIDDEN: u32 = 0x2;
    const OF_THE_LINK_ITSELF: u32 = 0x0020_0000;
    const DELETE_ON_CLOSE: u32 = 0x0400_0000;
    const ACCESS_DENIED: i32 = 5;

    let path = folder.join(NAME);
    let is_there = path.symlink_metadata().is_ok();
    if is_foreign(&path) {
        return Err(Error::NotPlain { path, what: "a file that is not ours" });
    }

    let opened = std::fs::OpenOptions::new()
        .write(true)
        .create_new(!is_there)
        .access_mode(READ_AND_WRITE | DELETE)
        .share_mode(SHARED_FOR_READING)
        .attributes(HIDDEN)
        .custom_flags(DELETE_ON_CLOSE | OF_THE_LINK_ITSELF)
        .open(&path);
    match opened {
        Ok(mut file) => {
            // Who waits can read who holds it; if that cannot be written, no one is named.
            let _ = file.set_len(0).and_then(|()| write!(file, "{TEXT}{}", std::process::id()));
            Ok(Some(file))
        }
        Err(error) if error.raw_os_error() == Some(SHARING_VIOLATION) => Ok(None),
        // It came or went just now.
        Err(error) if matches!(error.kind(), ErrorKind::AlreadyExists | ErrorKind::NotFound) => {
            if folder.is_dir() {
                Ok(None)
            } else {
                Err(Error::io("lock", folder)(error))
            }
        }
        // A file that is about to go is refused so; a folder that may not be written to is, too.
        Err(error) if error.raw_os_error() == Some(ACCESS_DENIED) && path.exists() => Ok(None),
        Err(error) => Err(Error::io("lock", folder)(error)),
    }
}

/// Whether the file was not written by one of our processes.
#[cfg(windows)]
fn is_foreign(path: &Path) -> bool {
    let Ok(found) = path.symlink_metadata() else { return false };
    let is_other = |text: String| !text.is_empty() && !text.starts_with(TEXT);
    !found.is_file() || found.len() > LONGEST || std::fs::read_to_string(path).is_ok_and(is_other)
}

/// Who holds the lock shares it with no one who would write.
#[cfg(windows)]
fn is_held(folder: &Path) -> bool {
    let opened = std::fs::OpenOptions::new().write(true).open(folder.join(NAME));
    opened.is_err_and(|error| error.raw_os_error() == Some(SHARING_VIOLATION))
}

/// Who holds the lock of a folder, as its holder wrote it.
#[cfg(windows)]
fn holder(folder: &Path) -> Option<String> {
    use std::io::Read;
    use std::os::windows::fs::OpenOptionsExt;
    const SHARED: u32 = 0x1 | 0x2 | 0x4;
    let file = std::fs::OpenOptions::new().read(true).share_mode(SHARED).open(folder.join(NAME));
    let mut text = String::new();
    file.ok()?.take(LONGEST).read_to_string(&mut text).ok()?;
    (!text.is_empty()).then(|| format!("another spanner ({text})"))
}
