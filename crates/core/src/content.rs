//! What a file is: its content by digest, and the marks around the content that rollback restores.

mod ahead;

use std::collections::HashMap;
use std::fmt;
use std::fs::{File, Metadata};
use std::io::{self, Read};
use std::path::Path;
use std::str::FromStr;
use std::sync::{LazyLock, Mutex};
#[cfg(unix)]
use std::time::{Duration, SystemTime, UNIX_EPOCH};

use filetime::FileTime;
use serde::{Deserialize, Deserializer, Serialize, Serializer};
use sha2::{Digest as _, Sha256};

use crate::error::{Error, Result};
pub(crate) use ahead::read_ahead;

/// A digest of 256 bits; as a text 64 lower-case hexadecimal digits.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Digest([u8; 32]);

impl Digest {
    /// The first eight digits, for names that people type.
    pub fn short(&self) -> String {
        self.to_string()[..8].to_owned()
    }
}

impl fmt::Display for Digest {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.iter().try_for_each(|byte| write!(f, "{byte:02x}"))
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
        if text.len() != 64 || !text.is_ascii() {
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

impl Content {
    /// The content that some bytes are.
    pub fn of_bytes(bytes: &[u8]) -> Self {
        let mut hasher = Hasher::default();
        hasher.update(bytes);
        hasher.finish()
    }

    /// Reads the whole file at `path`; not again in the same run, as long as it is sure to be the
    /// very file that was read: by the system's own marks, or because it was held open since.
    pub fn of_file(path: &Path) -> Result<Self> {
        if let Some(content) = ahead::take(path) {
            return Ok(content);
        }
        let read = || -> io::Result<Self> {
            let file = File::open(path)?;
            let before = proof(&file.metadata()?);
            let known = |proof: &Proof| KNOWN.lock().ok()?.get(proof).copied();
            if let Some(content) = before.as_ref().and_then(known) {
                return Ok(content);
            }
            let content = Self::of_open(&file)?;
            if let Some(proof) = before.filter(|before| {
                file.metadata().ok().and_then(|after| proof(&after)).as_ref() == Some(before)
            }) {
                if let Ok(mut known) = KNOWN.lock() {
                    known.insert(proof, content);
                }
            }
            Ok(content)
        };
        read().map_err(Error::io("read", path))
    }

    /// Reads the whole file at `path`, whatever is known of it.
    pub(crate) fn read(path: &Path) -> Result<Self> {
        File::open(path).and_then(|file| Self::of_open(&file)).map_err(Error::io("read", path))
    }

    /// One block is digested while the next is read, on a thread of the pool. Any other thread reads by
    /// itself: those of the pool may be waiting for it.
    fn of_open(file: &File) -> io::Result<Self> {
        let pooled = rayon::current_thread_index().is_some();
        let block = file.metadata()?.len().clamp(4096, BLOCK) as usize;
        let mut hasher = Hasher::default();
        let (mut full, mut next) = (vec![0; block], vec![0; block]);
        let mut len = fill(file, &mut full)?;
        while len > 0 {
            let mut digest = || hasher.update(&full[..len]);
            let mut read = || fill(file, &mut next);
            let ((), read) = if pooled { rayon::join(digest, read) } else { (digest(), read()) };
            len = read?;
            std::mem::swap(&mut full, &mut next);
        }
        Ok(hasher.finish())
    }
}

/// The marks of a file tell of any change that is made this long after the last one, where the file
/// system keeps fractions of seconds: the clock that dates them ticks at least every 10 milliseconds.
#[cfg(unix)]
const SETTLED: Duration = Duration::from_millis(20);

/// How much of a file is read at a time.
const BLOCK: u64 = 512 * 1024;

/// Reads until a buffer is full or the file ends.
fn fill(mut file: &File, buffer: &mut [u8]) -> io::Result<usize> {
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

/// The SHA-256 of a whole file, which is what downloads are published with, and its length in bytes.
pub fn sha256(path: &Path) -> io::Result<(Digest, u64)> {
    let mut hasher = Sha256::default();
    let size = io::copy(&mut File::open(path)?, &mut hasher)?;
    Ok((Digest(hasher.finalize().into()), size))
}

/// Device, file number, size, date of modification and date of any change, in nanoseconds.
type Proof = (u64, u64, u64, i128, i128);

/// What was read in this run.
static KNOWN: LazyLock<Mutex<HashMap<Proof, Content>>> = LazyLock::new(Mutex::default);

/// What proves that a file was not altered: on Unix nobody can set the date of the last change of
/// any kind. A file changed just now proves nothing, since dates are coarse; most so where the file
/// system keeps whole seconds.
#[cfg(unix)]
fn proof(metadata: &Metadata) -> Option<Proof> {
    use std::os::unix::fs::MetadataExt;
    const SECOND: i128 = 1_000_000_000;
    let nanoseconds = |seconds: i64, rest: i64| i128::from(seconds) * SECOND + i128::from(rest);
    let changed = nanoseconds(metadata.ctime(), metadata.ctime_nsec());
    let now = SystemTime::now().duration_since(UNIX_EPOCH).ok()?.as_nanos();
    let modified = nanoseconds(metadata.mtime(), metadata.mtime_nsec());
    let wait = if changed % SECOND == 0 { Duration::from_secs(3) } else { SETTLED };
    let settled = i128::try_from(now).ok()? - changed >= i128::try_from(wait.as_nanos()).ok()?;
    settled.then(|| (metadata.dev(), metadata.ino(), metadata.len(), modified, changed))
}

/// Windows tells no date that programs cannot set.
#[cfg(not(unix))]
fn proof(_: &Metadata) -> Option<Proof> {
    None
}

/// Whether two paths are names of one and the same file.
pub(crate) fn is_same_file(a: &Path, b: &Path) -> bool {
    identity(a).is_ok_and(|own| identity(b).is_ok_and(|other| own.number == other.number))
}

/// Whether a file is there and has no second name.
pub(crate) fn is_alone(path: &Path) -> bool {
    identity(path).is_ok_and(|identity| identity.names == 1)
}

/// What makes a file the one that it is, whatever its names.
struct Identity {
    /// The volume and the file's number on it.
    number: (u64, u64),
    /// How many names it has.
    names: u64,
}

#[cfg(unix)]
fn identity(path: &Path) -> io::Result<Identity> {
    use std::os::unix::fs::MetadataExt;
    let metadata = std::fs::symlink_metadata(path)?;
    Ok(Identity { number: (metadata.dev(), metadata.ino()), names: metadata.nlink() })
}

#[cfg(windows)]
fn identity(path: &Path) -> io::Result<Identity> {
    let handle = winapi_util::Handle::from_path(path)?;
    let told = winapi_util::file::information(handle)?;
    let number = (told.volume_serial_number(), told.file_index());
    Ok(Identity { number, names: told.number_of_links() })
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
        Content { blake3: Digest(self.blake3.finalize().into()), size: self.size }
    }
}

/// The marks around a file's content.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Stamp {
    /// Date of last modification: seconds since 1970, and nanoseconds.
    pub modified: (i64, u32),
    /// Permission bits, where the system has them.
    pub mode: Option<u32>,
    /// Whether the file is marked read-only.
    pub read_only: bool,
    /// Windows' own attributes, such as hidden, where the system has them.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub attributes: Option<u32>,
}

impl Stamp {
    /// The marks of a file.
    pub fn of(metadata: &Metadata) -> Self {
        let modified = FileTime::from_last_modification_time(metadata);
        Self {
            modified: (modified.unix_seconds(), modified.nanoseconds()),
            mode: mode_of(metadata),
            read_only: metadata.permissions().readonly(),
            attributes: attributes_of(metadata),
        }
    }

