//! A folder held open, and the operations on its entries. Nothing here follows a link, and nothing blocks: a pipe or
//! a device is not opened.
//!
//! A handle always refers to the same folder, whatever is put in its place afterwards. Windows renames and removes by
//! path; there the handle keeps the folder from being renamed or removed while it is open.

use std::ffi::OsString;
use std::fs::{File, FileTimes, Metadata};
use std::io::{self, ErrorKind};
use std::path::{Path, PathBuf};
use std::thread;
use std::time::Duration;

use cap_fs_ext::{DirExt, FollowSymlinks, MetadataExt, OpenOptionsFollowExt};
use cap_std::ambient_authority;
use cap_std::fs::{Dir, OpenOptions, OpenOptionsExt};

use crate::content::{Stamp, system_time};
use crate::error::{Error, Result};
#[cfg(target_os = "linux")]
use crate::fault::all_synced;
use crate::fault::{point, synced};
use crate::path::{TreePath, same_name};

/// A folder held open.
#[derive(Debug)]
pub struct Folder {
    dir: Dir,
    /// By which path it was opened, for messages.
    path: PathBuf,
}

/// What Windows wants to be asked for before it removes or replaces a file.
#[cfg(windows)]
const DELETE_AND_READ_ATTRIBUTES: u32 = 0x0001_0080;

/// What makes a folder or file the one that it is, whatever its names: volume and number.
pub type Identity = (u64, u64);

/// The kind of thing at a name.
#[derive(Debug)]
pub enum Found {
    /// Nothing.
    Nothing,
    /// A plain file.
    File(cap_std::fs::Metadata),
    /// A folder.
    Folder(cap_std::fs::Metadata),
    /// Something else, with its article: a link, a pipe, a device.
    Other(&'static str),
}

impl Found {
    fn of(metadata: cap_std::fs::Metadata) -> Self {
        let kind = metadata.file_type();
        if kind.is_symlink() {
            Self::Other("a link")
        } else if kind.is_dir() {
            Self::Folder(metadata)
        } else if kind.is_file() {
            Self::File(metadata)
        } else {
            Self::Other("a pipe, a socket or a device")
        }
    }

    /// Its kind, with its article.
    pub fn what(&self) -> &'static str {
        match self {
            Self::Nothing => "nothing",
            Self::File(_) => "a file",
            Self::Folder(_) => "a folder",
            Self::Other(what) => what,
        }
    }
}

impl Folder {
    /// Opens a folder by its path, as the user named it.
    ///
    /// # Errors
    /// If it is not there, not a folder, or may not be opened.
    pub fn open(path: &Path) -> Result<Self> {
        let dir = Dir::open_ambient_dir(path, ambient_authority());
        Ok(Self { dir: dir.map_err(Error::io("open", path))?, path: path.to_owned() })
    }

    /// Opens our own folder, making it and those around it if needed.
    ///
    /// # Errors
    /// If it cannot be made or opened.
    pub fn make(path: &Path) -> Result<Self> {
        if !path.is_dir() {
            point("make the folder", path)?;
            std::fs::create_dir_all(path).map_err(Error::io("make the folder", path))?;
            if let Some(around) = path.parent().filter(|around| !around.as_os_str().is_empty()) {
                Self::open(around)?.sync()?;
            }
        }
        Self::open(path)
    }

    /// By which path it was opened.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// What makes it the folder that it is.
    ///
    /// # Errors
    /// If the system does not say it.
    pub fn identity(&self) -> Result<Identity> {
        let metadata = self.dir.dir_metadata().map_err(Error::io("look at", &self.path))?;
        Ok((metadata.dev(), metadata.ino()))
    }

    /// A folder below this one; nothing if a part of the way is not there.
    ///
    /// # Errors
    /// If a part of the way is a link or a file, or may not be opened.
    pub fn below(&self, path: &str) -> Result<Option<Self>> {
        if let Some(folder) = self.below_at_once(path) {
            return Ok(Some(folder));
        }
        let mut folder = self.again()?;
        for part in path.split('/').filter(|part| !part.is_empty()) {
            let Some(next) = folder.child(part)? else { return Ok(None) };
            folder = next;
        }
        Ok(Some(folder))
    }

