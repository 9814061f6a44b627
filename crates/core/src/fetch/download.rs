//! Downloads a file with a known digest: continues if it was interrupted, and tries the next address if one fails.

use std::fs::{self, File, OpenOptions};
use std::io::{self, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::time::Duration;

use super::address::Address;
use super::client::{Client, Pace, failed, wrong};
use crate::content::Content;
use crate::error::{Error, FeedError, Result};
use crate::path::slashes;
use upright_spanner_change::{Folder, Lock, Progress};

/// The bytes that are written at a time: at most these are lost when the program ends in between.
const BLOCK: usize = 64 << 10;

/// How often a folder is made that another process takes away.
const MOST_TRIES: usize = 20;

/// The age at which an unfinished download is removed.
const FORGOTTEN: Duration = Duration::from_secs(30 * 24 * 3600);

/// A file to download.
#[derive(Debug, Clone)]
pub(crate) struct Wanted {
    /// Its content.
    pub content: Content,
    /// Its name: one name, which a file can have.
    pub name: String,
    /// Addresses to download it from, in the order in which they are tried.
    pub places: Vec<Address>,
}

/// A file on its way, in its own folder that no other process uses in the meantime.
#[derive(Debug)]
pub(crate) struct Transfer {
    folder: PathBuf,
    wanted: Wanted,
    lock: Lock,
}

impl Transfer {
    /// Takes the folder of a file below one for all downloads.
    pub fn begin(downloads: &Path, wanted: Wanted) -> Result<Self> {
        let folder = downloads.join(wanted.content.blake3.to_string());
        // Another process that is done with it takes it away.
        for _ in 0..MOST_TRIES {
            drop(Folder::make(&folder)?);
            let taken = Lock::take(&folder);
            if folder.is_dir() {
                return Ok(Self { folder, wanted, lock: taken? });
            }
        }
        Err(FeedError::Nowhere { what: wanted.name }.into())
    }

    /// The expected content.
    pub fn content(&self) -> Content {
        self.wanted.content
    }

    fn whole(&self) -> PathBuf {
        self.folder.join(&self.wanted.name)
    }

    fn part(&self) -> PathBuf {
        self.folder.join("unfinished.part")
    }

    /// So many bytes are there from an earlier run.
    pub fn has(&self) -> u64 {
        let size = |path: PathBuf| fs::symlink_metadata(path).ok().filter(fs::Metadata::is_file);
        let there = size(self.whole()).or_else(|| size(self.part()));
        there.map_or(0, |there| there.len().min(self.wanted.content.size))
    }

    /// Downloads the file, and returns its path. An unfinished download is continued; if the complete file is wrong,
    /// it is downloaded again, once.
    pub fn run(&self, client: &Client, progress: &dyn Progress) -> Result<PathBuf> {
        let whole = self.whole();
        if is(&whole, &self.wanted.content) {
            return Ok(whole);
        }
        let resumed = self.has() > 0;
        let done = match self.attempt(client, progress) {
            Err(Failed::Differs(_)) if resumed => self.attempt(client, progress),
            done => done,
        };
        done.map_err(|(Failed::Differs(error) | Failed::Otherwise(error))| error)?;
        fs::rename(self.part(), &whole).map_err(Error::io("rename", &whole))?;
        Ok(whole)
    }

    fn attempt(&self, client: &Client, progress: &dyn Progress) -> Result<(), Failed> {
        let path = self.part();
        let mut options = OpenOptions::new();
        let opened = options.read(true).write(true).create(true).truncate(false).open(&path);
        let mut file = opened.map_err(Error::io("write", &path))?;
        let mut first = None;
        for place in &self.wanted.places {
            match self.from(client, place, &mut file, progress) {
                Ok(()) => {
                    file.sync_all().map_err(Error::io("sync", &path))?;
                    drop(file);
                    if is(&path, &self.wanted.content) {
                        return Ok(());
                    }
                    // Nobody knows which byte is wrong, nor who sent it.
                    let _ = fs::remove_file(&path);
                    let source = wrong("its content differs from the signed one");
                    return Err(Failed::Differs(failed(place)(source)));
                }
                Err(error) if progress.is_stopped() => return Err(Failed::Otherwise(error)),
                Err(error) => first = first.or(Some(error)),
            }
        }
        let nowhere = || FeedError::Nowhere { what: self.wanted.name.clone() }.into();
        Err(Failed::Otherwise(first.unwrap_or_else(nowhere)))
    }

    /// Goes on with what one place sends.
    fn from(
        &self,
        client: &Client,
        address: &Address,
        file: &mut File,
        progress: &dyn Progress,
    ) -> Result<()> {
        let path = self.part();
        let size = self.wanted.content.size;
        let write = Error::io("write", &path);
        let mut at = file.seek(SeekFrom::End(0)).map_err(write)?;
        if at > size {
            at = 0;
        }
        if at == size && size > 0 {
            return Ok(());
        }
        let mut sent = client.open(address, at)?;
        if sent.all.is_some_and(|all| all != size) {
            return Err(failed(address)(wrong("its file has another length than was signed")));
        }
        if sent.from != at {
            at = 0;
        }
        file.set_len(at).map_err(Error::io("write", &path))?;
        file.seek(SeekFrom::Start(at)).map_err(Error::io("write", &path))?;

        let mut block = vec![0; BLOCK];
        let mut pace = Pace::new();
        loop {
            let read = sent.body.read(&mut block).map_err(failed(address))?;
            if read == 0 {
                break;
            }
            at += read as u64;
            if at > size {
                let why = format!("it sends more than the {size} bytes that were signed");
                return Err(failed(address)(wrong(&why)));
            }
            file.write_all(&block[..read]).map_err(Error::io("write", &path))?;
            progress.advance(read as u64);
            if progress.is_stopped() {
                return Err(FeedError::Stopped { folder: slashes(&self.folder) }.into());
            }
            pace.note(read).map_err(failed(address))?;
        }
        if at < size {
            return Err(failed(address)(io::ErrorKind::UnexpectedEof.into()));
        }
        Ok(())
    }

    /// Removes the downloaded file, when another place has it.
    pub fn clear(self) {
        let Self { folder, lock, .. } = self;
        drop(lock);
        let _ = fs::remove_dir_all(folder);
    }
}

/// Removes downloads that were begun long ago.
pub(crate) fn forget_old(downloads: &Path) {
    let entries = fs::read_dir(downloads).into_iter().flatten().flatten();
    for folder in entries.map(|entry| entry.path()) {
        let modified = fs::metadata(&folder).and_then(|found| found.modified());
        let is_old = modified.is_ok_and(|at| at.elapsed().is_ok_and(|age| age > FORGOTTEN));
        if is_old && !Lock::is_held(&folder) {
            let _ = fs::remove_dir_all(&folder);
        }
    }
}

/// Why an attempt failed.
enum Failed {
    /// The complete file is wrong.
    Differs(Error),
    Otherwise(Error),
}

impl From<Error> for Failed {
    fn from(error: Error) -> Self {
        Self::Otherwise(error)
    }
}

/// Whether a file holds a content.
fn is(path: &Path, content: &Content) -> bool {
    let is_plain = fs::symlink_metadata(path).is_ok_and(|found| found.is_file());
    is_plain && crate::content::content_of(path).is_ok_and(|found| found == *content)
}