    /// The marks of a file that was not there before.
    pub fn fresh(modified: (i64, u32)) -> Self {
        Self { modified, mode: cfg!(unix).then_some(0o644), read_only: false, attributes: None }
    }

    /// These marks with another date.
    #[must_use]
    pub fn dated(self, modified: (i64, u32)) -> Self {
        Self { modified, ..self }
    }
}

#[cfg(unix)]
#[expect(clippy::unnecessary_wraps, reason = "other systems have none")]
fn mode_of(metadata: &Metadata) -> Option<u32> {
    use std::os::unix::fs::PermissionsExt;
    Some(metadata.permissions().mode() & 0o7777)
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

#[cfg(not(unix))]
fn mode_of(_: &Metadata) -> Option<u32> {
    None
}

/// A file as it is or as it shall be: content and marks.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct FileState {
    /// What is in it.
    #[serde(flatten)]
    pub content: Content,
    /// The marks around it.
    #[serde(flatten)]
    pub stamp: Stamp,
}

impl FileState {
    /// Looks at a file; `None` where there is none. A link is not followed but refused.
    pub fn observe(path: &Path) -> Result<Option<Self>> {
        let metadata = match std::fs::symlink_metadata(path) {
            Ok(metadata) => metadata,
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(None),
            Err(error) => return Err(Error::io("look at", path)(error)),
        };
        if !metadata.is_file() {
            let error = io::Error::other("it is a link or a folder, not a file");
            return Err(Error::io("use", path)(error));
        }
        let content = Content::of_file(path)?;
        Ok(Some(Self { content, stamp: Stamp::of(&metadata) }))
    }
}
