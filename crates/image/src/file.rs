//! Plain files, read without following a link or waiting for a pipe.

use std::fs::File;
use std::io::{self, Read};
use std::path::Path;

/// Opens a plain file to read; a link is not followed, and nothing waits for a pipe.
///
/// # Errors
/// If it is not a plain file or may not be read.
pub fn open_plain(path: &Path) -> io::Result<File> {
    let plain = |kind: std::fs::FileType| {
        let refused = || io::Error::other("it is a link, a folder or a device, not a file");
        if kind.is_file() { Ok(()) } else { Err(refused()) }
    };
    plain(std::fs::symlink_metadata(path)?.file_type())?;

    let mut options = File::options();
    options.read(true);
    #[cfg(unix)]
    {
        use std::os::unix::fs::OpenOptionsExt;
        let flags = rustix::fs::OFlags::NONBLOCK | rustix::fs::OFlags::NOFOLLOW;
        options.custom_flags(i32::try_from(flags.bits()).unwrap_or_default());
    }

    let file = options.open(path)?;
    plain(file.metadata()?.file_type())?;
    Ok(file)
}

/// The first bytes of a plain file, at most so many.
///
/// # Errors
/// If it cannot be read.
pub fn start_of(path: &Path, most: u64) -> io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    open_plain(path)?.take(most).read_to_end(&mut bytes)?;
    Ok(bytes)
}

/// The bytes of a plain file that is not longer than so many.
///
/// # Errors
/// If it cannot be read or is longer.
pub fn bytes_of(path: &Path, most: u64) -> io::Result<Vec<u8>> {
    let bytes = start_of(path, most + 1)?;
    if bytes.len() as u64 > most {
        let why =
            format!("it is longer than {} KB, the most that such a file may have", most >> 10);
        return Err(io::Error::other(why));
    }
    Ok(bytes)
}

/// The text of a plain file that is not longer than so many bytes.
///
/// # Errors
/// If it cannot be read, is longer, or is not UTF-8.
pub fn text_of(path: &Path, most: u64) -> io::Result<String> {
    let text = String::from_utf8(bytes_of(path, most)?);
    text.map_err(|_| io::Error::other("it is not UTF-8 text"))
}
