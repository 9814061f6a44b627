//! Content by digest: each distinct content once, in `blobs/ab/abcdef...`.
//!
//! A file appears under its name only when all of it is on disk and was read back: it is written
//! under another name, synced, hashed and then renamed.

use std::fs::{self, File};
use std::path::{Path, PathBuf};

use tempfile::NamedTempFile;

use crate::content::{Content, Digest, same_bytes};
use crate::error::{Error, Result};
use crate::fault::point;

/// The store of content below a home folder.
#[derive(Debug)]
pub struct Blobs {
    folder: PathBuf,
}

impl Blobs {
    pub(crate) fn open(folder: PathBuf) -> Result<Self> {
        fs::create_dir_all(&folder).map_err(Error::io("make the folder", &folder))?;
        Ok(Self { folder })
    }

    /// Where a content lies, if it is there.
    pub fn path(&self, content: &Content) -> PathBuf {
        let name = content.sha256.to_string();
        self.folder.join(&name[..2]).join(name)
    }

    /// Stores the content of a file, which must be `expected`; done when it is durable.
    pub fn keep(&self, file: &Path, expected: &Content) -> Result<()> {
        let target = self.path(expected);
        if target.exists() && Content::of_file(&target)? == *expected {
            return Ok(());
        }
        let shelf = target.parent().unwrap_or(&self.folder);
        point("make the folder", shelf)?;
        fs::create_dir_all(shelf).map_err(Error::io("make the folder", shelf))?;
        let staged = NamedTempFile::new_in(shelf).map_err(Error::io("write into", shelf))?;
        copy(file, staged.path())?;
        sync_file(staged.path())?;
        // What was copied is what is there now, and what is there now is what was expected.
        let same = same_bytes(file, staged.path())? && Content::of_file(file)? == *expected;
        if !same {
            return Err(Error::NotAsExpected { path: file.to_owned() });
        }
        point("write", &target)?;
        staged.persist(&target).map_err(|e| Error::io("write", &target)(e.error))?;
        sync_folder(shelf)?;
        sync_folder(&self.folder)
    }

    /// Stores bytes; done when they are durable.
    pub(crate) fn keep_bytes(&self, bytes: &[u8]) -> Result<()> {
        let staged =
            NamedTempFile::new_in(&self.folder).map_err(Error::io("write into", &self.folder))?;
        fs::write(staged.path(), bytes).map_err(Error::io("write", staged.path()))?;
        self.keep(staged.path(), &Content::of_bytes(bytes))
    }

    /// Every content that is stored.
    pub(crate) fn files(&self) -> Result<Vec<PathBuf>> {
        Ok(self.all()?.into_iter().filter(|path| is_content(path)).collect())
    }

    /// Files that were being written when a run was interrupted.
    pub(crate) fn partial(&self) -> Result<Vec<PathBuf>> {
        Ok(self.all()?.into_iter().filter(|path| !is_content(path)).collect())
    }

    fn all(&self) -> Result<Vec<PathBuf>> {
        let list = |folder: &Path| -> Result<Vec<PathBuf>> {
            let entries = fs::read_dir(folder).map_err(Error::io("look into", folder))?;
            Ok(entries.flatten().map(|entry| entry.path()).collect())
        };
        let mut files = Vec::new();
        for path in list(&self.folder)? {
            if path.is_dir() { files.extend(list(&path)?) } else { files.push(path) }
        }
        files.sort();
        Ok(files)
    }

    /// Forgets a content that nothing needs any more.
    pub(crate) fn drop_content(&self, content: &Content) -> Result<()> {
        let path = self.path(content);
        point("remove", &path)?;
        match fs::remove_file(&path) {
            Err(error) if error.kind() != std::io::ErrorKind::NotFound => {
                Err(Error::io("remove", &path)(error))
            }
            _ => Ok(()),
        }
    }

    /// The file that holds a content, checked to be there with the right length.
    pub fn file(&self, content: &Content) -> Result<PathBuf> {
        let path = self.path(content);
        match fs::metadata(&path) {
            Ok(metadata) if metadata.len() == content.size => Ok(path),
            _ => Err(Error::DamagedBlob { path }),
        }
    }
}

/// Whether a file of the store is a whole content: its name is a digest.
fn is_content(path: &Path) -> bool {
    let name = path.file_name().unwrap_or_default().to_string_lossy();
    name.parse::<Digest>().is_ok()
}

/// Copies a file's content over another, sharing the blocks where the file system can.
pub(crate) fn copy(from: &Path, to: &Path) -> Result<()> {
    point("write", to)?;
    // A shared copy wants a target that is not there yet; on Windows a file that is there has marks
    // which a new one would not have.
    if !cfg!(windows) {
        let _ = fs::remove_file(to);
        if reflink_copy::reflink(from, to).is_ok() {
            return Ok(());
        }
    }
    let mut source = File::open(from).map_err(Error::io("read", from))?;
    let target = if to.exists() {
        File::options().write(true).truncate(true).open(to)
    } else {
        File::create_new(to)
    };
    let mut target = target.map_err(Error::io("write", to))?;
    std::io::copy(&mut source, &mut target).map(drop).map_err(Error::io("write", to))
}

/// Waits until a file's content is on disk.
pub(crate) fn sync_file(path: &Path) -> Result<()> {
    point("write to disk", path)?;
    let file = File::options().write(true).open(path).map_err(Error::io("write", path))?;
    file.sync_all().map_err(Error::io("write to disk", path))
}

/// Waits until a folder's entries are on disk; Windows does that by itself.
pub(crate) fn sync_folder(path: &Path) -> Result<()> {
    if cfg!(windows) {
        return Ok(());
    }
    point("write to disk", path)?;
    File::open(path).and_then(|folder| folder.sync_all()).map_err(Error::io("write to disk", path))
}