    /// The same in one operation, if the system can lead the way without following a link; nothing if it cannot, or
    /// the way does not lead to a folder.
    #[cfg(target_os = "linux")]
    fn below_at_once(&self, path: &str) -> Option<Self> {
        use rustix::fs::{Mode, OFlags, ResolveFlags, openat2};
        let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC;
        let plain = ResolveFlags::BENEATH | ResolveFlags::NO_SYMLINKS;
        let folder = Some(path).filter(|path| !path.is_empty())?;
        let handle = openat2(&self.dir, folder, flags, Mode::empty(), plain).ok()?;
        let dir = Dir::from_std_file(File::from(handle));
        Some(Self { dir, path: self.path.join(path) })
    }

    #[cfg(not(target_os = "linux"))]
    fn below_at_once(&self, _: &str) -> Option<Self> {
        None
    }

    /// The folder that a path is in; nothing if it is not there.
    ///
    /// # Errors
    /// As for [`Folder::below`].
    pub fn around(&self, path: &TreePath) -> Result<Option<Self>> {
        self.below(path.folder())
    }

    fn again(&self) -> Result<Self> {
        let dir = self.dir.try_clone().map_err(Error::io("open", &self.path))?;
        Ok(Self { dir, path: self.path.clone() })
    }

    fn child(&self, name: &str) -> Result<Option<Self>> {
        let path = self.path.join(name);
        match self.dir.open_dir_nofollow(name) {
            Ok(dir) => Ok(Some(Self { dir, path })),
            Err(error) if error.kind() == ErrorKind::NotFound => Ok(None),
            Err(error) => match self.find(name)? {
                Found::Nothing => Ok(None),
                Found::Folder(_) => Err(Error::io("open", &path)(error)),
                other => Err(Error::NotPlain { path, what: other.what() }),
            },
        }
    }

    /// The kind of thing at a name in this folder.
    ///
    /// # Errors
    /// If the system does not say it.
    pub fn find(&self, name: &str) -> Result<Found> {
        match self.dir.symlink_metadata(name) {
            Ok(metadata) => Ok(Found::of(metadata)),
            Err(error) if error.kind() == ErrorKind::NotFound => Ok(Found::Nothing),
            Err(error) => Err(Error::io("look at", &self.path.join(name))(error)),
        }
    }

    /// Opens a plain file to read; `None` if it does not exist.
    ///
    /// # Errors
    /// If something else is there, or it may not be read.
    pub fn read(&self, name: &str) -> Result<Option<File>> {
        let mut options = OpenOptions::new();
        options.read(true);
        self.open_plain(name, &mut options, "read")
    }

    /// Opens a plain file so that its marks can be set.
    fn for_marks(&self, name: &str) -> Result<Option<File>> {
        let mut options = OpenOptions::new();
        #[cfg(windows)]
        {
            // A file that is marked read-only can be opened for its attributes alone.
            const READ_AND_WRITE_ATTRIBUTES: u32 = 0x0180;
            options.access_mode(READ_AND_WRITE_ATTRIBUTES);
        }
        #[cfg(not(windows))]
        options.read(true);
        self.open_plain(name, &mut options, "set the marks of")
    }

    /// Opens a plain file and keeps others from writing into it as long as it is held, if the system can; fails there
    /// while someone else could write.
    pub(crate) fn read_alone(&self, name: &str) -> Result<Option<File>> {
        let mut options = OpenOptions::new();
        options.read(true);
        #[cfg(windows)]
        {
            const SHARED_FOR_READING_AND_REMOVING: u32 = 0x1 | 0x4;
            options.share_mode(SHARED_FOR_READING_AND_REMOVING);
        }
        self.open_plain(name, &mut options, "read")
    }

