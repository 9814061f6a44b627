//! The few things that the engine does to files in a game's folder.

use std::fs;
use std::io::ErrorKind;
use std::path::{Path, PathBuf};

use filetime::FileTime;

use crate::content::{FileState, Stamp};
use crate::error::{Error, Result};
use crate::fault::point;
use crate::plan::Place;
use crate::state::{copy, sync_and_read, sync_folder};

/// The path of a file on disk, if no link on the way leads out of the game's folder or its bay.
pub(super) fn inside(root: &Path, place: &Place) -> Result<PathBuf> {
    let base = place.base(root);
    let path = place.on(root);
    // Folders that are not there yet are made below one that is.
    let there = path.ancestors().skip(1).find(|folder| folder.exists()).unwrap_or(base);
    let real_base = base.canonicalize().map_err(Error::io("look at", base))?;
    let real_folder = there.canonicalize().map_err(Error::io("look at", there))?;
    if real_folder.starts_with(&real_base) {
        Ok(path)
    } else {
        Err(Error::OutsideGame { path, root: base.to_owned() })
    }
}

/// Makes the folders around a file that are not there yet, durably.
pub(super) fn make_folders(file: &Path) -> Result<()> {
    let folder = file.parent().unwrap_or(file);
    if folder.is_dir() {
        return Ok(());
    }
    make_folders(folder)?;
    point("make the folder", folder)?;
    match fs::create_dir(folder) {
        Err(error) if error.kind() != ErrorKind::AlreadyExists => {
            Err(Error::io("make the folder", folder)(error))
        }
        _ => sync_parent(folder),
    }
}

/// Removes up to `number` of the folders around a file, as far as they are empty.
pub(super) fn remove_empty_folders(file: &Path, number: usize) -> Result<()> {
    for folder in file.ancestors().skip(1).take(number) {
        point("remove", folder)?;
        match fs::remove_dir(folder) {
            Ok(()) => sync_parent(folder)?,
            Err(error) if error.kind() == ErrorKind::NotFound => {}
            // Something else has come to lie in it: the folder stays.
            Err(_) => return Ok(()),
        }
    }
    Ok(())
}

/// Puts stored content beside its target: durable, read back, with the marks that it shall have.
pub(super) fn stage(stored: &Path, staged: &Path, state: &FileState) -> Result<()> {
    remove_if_there(staged)?;
    create(staged, &state.stamp)?;
    copy(stored, staged)?;
    date(staged, &state.stamp)?;
    if sync_and_read(staged)? != state.content {
        return Err(Error::DamagedBlob { path: stored.to_owned() });
    }
    permit(staged, &state.stamp)
}

/// Makes the file with the attributes that Windows takes at this moment.
#[cfg(windows)]
fn create(staged: &Path, stamp: &Stamp) -> Result<()> {
    use std::os::windows::fs::OpenOptionsExt;
    const HIDDEN: u32 = 0x2;
    const SYSTEM: u32 = 0x4;
    const NOT_INDEXED: u32 = 0x2000;
    let kept = stamp.attributes.unwrap_or(0) & (HIDDEN | SYSTEM | NOT_INDEXED);
    let made = fs::OpenOptions::new().write(true).create_new(true).attributes(kept).open(staged);
    made.map(drop).map_err(Error::io("write", staged))
}

#[cfg(not(windows))]
#[expect(clippy::unnecessary_wraps, reason = "it fails on Windows")]
fn create(_: &Path, _: &Stamp) -> Result<()> {
    Ok(())
}

fn date(path: &Path, stamp: &Stamp) -> Result<()> {
    point("set the date of", path)?;
    let (seconds, nanoseconds) = stamp.modified;
    filetime::set_file_mtime(path, FileTime::from_unix_time(seconds, nanoseconds))
        .map_err(Error::io("set the date of", path))
}

/// Permissions come last, since a read-only file takes neither date nor content.
fn permit(path: &Path, stamp: &Stamp) -> Result<()> {
    let doing = || Error::io("set the permissions of", path);
    point("set the permissions of", path)?;
    let mut permissions = fs::metadata(path).map_err(doing())?.permissions();
    permissions.set_readonly(stamp.read_only);
    set_mode(&mut permissions, stamp);
    fs::set_permissions(path, permissions).map_err(doing())
}

#[cfg(unix)]
fn set_mode(permissions: &mut fs::Permissions, stamp: &Stamp) {
    use std::os::unix::fs::PermissionsExt;
    if let Some(mode) = stamp.mode {
        permissions.set_mode(mode);
    }
}

#[cfg(not(unix))]
fn set_mode(_: &mut fs::Permissions, _: &Stamp) {}

/// Renames staged content over its target.
pub(super) fn replace(staged: &Path, target: &Path) -> Result<()> {
    make_replaceable(target)?;
    point("replace", target)?;
    fs::rename(staged, target).map_err(Error::io("replace", target))
}

/// Removes a file whose content is in the store.
pub(super) fn remove(target: &Path) -> Result<()> {
    make_replaceable(target)?;
    point("remove", target)?;
    fs::remove_file(target).map_err(Error::io("remove", target))
}

/// Removes a file of our own, if it is there.
pub(super) fn remove_if_there(path: &Path) -> Result<()> {
    match fs::symlink_metadata(path) {
        Err(error) if error.kind() == ErrorKind::NotFound => Ok(()),
        Err(error) => Err(Error::io("look at", path)(error)),
        Ok(_) => remove(path),
    }
}

/// Windows replaces and removes no file that is marked read-only.
fn make_replaceable(path: &Path) -> Result<()> {
    if !cfg!(windows) {
        return Ok(());
    }
    let Ok(metadata) = fs::symlink_metadata(path) else {
        return Ok(());
    };
    let mut permissions = metadata.permissions();
    if permissions.readonly() {
        #[expect(clippy::permissions_set_readonly_false, reason = "Windows has no such bits")]
        permissions.set_readonly(false);
        fs::set_permissions(path, permissions).map_err(Error::io("replace", path))?;
    }
    Ok(())
}

/// Makes the renames in a file's folder durable; there are none in a folder that is gone.
pub(super) fn sync_parent(path: &Path) -> Result<()> {
    match path.parent() {
        Some(folder) if folder.is_dir() => sync_folder(folder),
        _ => Ok(()),
    }
}
