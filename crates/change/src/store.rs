//! Content by digest: each distinct content once, in `ab/abcdef...`.
//!
//! A file appears under its name only when all of it is on disk and was read back: it is written
//! under another name, synced, read and then renamed. A stored file has that one name and is
//! read-only, so that nothing else writes into it: an original is never moved or linked here.

use std::fs::File;
use std::io::{self, Read, Write};
use std::path::{Path, PathBuf};
use std::sync::OnceLock;

use crate::content::{Content, Digest, FileState};
use crate::error::{Error, Result};
use crate::fault::point;
use crate::folder::{Folder, Found, metadata_of, set_marks};
use crate::random::{is_random_name, random_name};
use crate::transfer::{Source, fill, fill_durably, read_from_start, share};

/// The store of content in one folder.
#[derive(Debug)]
pub struct Store {
    folder: Folder,
    sharing: OnceLock<bool>,
    /// Whether each stored file is made durable separately; otherwise the whole volume is synced before anything
    /// relies on it.
    is_durable: bool,
}

impl Store {
    /// Opens the store in a folder, making it if needed.
    ///
    /// # Errors
    /// If the folder cannot be made or opened.
    pub fn open(folder: &Path) -> Result<Self> {
        Ok(Self { folder: Folder::make(folder)?, sharing: OnceLock::new(), is_durable: true })
    }

    /// The same store for many files at a time: none is durable until [`Self::sync`] has made all so.
    ///
    /// # Errors
    /// If its folder is not there any more.
    pub(crate) fn for_many(&self) -> Result<Self> {
        let folder = Folder::open(self.folder.path())?;
        Ok(Self { folder, sharing: self.sharing.clone(), is_durable: false })
    }

    /// Makes all durable that was stored.
    ///
    /// # Errors
    /// If the disk fails.
    pub(crate) fn sync(&self) -> Result<()> {
        self.folder.sync_volume()
    }

    fn sync_names(&self, folder: &Folder) -> Result<()> {
        if self.is_durable { folder.sync() } else { Ok(()) }
    }

    fn fill(
        &self,
        source: Source<'_>,
        to: &File,
        path: &Path,
        mark: impl FnOnce() -> Result<()>,
    ) -> Result<Content> {
        if self.is_durable {
            fill_durably(source, to, path, mark)
        } else {
            fill(source, to, path, mark)
        }
    }

    /// The path of a content, whether it is stored or not.
    pub fn path(&self, content: &Content) -> PathBuf {
        let name = content.blake3.to_string();
        self.folder.path().join(&name[..2]).join(name)
    }

    /// The folder that it is in.
    pub fn folder(&self) -> &Path {
        self.folder.path()
    }

    fn shelf(&self, digest: &Digest) -> Result<Option<Folder>> {
        self.folder.below(&digest.to_string()[..2])
    }

    /// The shelf for a digest, made if it is not there yet.
    fn make_shelf(&self, digest: &Digest) -> Result<Folder> {
        let name = &digest.to_string()[..2];
        if let Some(shelf) = self.folder.below(name)? {
            return Ok(shelf);
        }
        match self.folder.make_folder(name) {
            Err(Error::Io { source, .. }) if source.kind() == io::ErrorKind::AlreadyExists => {}
            made => made?,
        }

        self.sync_names(&self.folder)?;
        let missing = || Error::DamagedContent { path: self.folder.path().join(name) };
        self.folder.below(name)?.ok_or_else(missing)
    }

    /// Opens a stored content, of which the length alone is checked.
    ///
    /// # Errors
    /// [`Error::DamagedContent`] if it is not there or of another length.
    pub fn open_content(&self, content: &Content) -> Result<File> {
        let path = self.path(content);
        let shelf = self.shelf(&content.blake3)?;
        let file = shelf.map(|shelf| shelf.read(&content.blake3.to_string())).transpose()?;
        let whole = file
            .flatten()
            .filter(|file| file.metadata().is_ok_and(|metadata| metadata.len() == content.size));
        whole.ok_or(Error::DamagedContent { path })
    }

    /// The bytes of a stored content, verified.
    ///
    /// # Errors
    /// [`Error::DamagedContent`] if it is not there or another.
    pub fn bytes(&self, content: &Content) -> Result<Vec<u8>> {
        let path = self.path(content);
        let mut bytes = Vec::new();
        let read = self.open_content(content)?.read_to_end(&mut bytes);
        read.map_err(Error::io("read", &path))?;
        if Content::of_bytes(&bytes) == *content {
            Ok(bytes)
        } else {
            Err(Error::DamagedContent { path })
        }
    }