    fn open_plain(
        &self,
        name: &str,
        options: &mut OpenOptions,
        doing: &'static str,
    ) -> Result<Option<File>> {
        let path = self.path.join(name);
        match self.find(name)? {
            Found::Nothing => return Ok(None),
            Found::File(_) => {}
            other => return Err(Error::NotPlain { path, what: other.what() }),
        }

        options.follow(FollowSymlinks::No);
        // If something else has just replaced the file, it is opened without blocking.
        #[cfg(unix)]
        options
            .custom_flags(i32::try_from(rustix::fs::OFlags::NONBLOCK.bits()).unwrap_or_default());

        let file = match patiently(|| self.dir.open_with(name, options)) {
            Ok(file) => file.into_std(),
            Err(error) if error.kind() == ErrorKind::NotFound => return Ok(None),
            Err(error) => return Err(Error::io(doing, &path)(error)),
        };
        let metadata = file.metadata().map_err(Error::io("look at", &path))?;
        if metadata.is_file() {
            Ok(Some(file))
        } else {
            Err(Error::NotPlain { path, what: "a pipe, a socket or a device" })
        }
    }

    /// Makes a file that is not there yet. On Windows with those of the given attributes that a file
    /// takes when it is made.
    ///
    /// # Errors
    /// If something has that name already, or the folder may not be written to.
    pub fn create(&self, name: &str, attributes: Option<u32>) -> Result<File> {
        let path = self.path.join(name);
        point("write", &path)?;
        let mut options = OpenOptions::new();
        options.read(true).write(true).create_new(true).follow(FollowSymlinks::No);
        #[cfg(windows)]
        {
            const HIDDEN: u32 = 0x2;
            const SYSTEM: u32 = 0x4;
            const ARCHIVE: u32 = 0x20;
            const NOT_INDEXED: u32 = 0x2000;
            let kept = HIDDEN | SYSTEM | ARCHIVE | NOT_INDEXED;
            options.attributes(attributes.unwrap_or(ARCHIVE) & kept);
        }

        #[cfg(not(windows))]
        let _ = attributes;
        let file = self.dir.open_with(name, &options).map_err(Error::io("write", &path))?;
        Ok(file.into_std())
    }

    /// Opens our own file, as the options say; a link is not followed.
    pub(crate) fn open_with(&self, name: &str, options: &OpenOptions) -> io::Result<File> {
        let mut options = options.clone();
        self.dir
            .open_with(name, options.follow(FollowSymlinks::No))
            .map(cap_std::fs::File::into_std)
    }

    /// Renames a file of this folder over anything with the new name.
    ///
    /// # Errors
    /// If the system refuses it.
    pub fn rename(&self, from: &str, to: &Self, name: &str) -> Result<()> {
        let path = to.path.join(name);
        point("replace", &path)?;
        to.make_replaceable(name)?;
        patiently(|| self.dir.rename(from, &to.dir, name)).map_err(Error::io("replace", &path))
    }

    /// Renames a file of this folder to a name that nothing has.
    ///
    /// # Errors
    /// If something has that name, or the system refuses it.
    pub fn rename_new(&self, from: &str, to: &Self, name: &str) -> Result<()> {
        let path = to.path.join(name);
        point("write", &path)?;
        if let Some(done) = self.rename_at_once(from, to, name) {
            return done.map_err(Error::io("write", &path));
        }

        // Windows takes no name away from a file that is marked read-only.
        let is_marked = self.make_replaceable(from)?;
        self.rename_by_names(from, to, name)?;
        if is_marked { to.set_read_only(name, true) } else { Ok(()) }
    }

    /// Moves a file or folder of this folder, with all that is in it, to a name that nothing has.
    ///
    /// # Errors
    /// If something has that name, it is on another volume, or the system refuses it.
    pub fn move_new(&self, from: &str, to: &Self, name: &str) -> Result<()> {
        if !matches!(self.find(from)?, Found::Folder(_)) {
            return self.rename_new(from, to, name);
        }
        let path = to.path.join(name);
        point("move to", &path)?;
        let done = self.rename_at_once(from, to, name).unwrap_or_else(|| match to.find(name) {
            Ok(Found::Nothing) => patiently(|| self.dir.rename(from, &to.dir, name)),
            _ => Err(ErrorKind::AlreadyExists.into()),
        });
        done.map_err(Error::io("move to", &path))
    }

