//! The state of a file: its content by digest, and the dates and marks that are restored with it.

use std::fmt;
use std::fs::{File, Metadata};
use std::io::{self, Read};
use std::str::FromStr;
use std::time::{SystemTime, UNIX_EPOCH};

use serde::{Deserialize, Deserializer, Serialize, Serializer};

/// A digest of 256 bits; as a text 64 lower-case hexadecimal digits.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, bitcode::Encode, bitcode::Decode)]
pub struct Digest(pub(crate) [u8; 32]);

impl Digest {
    /// A digest that some other function calculated.
    pub fn from_bytes(bytes: [u8; 32]) -> Self {
        Self(bytes)
    }

    /// The first eight digits, for names that people type.
    pub fn short(&self) -> String {
        self.to_string()[..8].to_owned()
    }
}

impl fmt::Display for Digest {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        // Written at once: each line of a journal that is read has its checksum compared.
        const DIGITS: &[u8; 16] = b"0123456789abcdef";
        let mut text = [0; 64];
        for (pair, byte) in text.chunks_exact_mut(2).zip(self.0) {
            pair[0] = DIGITS[usize::from(byte >> 4)];
            pair[1] = DIGITS[usize::from(byte & 15)];
        }
        f.write_str(std::str::from_utf8(&text).map_err(|_| fmt::Error)?)
    }
}

impl fmt::Debug for Digest {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(self, f)
    }
}

impl FromStr for Digest {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let wrong = || format!("`{text}` is not a digest of 64 hexadecimal digits");
        if text.len() != 64 || !text.bytes().all(|byte| byte.is_ascii_hexdigit()) {
            return Err(wrong());
        }
        let mut bytes = [0; 32];
        for (n, byte) in bytes.iter_mut().enumerate() {
            *byte = u8::from_str_radix(&text[2 * n..2 * n + 2], 16).map_err(|_| wrong())?;
        }
        Ok(Self(bytes))
    }
}

impl Serialize for Digest {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for Digest {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        String::deserialize(deserializer)?.parse().map_err(serde::de::Error::custom)
    }
}

/// The content of a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
pub struct Content {
    /// Its BLAKE3, which even a machine without instructions for digests reads faster than it copies.
    pub blake3: Digest,
    /// Its length in bytes.
    pub size: u64,
}

/// How much of a file is read at a time: large enough that one call costs nothing beside it, small
/// enough that several files at a time do not matter.
const BLOCK: u64 = 512 * 1024;

impl Content {
    /// The content that some bytes are.
    pub fn of_bytes(bytes: &[u8]) -> Self {
        Self { blake3: Digest(blake3::hash(bytes).into()), size: bytes.len() as u64 }
    }

    /// Reads an open file from its present position to its end. One block is digested while the next is read, on
    /// threads of the pool; must be called outside of it only while the pool waits for no one.
    ///
    /// # Errors
    /// If the system cannot read it.
    pub fn of_open(file: &File) -> io::Result<Self> {
        // One more byte, so that a small file ends within the first block.
        let block = file.metadata()?.len().saturating_add(1).clamp(4096, BLOCK) as usize;
        let mut hasher = blake3::Hasher::new();
        let mut full = vec![0; block];
        let mut len = fill(file, &mut full)?;
        if len < block {
            return Ok(Self::of_bytes(&full[..len]));
        }

        let mut size = 0;
        rayon::scope(|_| {
            let mut next = vec![0; block];
            while len > 0 {
                size += len as u64;
                let digest = || {
                    hasher.update_rayon(&full[..len]);
                };
                let ((), read) = rayon::join(digest, || fill(file, &mut next));
                len = read?;
                std::mem::swap(&mut full, &mut next);
            }
            Ok(Self { blake3: Digest(hasher.finalize().into()), size })
        })
    }
}

/// Reads until a buffer is full or the file ends.
pub(crate) fn fill(mut file: &File, buffer: &mut [u8]) -> io::Result<usize> {
    let mut len = 0;
    while len < buffer.len() {
        match file.read(&mut buffer[len..]) {
            Ok(0) => break,
            Ok(read) => len += read,
            Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
            Err(error) => return Err(error),
        }
    }
    Ok(len)
}