    /// The file that holds a content, checked to be there with the right length.
    ///
    /// # Errors
    /// [`Error::DamagedContent`] if it is not.
    pub fn file(&self, content: &Content) -> Result<PathBuf> {
        self.open_content(content).map(|_| self.path(content))
    }

    /// Whether a content is stored; its length alone is compared.
    pub fn has(&self, content: &Content) -> bool {
        self.open_content(content).is_ok()
    }

    /// Reads a stored content and reports whether it is undamaged.
    pub fn is_whole(&self, content: &Content) -> bool {
        let read = |file: File| Content::of_open(&file).ok();
        self.open_content(content).ok().and_then(read) == Some(*content)
    }

    /// Stores what an open file holds, which must be `expected`; done when it is durable. `origin` is
    /// the file's path, for messages.
    ///
    /// # Errors
    /// [`Error::NotAsExpected`] if the file holds something else by now.
    pub fn keep(&self, file: &File, expected: &Content, origin: &Path) -> Result<()> {
        let other = || Error::NotAsExpected { path: origin.to_owned() };
        if self.is_whole(expected) {
            let content = read_from_start(file).map_err(Error::io("read", origin))?;
            return if content == *expected { Ok(()) } else { Err(other()) };
        }

        let shelf = self.make_shelf(&expected.blake3)?;
        let name = random_name("");
        let path = shelf.path().join(&name);
        let done = Self::write_new(&shelf, &name, |target| {
            let content = self.copy(file, target, &path, || Ok(()))?;
            if content == *expected { Ok(()) } else { Err(other()) }
        });
        done.and_then(|()| self.name(&shelf, &name, expected))
    }

    /// Stores bytes; done when they are durable.
    ///
    /// # Errors
    /// If the store cannot be written to.
    pub fn keep_bytes(&self, bytes: &[u8]) -> Result<Content> {
        let content = Content::of_bytes(bytes);
        if self.is_whole(&content) {
            return Ok(content);
        }
        let shelf = self.make_shelf(&content.blake3)?;
        let name = random_name("");
        let path = shelf.path().join(&name);

        Self::write_new(&shelf, &name, |target| {
            let stored = self.fill(Source::Bytes(bytes), target, &path, || Ok(()))?;
            if stored == content {
                Ok(())
            } else {
                Err(Error::DamagedContent { path: path.clone() })
            }
        })?;

        self.name(&shelf, &name, &content)?;
        Ok(content)
    }

    /// Makes a file of the store under a passing name, and removes it if it cannot be filled.
    fn write_new(shelf: &Folder, name: &str, fill: impl FnOnce(&File) -> Result<()>) -> Result<()> {
        let file = shelf.create(name, None)?;
        let path = shelf.path().join(name);
        let filled = fill(&file).and_then(|()| {
            let doing = || Error::io("set the marks of", &path);
            let mut permissions = file.metadata().map_err(doing())?.permissions();
            permissions.set_readonly(true);
            file.set_permissions(permissions).map_err(doing())
        });

        drop(file);
        if filled.is_err() {
            // A file left under a temporary name is removed when the home is checked next.
            let _ = shelf.remove_file(name);
        }
        filled
    }

    /// Gives a written file its name. One that is there under it is damaged, or the same.
    fn name(&self, shelf: &Folder, from: &str, content: &Content) -> Result<()> {
        let name = content.blake3.to_string();
        if matches!(shelf.find(&name)?, Found::Folder(_)) {
            shelf.remove_folder(&name)?;
        }
        shelf.rename(from, shelf, &name)?;
        self.sync_names(shelf)
    }

    /// Puts a stored content into a new, empty file and gives it its marks; checked against the digest
    /// and durable when done.
    pub(crate) fn place(&self, state: &FileState, target: &File, path: &Path) -> Result<()> {
        let source = self.open_content(&state.content)?;
        let placed = self.copy(&source, target, path, || set_marks(target, path, &state.stamp))?;
        let damaged = || Error::DamagedContent { path: self.path(&state.content) };
        if placed == state.content { Ok(()) } else { Err(damaged()) }
    }