    /// Renames to a name that nothing has in one operation, if the system can.
    #[cfg(target_os = "linux")]
    fn rename_at_once(&self, from: &str, to: &Self, name: &str) -> Option<io::Result<()>> {
        use rustix::fs::{RenameFlags, renameat_with};
        use rustix::io::Errno;
        match renameat_with(&self.dir, from, &to.dir, name, RenameFlags::NOREPLACE) {
            Err(Errno::INVAL | Errno::NOSYS) => None,
            done => Some(done.map_err(io::Error::from)),
        }
    }

    #[cfg(not(target_os = "linux"))]
    fn rename_at_once(&self, _: &str, _: &Self, _: &str) -> Option<io::Result<()>> {
        None
    }

    /// Gives a file a name that nothing has, and takes its own away.
    fn rename_by_names(&self, from: &str, to: &Self, name: &str) -> Result<()> {
        let path = to.path.join(name);
        // A second name is given to nothing that is there; if the file system has none, it is looked.
        match self.dir.hard_link(from, &to.dir, name) {
            Ok(()) => {
                return patiently(|| self.dir.remove_file(from)).map_err(Error::io("write", &path));
            }
            Err(error) if error.kind() == ErrorKind::AlreadyExists => {
                return Err(Error::io("write", &path)(error));
            }
            Err(_) => {}
        }

        match to.find(name)? {
            Found::Nothing => patiently(|| self.dir.rename(from, &to.dir, name))
                .map_err(Error::io("write", &path)),
            _ => Err(Error::io("write", &path)(ErrorKind::AlreadyExists.into())),
        }
    }

    /// Lets a file of this folder, which no one else knows, change places with another; that name is never
    /// without one of them. Says whether the file system can do that.
    ///
    /// # Errors
    /// If one of them is not there, or the system refuses it.
    pub fn swap(&self, own: &str, other: &Self, name: &str) -> Result<bool> {
        Ok(self.swap_at_once(own, other, name)? || self.swap_by_names(own, other, name)?)
    }

    #[cfg(target_os = "linux")]
    fn swap_at_once(&self, own: &str, other: &Self, name: &str) -> Result<bool> {
        use rustix::fs::{RenameFlags, renameat_with};
        use rustix::io::Errno;
        let path = other.path.join(name);
        point("replace", &path)?;
        match renameat_with(&self.dir, own, &other.dir, name, RenameFlags::EXCHANGE) {
            Ok(()) => Ok(true),
            Err(Errno::INVAL | Errno::NOSYS) => Ok(false),
            Err(error) => Err(Error::io("replace", &path)(error.into())),
        }
    }

    #[cfg(not(target_os = "linux"))]
    #[expect(clippy::unused_self, clippy::unnecessary_wraps, reason = "Linux can")]
    fn swap_at_once(&self, _: &str, _: &Self, _: &str) -> Result<bool> {
        Ok(false)
    }

    /// The same in three steps: the other file gets a second name, is replaced under its first, and takes
    /// the name that has become free. Says whether the file system has second names.
    ///
    /// # Errors
    /// As for [`Folder::swap`]; [`Folder::end_swap`] then completes it.
    pub fn swap_by_names(&self, own: &str, other: &Self, name: &str) -> Result<bool> {
        let path = other.path.join(name);
        point("replace", &path)?;
        other.expect_replaceable(name)?;
        if other.dir.hard_link(name, &self.dir, second_name(own)).is_err() {
            return Ok(false);
        }
        self.rename(own, other, name)?;
        self.end_swap(own)?;
        Ok(true)
    }

    /// Fails if Windows would not let a file be replaced, since someone has it open: a second name of it could not be
    /// removed either.
    #[cfg(windows)]
    fn expect_replaceable(&self, name: &str) -> Result<()> {
        let mut options = OpenOptions::new();
        options.access_mode(DELETE_AND_READ_ATTRIBUTES);
        self.open_plain(name, &mut options, "replace").map(drop)
    }