/// Seconds since 1970, and nanoseconds.
pub type Moment = (i64, u32);

/// The marks around a file's content.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Stamp {
    /// Date of last modification.
    pub modified: Moment,
    /// Date of creation, if it can be set.
    pub created: Option<Moment>,
    /// Permission bits, if the system has them.
    pub mode: Option<u32>,
    /// Whether the file is marked read-only.
    pub read_only: bool,
    /// Windows' own attributes, such as hidden, if the system has them.
    pub attributes: Option<u32>,
}

impl Stamp {
    /// The marks of a file.
    pub fn of(metadata: &Metadata) -> Self {
        let modified = metadata.modified().map_or((0, 0), moment);
        let created = metadata.created().map(moment).ok();
        Self {
            modified,
            created: created.filter(|_| cfg!(windows)),
            mode: mode_of(metadata),
            read_only: metadata.permissions().readonly(),
            attributes: attributes_of(metadata),
        }
    }

    /// The marks of a file that was not there before.
    pub fn fresh(modified: Moment) -> Self {
        let mode = cfg!(unix).then_some(0o644);
        Self { modified, created: None, mode, read_only: false, attributes: None }
    }

    /// These marks with the read-only mark, or without it.
    #[must_use]
    pub fn marked(self, set: bool) -> Self {
        /// Who may write, in permission bits: anyone, and the owner.
        const WRITE: u32 = 0o222;
        const OWNER: u32 = 0o200;
        let mode = self.mode.map(|mode| match set {
            true => mode & !WRITE,
            false if mode & WRITE == 0 => mode | OWNER,
            false => mode,
        });
        Self { read_only: set, mode, ..self }
    }

    /// These marks with another date.
    #[must_use]
    pub fn dated(self, modified: Moment) -> Self {
        Self { modified, ..self }
    }
}

pub(crate) fn moment(time: SystemTime) -> Moment {
    match time.duration_since(UNIX_EPOCH) {
        Ok(since) => (since.as_secs().try_into().unwrap_or(i64::MAX), since.subsec_nanos()),
        Err(before) => {
            // Before 1970: the seconds are rounded down, as the nanoseconds count up.
            let before = before.duration();
            let seconds = i64::try_from(before.as_secs()).unwrap_or(i64::MAX);
            match before.subsec_nanos() {
                0 => (-seconds, 0),
                nanos => (-seconds - 1, 1_000_000_000 - nanos),
            }
        }
    }
}

/// A moment as the system takes it.
pub(crate) fn system_time((seconds, nanos): Moment) -> SystemTime {
    use std::time::Duration;
    let whole = Duration::from_secs(seconds.unsigned_abs());
    let base =
        if seconds < 0 { UNIX_EPOCH.checked_sub(whole) } else { UNIX_EPOCH.checked_add(whole) };
    base.unwrap_or(UNIX_EPOCH) + Duration::from_nanos(nanos.into())
}

#[cfg(unix)]
#[expect(clippy::unnecessary_wraps, reason = "other systems have none")]
fn mode_of(metadata: &Metadata) -> Option<u32> {
    use std::os::unix::fs::PermissionsExt;
    Some(metadata.permissions().mode() & 0o7777)
}

#[cfg(not(unix))]
fn mode_of(_: &Metadata) -> Option<u32> {
    None
}

#[cfg(windows)]
#[expect(clippy::unnecessary_wraps, reason = "other systems have none")]
fn attributes_of(metadata: &Metadata) -> Option<u32> {
    use std::os::windows::fs::MetadataExt;
    Some(metadata.file_attributes())
}

#[cfg(not(windows))]
fn attributes_of(_: &Metadata) -> Option<u32> {
    None
}

/// A file as it is or as it shall be: content and marks.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct FileState {
    /// Its content.
    pub content: Content,
    /// The marks around it.
    pub stamp: Stamp,
}