    /// The same of what an open file holds, which need not be stored. `origin` is that file's path.
    pub(crate) fn place_file(
        &self,
        source: &File,
        origin: &Path,
        state: &FileState,
        target: &File,
        path: &Path,
    ) -> Result<()> {
        let placed = self.copy(source, target, path, || set_marks(target, path, &state.stamp))?;
        let other = || Error::NotAsExpected { path: origin.to_owned() };
        if placed == state.content { Ok(()) } else { Err(other()) }
    }

    /// The same of bytes, which are few: they are durable in any case.
    pub(crate) fn place_bytes(
        bytes: &[u8],
        state: &FileState,
        target: &File,
        path: &Path,
    ) -> Result<()> {
        point("write", path)?;
        let mark = || set_marks(target, path, &state.stamp);
        let placed = fill_durably(Source::Bytes(bytes), target, path, mark)?;
        let other = || Error::NotAsExpected { path: path.to_owned() };
        if placed == state.content { Ok(()) } else { Err(other()) }
    }

    /// Fills a new file with the content of another, sharing its blocks if possible; returns the content.
    fn copy(
        &self,
        from: &File,
        to: &File,
        path: &Path,
        mark: impl FnOnce() -> Result<()>,
    ) -> Result<Content> {
        point("write", path)?;
        let source = if self.shares_blocks() && share(from, to) {
            Source::There(metadata_of(to, path)?.len())
        } else {
            Source::File(from)
        };
        self.fill(source, to, path, mark)
    }

    /// Whether files on the store's volume can share their blocks, so that a copy takes no room.
    pub fn shares_blocks(&self) -> bool {
        *self.sharing.get_or_init(|| self.try_sharing().unwrap_or(false))
    }

    fn try_sharing(&self) -> Result<bool> {
        if !cfg!(target_os = "linux") {
            return Ok(false);
        }
        let names = [random_name(""), random_name("")];
        let tried = (|| {
            let (mut one, other) =
                (self.folder.create(&names[0], None)?, self.folder.create(&names[1], None)?);
            let path = self.folder.path();
            one.write_all(&[0; 4096]).map_err(Error::io("write into", path))?;
            Ok(share(&one, &other))
        })();

        for name in &names {
            self.folder.remove_file(name)?;
        }
        tried
    }

    /// Every content that is stored: its digest and its length.
    ///
    /// # Errors
    /// If the store cannot be read.
    pub fn contents(&self) -> Result<Vec<Content>> {
        let mut contents = Vec::new();
        self.each(|shelf, name| {
            let digest = name.parse::<Digest>().ok().filter(|digest| digest.to_string() == name);
            if let (Some(blake3), Found::File(metadata)) = (digest, shelf.find(name)?) {
                contents.push(Content { blake3, size: metadata.len() });
            }
            Ok(())
        })?;
        contents.sort();
        Ok(contents)
    }

    /// Removes files that were being written when a run was interrupted; gives how many. Must be called while nothing
    /// else writes here.
    ///
    /// # Errors
    /// If the store cannot be read or a file not removed.
    pub fn clear_partial(&self) -> Result<usize> {
        let mut removed = 0;
        self.each(|shelf, name| {
            if is_random_name(name) && matches!(shelf.find(name)?, Found::File(_)) {
                shelf.remove_file(name)?;
                removed += 1;
            }
            Ok(())
        })?;
        Ok(removed)
    }

    fn each(&self, mut act: impl FnMut(&Folder, &str) -> Result<()>) -> Result<()> {
        for name in self.folder.names()? {
            let Ok(name) = name.into_string() else { continue };
            if !matches!(self.folder.find(&name)?, Found::Folder(_)) {
                act(&self.folder, &name)?;
                continue;
            }
            let Some(shelf) = self.folder.below(&name)? else { continue };
            for name in shelf.names()? {
                if let Ok(name) = name.into_string() {
                    act(&shelf, &name)?;
                }
            }
        }
        Ok(())
    }

    /// Forgets a content that nothing needs any more.
    ///
    /// # Errors
    /// If it cannot be removed.
    pub fn drop_content(&self, content: &Content) -> Result<()> {
        match self.shelf(&content.blake3)? {
            Some(shelf) => shelf.remove_file(&content.blake3.to_string()),
            None => Ok(()),
        }
    }
}