    #[cfg(not(windows))]
    #[expect(clippy::unused_self, clippy::unnecessary_wraps, reason = "Windows may refuse it")]
    fn expect_replaceable(&self, _: &str) -> Result<()> {
        Ok(())
    }

    /// Ends a swap by names that was interrupted: either nothing had been replaced yet, or the old file
    /// takes the name that became free.
    ///
    /// # Errors
    /// If the system refuses it.
    pub fn end_swap(&self, own: &str) -> Result<()> {
        let second = second_name(own);
        if matches!(self.find(&second)?, Found::Nothing) {
            return Ok(());
        }
        match self.find(own)? {
            Found::Nothing => self.rename(&second, self, own),
            _ => self.remove_file(&second),
        }
    }

    /// Removes a plain file, if it is there.
    ///
    /// # Errors
    /// If the system refuses it.
    pub fn remove_file(&self, name: &str) -> Result<()> {
        let path = self.path.join(name);
        match self.find(name)? {
            Found::Nothing => return Ok(()),
            Found::File(_) => {}
            other => return Err(Error::NotPlain { path, what: other.what() }),
        }

        point("remove", &path)?;
        self.make_replaceable(name)?;
        match patiently(|| self.dir.remove_file(name)) {
            Err(error) if error.kind() != ErrorKind::NotFound => {
                Err(Error::io("remove", &path)(error))
            }
            _ => Ok(()),
        }
    }

    /// Removes a plain file so that its room is freed only when the handle that this gives is closed. Of what cannot
    /// be removed so, or does not exist, there is nothing to hold.
    pub(crate) fn remove_for_later(&self, name: &str) -> Option<File> {
        #[cfg(windows)]
        {
            // The name goes when the handle does, also if the program ends before.
            const DELETE_ON_CLOSE: u32 = 0x0400_0000;
            let mut options = OpenOptions::new();
            options.access_mode(DELETE_AND_READ_ATTRIBUTES).custom_flags(DELETE_ON_CLOSE);
            point("remove", &self.path.join(name)).ok()?;
            self.open_plain(name, &mut options, "remove").ok().flatten()
        }
        #[cfg(not(windows))]
        {
            let file = self.read(name).ok().flatten()?;
            self.remove_file(name).ok()?;
            Some(file)
        }
    }

    /// Makes a folder that is not there yet.
    ///
    /// # Errors
    /// If something has that name already, or the system refuses it.
    pub fn make_folder(&self, name: &str) -> Result<()> {
        let path = self.path.join(name);
        point("make the folder", &path)?;
        self.dir.create_dir(name).map_err(Error::io("make the folder", &path))
    }

    /// Gives a folder the permission bits that it had, if the system has them.
    ///
    /// # Errors
    /// If the system refuses it.
    #[cfg(unix)]
    pub(crate) fn set_folder_mode(&self, name: &str, mode: Option<u32>) -> Result<()> {
        let (Some(mode), Some(folder)) = (mode, self.child(name)?) else { return Ok(()) };
        let path = self.path.join(name);
        point("set the marks of", &path)?;
        let mode = rustix::fs::Mode::from_raw_mode(mode);
        let set = folder.handle().and_then(|handle| Ok(rustix::fs::fchmod(&handle, mode)?));
        set.map_err(Error::io("set the marks of", &path))
    }

    /// Windows has no such bits.
    #[cfg(not(unix))]
    #[expect(clippy::unused_self, clippy::unnecessary_wraps, reason = "other systems have them")]
    pub(crate) fn set_folder_mode(&self, _: &str, _: Option<u32>) -> Result<()> {
        Ok(())
    }

    /// Removes a folder if it is empty; says whether it was.
    ///
    /// # Errors
    /// If the system refuses it for another reason.
    pub fn remove_folder(&self, name: &str) -> Result<bool> {
        let path = self.path.join(name);
        point("remove", &path)?;
        match patiently(|| self.dir.remove_dir(name)) {
            Ok(()) => Ok(true),
            Err(error) if error.kind() == ErrorKind::NotFound => Ok(true),
            Err(error) if error.kind() == ErrorKind::DirectoryNotEmpty => Ok(false),
            Err(error) => Err(Error::io("remove", &path)(error)),
        }
    }

