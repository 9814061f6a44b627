//! The state of a file: its content by digest, and its dates and marks.

use std::fs::File;
use std::io;
use std::path::Path;

use sha2::{Digest as _, Sha256};

use crate::error::{Error, Result};
pub use upright_spanner_change::{Content, Digest, FileState, Stamp};
use upright_spanner_image::file::open_plain;

/// Reads a plain file and returns its content.
///
/// # Errors
/// If it cannot be read.
pub fn content_of(path: &Path) -> Result<Content> {
    open_plain(path).and_then(|file| Content::of_open(&file)).map_err(Error::io("read", path))
}

/// Reads a plain file with its dates and marks; `None` if it does not exist.
///
/// # Errors
/// If something else is there, or it cannot be read.
pub fn state_of(path: &Path) -> Result<Option<FileState>> {
    let file = match open_plain(path) {
        Ok(file) => file,
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(None),
        Err(error) => return Err(Error::io("read", path)(error)),
    };
    let stamp = file.metadata().map(|metadata| Stamp::of(&metadata));
    let content = Content::of_open(&file);
    let read = stamp.and_then(|stamp| Ok(FileState { content: content?, stamp }));
    read.map(Some).map_err(Error::io("read", path))
}

/// The SHA-256 of a whole file, which is what downloads are published with, and its length in bytes.
///
/// # Errors
/// If it cannot be read.
pub fn sha256(path: &Path) -> io::Result<(Digest, u64)> {
    let mut hasher = Sha256::default();
    let size = io::copy(&mut File::open(path)?, &mut hasher)?;
    Ok((Digest::from_bytes(hasher.finalize().into()), size))
}

/// Digests content that passes by.
#[derive(Default)]
pub(crate) struct Hasher {
    blake3: blake3::Hasher,
    size: u64,
}

impl Hasher {
    pub fn update(&mut self, bytes: &[u8]) {
        self.blake3.update(bytes);
        self.size += bytes.len() as u64;
    }

    pub fn finish(self) -> Content {
        let blake3 = Digest::from_bytes(self.blake3.finalize().into());
        Content { blake3, size: self.size }
    }
}
