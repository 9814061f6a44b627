//! Content into a new file, and back from the disk to see whether it arrived.

use std::fs::File;
use std::io::{self, Seek, Write};
use std::ops::Range;
use std::panic::resume_unwind;
use std::path::Path;
use std::sync::mpsc::{Receiver, channel};
use std::thread;

use crate::content::{Content, fill as fill_block};
use crate::error::{Error, Result};
use crate::folder::sync_file;

/// So much is copied at a time: on Windows each call costs much.
const BLOCK: usize = 512 << 10;

/// The bytes that are copied before the disk is asked to write them: enough for full speed, and few enough that it
/// has work while the rest is copied. Systems that can only wait for the disk use more.
const STRETCH: u64 = if cfg!(target_os = "linux") { 8 << 20 } else { 24 << 20 };

/// From this length on a file is read while another thread waits for the disk: a shorter one is
/// read before a thread has started.
const WORTH_A_THREAD: u64 = 1 << 20;

/// The source of a file's content.
#[derive(Clone, Copy)]
pub(crate) enum Source<'a> {
    /// Bytes.
    Bytes(&'a [u8]),
    /// All that an open file holds.
    File(&'a File),
    /// So many bytes that are in it already.
    There(u64),
}

impl Source<'_> {
    fn len(self) -> io::Result<u64> {
        match self {
            Self::Bytes(bytes) => Ok(bytes.len() as u64),
            Self::File(file) => Ok(file.metadata()?.len()),
            Self::There(len) => Ok(len),
        }
    }

    /// Writes all of it into an empty file, and reports each stretch that is written.
    fn write(self, mut to: &File, tell: impl Fn(Range<u64>)) -> io::Result<()> {
        let mut from = match self {
            Self::Bytes(bytes) => return to.write_all(bytes),
            Self::File(file) => file,
            Self::There(_) => return Ok(()),
        };
        from.rewind()?;

        // Most files are shorter, and to clear all of a block takes longer than to copy them.
        let len = usize::try_from(from.metadata()?.len()).unwrap_or(BLOCK);
        let mut block = vec![0; len.saturating_add(1).clamp(1, BLOCK)];
        let (mut written, mut told) = (0, 0);
        loop {
            let len = fill_block(from, &mut block)?;
            if len == 0 {
                return Ok(());
            }
            to.write_all(&block[..len])?;
            written += len as u64;
            if written - told >= STRETCH {
                tell(told..written);
                told = written;
            }
        }
    }
}

/// Fills a new file and sets its marks; returns the content as read back. The caller makes it durable with its whole
/// volume.
pub(crate) fn fill(
    source: Source<'_>,
    to: &File,
    path: &Path,
    mark: impl FnOnce() -> Result<()>,
) -> Result<Content> {
    source.write(to, |_| {}).map_err(Error::io("write", path))?;
    mark()?;
    read_back(to, path)
}

/// The same, and waits until it is on disk, which is read back in the meantime.
pub(crate) fn fill_durably(
    source: Source<'_>,
    to: &File,
    path: &Path,
    mark: impl FnOnce() -> Result<()>,
) -> Result<Content> {
    let len = source.len().map_err(Error::io("read", path))?;
    let (sender, stretches) = channel();
    // The threads of the pool would all be waiting for the disk.
    thread::scope(|scope| {
        let write_out = move || write_out(to, path, &stretches);
        let writer = (len >= WORTH_A_THREAD)
            .then(|| thread::Builder::new().spawn_scoped(scope, write_out).ok());
        let tell = |stretch| {
            // Without such a thread everything is written at the end.
            let _ = sender.send(stretch);
        };
        source.write(to, tell).map_err(Error::io("write", path))?;
        mark()?;
        drop(sender);
        let Some(writer) = writer.flatten() else {
            sync_file(to, path)?;
            return read_back(to, path);
        };
        let content = read_back(to, path);
        writer.join().unwrap_or_else(|panic| resume_unwind(panic)).and(content)
    })
}

/// Lets the disk write each stretch that is reported, so that waiting for all of it, in the end, takes
/// less time.
fn write_out(file: &File, path: &Path, stretches: &Receiver<Range<u64>>) -> Result<()> {
    for stretch in stretches {
        start_writing(file, stretch).map_err(Error::io("write", path))?;
    }
    sync_file(file, path)
}

/// What fails of it shows when the file is synced.
#[cfg(target_os = "linux")]
#[expect(clippy::unnecessary_wraps, reason = "other systems can fail here")]
fn start_writing(file: &File, stretch: Range<u64>) -> io::Result<()> {
    use rustix::fs::{Advice, fadvise};
    let len = std::num::NonZeroU64::new(stretch.end - stretch.start);
    let _ = fadvise(file, stretch.start, len, Advice::DontNeed);
    Ok(())
}

/// The same if the system can only be asked to wait for it. What fails of it may show once only: here.
#[cfg(not(target_os = "linux"))]
fn start_writing(file: &File, _: Range<u64>) -> io::Result<()> {
    file.sync_data()
}

fn read_back(file: &File, path: &Path) -> Result<Content> {
    read_from_start(file).map_err(Error::io("read", path))
}

/// Reads an open file from its beginning.
pub(crate) fn read_from_start(mut file: &File) -> io::Result<Content> {
    file.rewind()?;
    Content::of_open(file)
}

/// Lets an empty file share the blocks of another; says whether the file system can.
#[cfg(target_os = "linux")]
pub(crate) fn share(from: &File, to: &File) -> bool {
    rustix::fs::ioctl_ficlone(to, from).is_ok()
}

#[cfg(not(target_os = "linux"))]
pub(crate) fn share(_: &File, _: &File) -> bool {
    false
}