    /// Its entries with their kinds, including names that are not Unicode.
    ///
    /// # Errors
    /// If it may not be read.
    pub fn names(&self) -> Result<Vec<OsString>> {
        let read = || -> io::Result<Vec<OsString>> {
            self.dir.entries()?.map(|entry| entry.map(|entry| entry.file_name())).collect()
        };
        read().map_err(Error::io("look into", &self.path))
    }

    /// A name as the folder spells it, without regard to case; nothing if it has none.
    ///
    /// # Errors
    /// If it may not be read.
    pub fn spelled(&self, name: &str) -> Result<Option<String>> {
        // If both spellings exist, use the requested one.
        if !cfg!(windows) && !matches!(self.find(name)?, Found::Nothing) {
            return Ok(Some(name.to_owned()));
        }
        let names = self.names()?.into_iter().filter_map(|name| name.into_string().ok());
        let mut same: Vec<String> = names.filter(|other| same_name(other, name)).collect();
        same.sort();
        Ok(same.into_iter().next())
    }

    /// Waits until its entries are on disk. Windows does that automatically.
    ///
    /// # Errors
    /// If the disk fails.
    pub fn sync(&self) -> Result<()> {
        if cfg!(windows) {
            return Ok(());
        }
        point("write to disk", &self.path)?;
        let done = self.handle().and_then(|handle| handle.sync_all());
        done.map_err(Error::io("write to disk", &self.path))?;
        synced(&self.path);
        Ok(())
    }

    /// Waits until everything that was written to its volume is on disk.
    ///
    /// # Errors
    /// If the disk fails, or the system can only wait for one file at a time.
    #[cfg(target_os = "linux")]
    pub(crate) fn sync_volume(&self) -> Result<()> {
        point("write to disk", &self.path)?;
        let done = self.handle().and_then(|handle| Ok(rustix::fs::syncfs(handle)?));
        done.map_err(Error::io("write to disk", &self.path))?;
        all_synced();
        Ok(())
    }

    #[cfg(not(target_os = "linux"))]
    pub(crate) fn sync_volume(&self) -> Result<()> {
        Err(Error::io("write to disk", &self.path)(ErrorKind::Unsupported.into()))
    }

    /// A handle on this folder with more rights than one that only opens its entries.
    #[cfg(unix)]
    fn handle(&self) -> io::Result<File> {
        use rustix::fs::{Mode, OFlags, openat};
        let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC;
        Ok(openat(&self.dir, ".", flags, Mode::empty())?.into())
    }

    #[cfg(not(unix))]
    fn handle(&self) -> io::Result<File> {
        self.dir.try_clone().map(Dir::into_std_file)
    }

    /// Sets the marks of a file through its own handle, the read-only mark last.
    ///
    /// # Errors
    /// If it is not there or the system refuses it.
    pub fn mark(&self, name: &str, stamp: &Stamp) -> Result<()> {
        let path = self.path.join(name);
        let missing = || Error::io("set the marks of", &path)(ErrorKind::NotFound.into());
        let file = self.for_marks(name)?.ok_or_else(missing)?;
        set_marks(&file, &path, stamp)
    }

    /// Sets or takes away the read-only mark of a file.
    ///
    /// # Errors
    /// If it is not there or the system refuses it.
    pub fn set_read_only(&self, name: &str, read_only: bool) -> Result<()> {
        self.set_permissions(name, |permissions| permissions.set_readonly(read_only))
    }

    /// Gives a file permission bits that it had, if the system has them.
    ///
    /// # Errors
    /// If it is not there or the system refuses it.
    pub(crate) fn set_mode(&self, name: &str, mode: u32) -> Result<()> {
        self.set_permissions(name, |permissions| set_mode(permissions, Some(mode)))
    }

