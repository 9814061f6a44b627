//! Content by digest: each distinct content once, in `blobs/ab/abcdef...`.
//!
//! A file appears under its name only when all of it is on disk and was read back: it is written
//! under another name, synced, read and then renamed. A file that leaves a game need not be copied:
//! it gets a second name here before it loses its first. As long as it has both, the store does not
//! count on it.

use std::fs::{self, File};
use std::path::{Path, PathBuf};

use tempfile::NamedTempFile;

use crate::content::{Content, Digest, is_alone, is_same_file};
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
        let name = content.blake3.to_string();
        self.folder.join(&name[..2]).join(name)
    }

    /// Stores the content of a file, which must be `expected`; done when it is durable.
    pub fn keep(&self, file: &Path, expected: &Content) -> Result<()> {
        self.store(file, expected, false)
    }

    /// Stores the content of a file that was found to be `expected` and is about to be replaced or
    /// removed. Where the file system cannot share blocks, but can give the file a second name, the
    /// file itself becomes the stored one: the caller reads it once more before it takes its first
    /// name away, or else calls [`Blobs::release`].
    pub(crate) fn keep_outgoing(&self, file: &Path, expected: &Content) -> Result<()> {
        self.store(file, expected, true)
    }

    fn store(&self, file: &Path, expected: &Content, outgoing: bool) -> Result<()> {
        let target = self.path(expected);
        if self.owns(expected) {
            return Ok(());
        }
        let shelf = target.parent().unwrap_or(&self.folder);
        point("make the folder", shelf)?;
        fs::create_dir_all(shelf).map_err(Error::io("make the folder", shelf))?;
        let staged = NamedTempFile::new_in(shelf).map_err(Error::io("write into", shelf))?;
        let staged = staged.into_temp_path();
        if !share(file, &staged)? {
            if outgoing && link(file, &target)? {
                sync_file(file)?;
                return self.sync_around(&target);
            }
            copy_bytes(file, &staged)?;
        }
        if sync_and_read(&staged)? != *expected {
            return Err(Error::NotAsExpected { path: file.to_owned() });
        }
        point("write", &target)?;
        staged.persist(&target).map_err(|e| Error::io("write", &target)(e.error))?;
        self.sync_around(&target)
    }

    fn sync_around(&self, target: &Path) -> Result<()> {
        sync_folder(target.parent().unwrap_or(&self.folder))?;
        sync_folder(&self.folder)
    }

    /// Whether a content is stored, whole, in a file that has no name outside the store, by which
    /// something else could alter it.
    fn owns(&self, content: &Content) -> bool {
        let path = self.path(content);
        is_alone(&path) && Content::of_file(&path).is_ok_and(|stored| stored == *content)
    }

    /// Gives a content up that is still the very file that it was to be kept from. Where that fails,
    /// it does no harm: the store counts on no file that has two names.
    pub(crate) fn release(&self, file: &Path, content: &Content) {
        if is_same_file(&self.path(content), file) {
            let _ = self.drop_content(content);
        }
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
    // On Windows a file that is there has marks which a new one would not have.
    if !cfg!(windows) && share(from, to)? { Ok(()) } else { copy_bytes(from, to) }
}

/// Makes a file that shares the blocks of another, in place of the one that may be there. Where the
/// file system cannot, nothing is there afterwards.
fn share(from: &Path, to: &Path) -> Result<bool> {
    point("write", to)?;
    let _ = fs::remove_file(to);
    Ok(reflink_copy::reflink(from, to).is_ok())
}

/// Gives a file a second name, if it has but one, the file system can, and nothing has that name.
fn link(from: &Path, to: &Path) -> Result<bool> {
    point("link", to)?;
    // Windows lets nobody write out or remove what is marked read-only, under neither name.
    let free = !cfg!(windows) || !fs::metadata(from).is_ok_and(|m| m.permissions().readonly());
    Ok(free && is_alone(from) && fs::hard_link(from, to).is_ok())
}

fn copy_bytes(from: &Path, to: &Path) -> Result<()> {
    point("write", to)?;
    let mut source = File::open(from).map_err(Error::io("read", from))?;
    let target = File::options().write(true).create(true).truncate(true).open(to);
    let mut target = target.map_err(Error::io("write", to))?;
    std::io::copy(&mut source, &mut target).map(drop).map_err(Error::io("write", to))
}

/// Waits until a file's content is on disk, and reads it back meanwhile.
pub(crate) fn sync_and_read(path: &Path) -> Result<Content> {
    let (synced, content) = rayon::join(|| sync_file(path), || Content::read(path));
    synced.and(content)
}

/// Waits until a file's content is on disk.
fn sync_file(path: &Path) -> Result<()> {
    point("write to disk", path)?;
    // Windows wants a handle that could write, others not; a read-only file has none that can.
    let file = File::options().read(true).write(cfg!(windows)).open(path);
    let file = file.map_err(Error::io("open", path))?;
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