    fn set_permissions(
        &self,
        name: &str,
        alter: impl FnOnce(&mut std::fs::Permissions),
    ) -> Result<()> {
        let path = self.path.join(name);
        let doing = || Error::io("set the marks of", &path);
        let missing = || doing()(ErrorKind::NotFound.into());
        let file = self.for_marks(name)?.ok_or_else(missing)?;
        let mut permissions = file.metadata().map_err(doing())?.permissions();
        point("set the marks of", &path)?;
        alter(&mut permissions);
        file.set_permissions(permissions).map_err(doing())
    }

    /// Windows replaces and removes no file that is marked read-only; says whether this one was.
    fn make_replaceable(&self, name: &str) -> Result<bool> {
        if !cfg!(windows) {
            return Ok(false);
        }
        let Found::File(metadata) = self.find(name)? else { return Ok(false) };
        let is_marked = metadata.permissions().readonly();
        if is_marked {
            self.set_read_only(name, false)?;
        }
        Ok(is_marked)
    }
}

/// The second name of a file that is being replaced by one of this name.
fn second_name(own: &str) -> String {
    format!("{own}-old")
}

/// Sets the marks of an open file, the read-only mark last, since a read-only file takes no other.
pub(crate) fn set_marks(file: &File, path: &Path, stamp: &Stamp) -> Result<()> {
    let doing = || Error::io("set the marks of", path);
    point("set the marks of", path)?;
    #[cfg_attr(not(windows), expect(unused_mut, reason = "dates of creation are set on Windows"))]
    let mut times = FileTimes::new().set_modified(system_time(stamp.modified));
    #[cfg(windows)]
    if let Some(created) = stamp.created {
        use std::os::windows::fs::FileTimesExt;
        times = times.set_created(system_time(created));
    }

    file.set_times(times).map_err(doing())?;
    let mut permissions = file.metadata().map_err(doing())?.permissions();
    permissions.set_readonly(stamp.read_only);
    set_mode(&mut permissions, stamp.mode);
    file.set_permissions(permissions).map_err(doing())
}

#[cfg(unix)]
fn set_mode(permissions: &mut std::fs::Permissions, mode: Option<u32>) {
    use std::os::unix::fs::PermissionsExt;
    if let Some(mode) = mode {
        permissions.set_mode(mode);
    }
}

#[cfg(not(unix))]
fn set_mode(_: &mut std::fs::Permissions, _: Option<u32>) {}

/// Waits until a file's content and marks are on disk.
///
/// # Errors
/// If the system says that they are not.
pub fn sync_file(file: &File, path: &Path) -> Result<()> {
    point("write to disk", path)?;
    file.sync_all().map_err(Error::io("write to disk", path))?;
    synced(path);
    Ok(())
}

/// Waits until a file's marks are on disk. Windows does that automatically, and needs a handle with write access.
pub(crate) fn sync_marks(file: &File, path: &Path) -> Result<()> {
    if cfg!(windows) { Ok(()) } else { sync_file(file, path) }
}

/// The metadata of a file as the standard library gives it, from its handle.
pub(crate) fn metadata_of(file: &File, path: &Path) -> Result<Metadata> {
    file.metadata().map_err(Error::io("look at", path))
}

/// Milliseconds before each further try: a scanner that looks at everything new lets go within moments. More
/// than these 0.8 s in all would keep a change waiting that is refused for good.
const PATIENCE: [u64; 6] = [5, 20, 50, 100, 200, 400];

/// Tries again for a moment what Windows refuses while a scanner holds a file open.
fn patiently<T>(act: impl Fn() -> io::Result<T>) -> io::Result<T> {
    const ACCESS_DENIED: i32 = 5;
    const SHARING_VIOLATION: i32 = 32;
    for wait in PATIENCE {
        match act() {
            Err(error)
                if cfg!(windows)
                    && matches!(error.raw_os_error(), Some(ACCESS_DENIED | SHARING_VIOLATION)) =>
            {
                thread::sleep(Duration::from_millis(wait));
            }
            done => return done,
        }
    }

    act()
}
