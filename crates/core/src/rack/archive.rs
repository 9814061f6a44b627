//! Unpacks what people download: a library, a folder, a zip, a 7z, and an archive inside one.
//!
//! Nothing in an archive decides where anything is written: entries are unpacked into numbered
//! files of a scratch folder, which goes away with the [`Package`]. An archive with one entry that
//! could do harm is refused as a whole, with the entry named.

use std::collections::HashMap;
use std::fs::{self, File};
use std::io::{self, Read, Seek, Write};
use std::path::{Path, PathBuf};

use filetime::FileTime;
use sevenz_rust2::{ArchiveEntry, ArchiveReader, Password};
use tempfile::TempDir;
use zip::ZipArchive;
use zip::read::ZipFile;

use super::Source;
use crate::content::{Content, Hasher, content_of};
use crate::error::{Error, Result};
use crate::path::{TreePath, extension, fold, stem};
use crate::settings::Limits;
use upright_spanner_change::Progress;

/// What a file, folder or archive holds, unpacked.
#[derive(Debug)]
pub struct Package {
    /// What it was taken from.
    pub source: Source,
    /// Its files, in the order of their paths.
    pub entries: Vec<Entry>,
    _scratch: Option<TempDir>,
}

/// A file of a package.
#[derive(Debug, Clone)]
pub struct Entry {
    /// Its path in the package.
    pub path: TreePath,
    /// Where its content can be read.
    pub file: PathBuf,
    /// What is in it.
    pub content: Content,
    /// Its date: seconds since 1970, and nanoseconds.
    pub modified: (i64, u32),
}

const DO_NOT_USE: &str = "Do not use this archive: it was made to do harm, or by mistake.";
const GET_AGAIN: &str = "Get the archive again from where it came from.";

impl Package {
    /// Takes in what lies at `path`.
    pub fn open(path: &Path, limits: &Limits, progress: &dyn Progress) -> Result<Self> {
        let name = path.file_name().map_or_else(String::new, |n| n.to_string_lossy().into_owned());
        if path.is_dir() {
            return folder(path, name, limits);
        }
        let content = content_of(path)?;
        let modified = date_of(path)?;
        let source = Source { name: name.clone(), blake3: content.blake3, modified };
        let Some(kind) = Kind::of(path)? else {
            let entry_path = TreePath::new(&name).map_err(|_| {
                refusal(path, format!("`{name}` is no name for a file"), "Rename it first.")
            })?;
            let entry = Entry { path: entry_path, file: path.to_owned(), content, modified };
            return Ok(Self { source, entries: vec![entry], _scratch: None });
        };
        let scratch = tempfile::tempdir().map_err(Error::io("unpack", path))?;
        let mut unpacker = Unpacker {
            archive: path.to_owned(),
            scratch: scratch.path().to_owned(),
            limits: *limits,
            progress,
            seen: HashMap::new(),
            admitted: 0,
            unpacked: 0,
            entries: Vec::new(),
        };
        progress.begin(&format!("unpacking {name}"), None);
        let unpacked = unpacker.unpack(path, kind, "").and_then(|()| unpacker.unpack_inner());
        progress.end();
        unpacked?;
        let mut entries = unpacker.entries;
        entries.sort_by(|a, b| a.path.cmp(&b.path));
        Ok(Self { source, entries, _scratch: Some(scratch) })
    }
}

/// A kind of archive, told by its first bytes.
#[derive(Debug, Clone, Copy)]
enum Kind {
    Zip,
    SevenZip,
}

impl Kind {
    fn of(path: &Path) -> Result<Option<Self>> {
        let mut start = Vec::new();
        let read = File::open(path).and_then(|file| file.take(6).read_to_end(&mut start));
        read.map_err(Error::io("read", path))?;
        Ok(match start[..] {
            [b'P', b'K', 3 | 5 | 7, 4 | 6 | 8, ..] => Some(Self::Zip),
            [b'7', b'z', 0xBC, 0xAF, 0x27, 0x1C] => Some(Self::SevenZip),
            _ => None,
        })
    }
}

fn refusal(path: &Path, why: String, advice: &'static str) -> Error {
    Error::Archive { path: path.to_owned(), why, advice }
}

fn date_of(path: &Path) -> Result<(i64, u32)> {
    let metadata = fs::metadata(path).map_err(Error::io("look at", path))?;
    let modified = FileTime::from_last_modification_time(&metadata);
    Ok((modified.unix_seconds(), modified.nanoseconds()))
}

/// The files of a folder, where they are. Links are passed over.
fn folder(path: &Path, name: String, limits: &Limits) -> Result<Package> {
    let mut entries = Vec::new();
    let mut digest = Hasher::default();
    let walk = ignore::WalkBuilder::new(path)
        .standard_filters(false)
        .follow_links(false)
        .sort_by_file_name(std::cmp::Ord::cmp)
        .build();
    for found in walk {
        let found = found.map_err(|error| {
            refusal(path, error.to_string(), "Check that you may read all of it.")
        })?;
        if !found.file_type().is_some_and(|kind| kind.is_file()) {
            continue;
        }
        if entries.len() >= limits.entries {
            let why = format!("it holds more than {} files", limits.entries);
            return Err(refusal(path, why, "Give the folder that holds the build alone."));
        }
        let file = found.path().to_owned();
        let relative = TreePath::below(path, &file)
            .map_err(|error| refusal(path, error.to_string(), "Rename that file."))?;
        let content = content_of(&file)?;
        digest.update(relative.as_str().as_bytes());
        digest.update(content.blake3.to_string().as_bytes());
        let modified = date_of(&file)?;
        entries.push(Entry { path: relative, file, content, modified });
    }
    let modified = date_of(path)?;
    let source = Source { name, blake3: digest.finish().blake3, modified };
    Ok(Package { source, entries, _scratch: None })
}

/// Unpacks an archive, and those inside it, into numbered files.
struct Unpacker<'a> {
    archive: PathBuf,
    scratch: PathBuf,
    limits: Limits,
    progress: &'a dyn Progress,
    /// Paths taken so far, as games compare them, each with its spelling.
    seen: HashMap<String, String>,
    /// Entries so far, folders counted in.
    admitted: usize,
    unpacked: u64,
    entries: Vec<Entry>,
}

impl Unpacker<'_> {
    /// Unpacks one archive; `prefix` is where an archive inside another lies.
    fn unpack(&mut self, file: &Path, kind: Kind, prefix: &str) -> Result<()> {
        let reader = File::open(file).map_err(Error::io("read", file))?;
        match kind {
            Kind::Zip => self.unpack_zip(reader, prefix),
            Kind::SevenZip => self.unpack_7z(reader, prefix),
        }
    }

    /// Unpacks the archives among the entries, one level down; the archives themselves go.
    fn unpack_inner(&mut self) -> Result<()> {
        let mut inner = Vec::new();
        for (index, entry) in self.entries.iter().enumerate() {
            // Other files are zips inside as well, and are meant as they are.
            let named = ["zip", "7z"].contains(&extension(entry.path.file_name()).as_str());
            if let Some(kind) = Kind::of(&entry.file)?.filter(|_| named) {
                inner.push((index, kind));
            }
        }
        for &(index, kind) in &inner {
            let entry = self.entries[index].clone();
            self.unpack(&entry.file, kind, stem(entry.path.as_str()))?;
        }
        for (index, _) in inner.into_iter().rev() {
            self.entries.remove(index);
        }
        Ok(())
    }

    fn unpack_zip(&mut self, reader: impl Read + Seek, prefix: &str) -> Result<()> {
        let damaged = |this: &Self, error: &dyn std::fmt::Display| {
            refusal(&this.archive, format!("the archive is damaged ({error})"), GET_AGAIN)
        };
        let mut archive = ZipArchive::new(reader).map_err(|error| damaged(self, &error))?;
        for index in 0..archive.len() {
            let entry = archive.by_index_raw(index).map_err(|error| damaged(self, &error))?;
            let name = entry.name().to_owned();
            if entry.encrypted() {
                return Err(self.refuse(
                    &name,
                    "is encrypted",
                    "Unpack it with its password and add the folder.",
                ));
            }
            if entry.is_symlink() {
                return Err(self.refuse(&name, "is a link", DO_NOT_USE));
            }
            let (directory, size, modified) = (entry.is_dir(), entry.size(), zip_date(&entry));
            drop(entry);
            let path = self.admit(&name, prefix, directory)?;
            if let (Some(path), false) = (path, directory) {
                let mut entry = archive.by_index(index).map_err(|error| damaged(self, &error))?;
                self.take(path, &name, size, modified, &mut entry)?;
            }
        }
        Ok(())
    }

    fn unpack_7z(&mut self, reader: impl Read + Seek, prefix: &str) -> Result<()> {
        let mut archive = ArchiveReader::new(reader, Password::empty())
            .map_err(|error| self.refuse_7z(&error))?;
        archive.set_thread_count(1);
        self.refuse_encrypted(archive.archive())?;
        // The library hands entries to a function of its own error type: ours waits here.
        let mut failed = None;
        let outcome =
            archive.for_each_entries(|entry, content| match self.take_7z(entry, prefix, content) {
                Ok(()) => Ok(true),
                Err(error) => {
                    failed = Some(error);
                    Ok(false)
                }
            });
        match (failed, outcome) {
            (Some(error), _) => Err(error),
            (None, Err(error)) => Err(self.refuse_7z(&error)),
            (None, Ok(())) => Ok(()),
        }
    }

    fn take_7z(
        &mut self,
        entry: &ArchiveEntry,
        prefix: &str,
        content: &mut dyn Read,
    ) -> Result<()> {
        const REPARSE_POINT: u32 = 0x400;
        const UNIX_MODE: u32 = 0x8000;
        const UNIX_KIND: u32 = 0o170_000;
        const UNIX_LINK: u32 = 0o120_000;
        let name = entry.name();
        let attributes = entry.windows_attributes();
        let unix_link = attributes & UNIX_MODE != 0 && (attributes >> 16) & UNIX_KIND == UNIX_LINK;
        if unix_link || attributes & REPARSE_POINT != 0 {
            return Err(self.refuse(name, "is a link", DO_NOT_USE));
        }
        let Some(path) = self.admit(name, prefix, entry.is_directory())? else {
            return Ok(());
        };
        if entry.is_directory() || entry.is_anti_item() {
            return Ok(());
        }
        let modified = std::time::SystemTime::from(entry.last_modified_date());
        let modified = FileTime::from_system_time(modified);
        let modified = (modified.unix_seconds(), modified.nanoseconds());
        self.take(path, name, entry.size(), modified, content)
    }

    /// An encrypted entry would only show when its content turns out to make no sense.
    fn refuse_encrypted(&self, archive: &sevenz_rust2::Archive) -> Result<()> {
        const AES: [u8; 4] = [0x06, 0xF1, 0x07, 0x01];
        let mut coders = archive.blocks.iter().flat_map(|block| &block.coders);
        if coders.any(|coder| coder.encoder_method_id() == AES) {
            return Err(self.refuse_7z(&sevenz_rust2::Error::PasswordRequired));
        }
        Ok(())
    }

    fn refuse_7z(&self, error: &sevenz_rust2::Error) -> Error {
        use sevenz_rust2::Error as E;
        let (why, advice) = match error {
            E::PasswordRequired | E::MaybeBadPassword(_) => {
                ("it is encrypted".to_owned(), "Unpack it with its password and add the folder.")
            }
            E::UnsupportedCompressionMethod(method) => (
                format!("it is packed by {method}, which is not supported"),
                "Unpack it by hand and add the folder.",
            ),
            error => (format!("the archive is damaged ({error})"), GET_AGAIN),
        };
        refusal(&self.archive, why, advice)
    }

    /// Checks an entry's name and that there is room for it. A folder needs no place of its own.
    fn admit(&mut self, name: &str, prefix: &str, directory: bool) -> Result<Option<TreePath>> {
        self.admitted += 1;
        if self.admitted > self.limits.entries {
            let why = format!("it holds more than {} entries", self.limits.entries);
            return Err(refusal(&self.archive, why, "Unpack it by hand and add what you need."));
        }
        let trimmed = if directory { name.trim_end_matches(['/', '\\']) } else { name };
        if let Some(what) = harm_in(trimmed) {
            return Err(self.refuse(name, what, DO_NOT_USE));
        }
        let whole =
            if prefix.is_empty() { trimmed.to_owned() } else { format!("{prefix}/{trimmed}") };
        let path = TreePath::new(&whole)
            .map_err(|_| self.refuse(name, "points out of the archive", DO_NOT_USE))?;
        if directory {
            return Ok(None);
        }
        if let Some(other) = self.seen.insert(fold(path.as_str()), path.to_string()) {
            let what = format!("and `{other}` would be the same file");
            return Err(self.refuse(name, &what, DO_NOT_USE));
        }
        Ok(Some(path))
    }

    /// Unpacks one entry into a file of its own.
    fn take(
        &mut self,
        path: TreePath,
        name: &str,
        stated: u64,
        modified: (i64, u32),
        content: &mut dyn Read,
    ) -> Result<()> {
        let room = self.limits.unpacked.saturating_sub(self.unpacked);
        if stated > room {
            return Err(self.refuse(name, "unpacks to more than is allowed", DO_NOT_USE));
        }
        let file = self.scratch.join(self.entries.len().to_string());
        let mut target = File::create_new(&file).map_err(Error::io("write", &file))?;
        let mut hasher = Hasher::default();
        let mut buffer = vec![0; 64 * 1024];
        let mut left = stated;
        loop {
            let len =
                content.read(&mut buffer).map_err(|error| self.damaged_entry(name, &error))?;
            if len == 0 {
                break;
            }
            let Some(rest) = left.checked_sub(len as u64) else {
                return Err(self.refuse(name, "is longer than it says", DO_NOT_USE));
            };
            left = rest;
            hasher.update(&buffer[..len]);
            target.write_all(&buffer[..len]).map_err(Error::io("write", &file))?;
        }
        if left > 0 {
            return Err(self.refuse(name, "is shorter than it says", GET_AGAIN));
        }
        self.unpacked += stated;
        self.progress.advance(1);
        self.entries.push(Entry { path, file, content: hasher.finish(), modified });
        Ok(())
    }

    fn damaged_entry(&self, name: &str, error: &io::Error) -> Error {
        self.refuse(name, &format!("cannot be unpacked ({error})"), GET_AGAIN)
    }

    fn refuse(&self, name: &str, what: &str, advice: &'static str) -> Error {
        refusal(&self.archive, format!("its entry `{name}` {what}"), advice)
    }
}

/// What is wrong with an entry's name, if anything is.
fn harm_in(name: &str) -> Option<&'static str> {
    const DEVICES: [&str; 6] = ["con", "prn", "aux", "nul", "conin$", "conout$"];
    let is_device = |part: &str| {
        let base = part.split('.').next().unwrap_or(part).trim_end().to_ascii_lowercase();
        let numbered = |start: &str| {
            base.strip_prefix(start).is_some_and(|n| n.chars().count() == 1 && n != "0")
        };
        DEVICES.contains(&base.as_str()) || numbered("com") || numbered("lpt")
    };
    let absolute = name.starts_with(['/', '\\']);
    for part in name.split(['/', '\\']) {
        if absolute || part == ".." || part.contains(':') {
            return Some("points out of the archive");
        }
        if is_device(part) {
            return Some("bears the name of a device");
        }
        if part.ends_with(['.', ' ']) && part != "." {
            return Some("has a name that Windows would write otherwise");
        }
        if part.chars().any(|c| c.is_control() || "<>\"|?*".contains(c)) {
            return Some("has characters in its name that no file may have");
        }
    }
    None
}

/// An entry's date. Zips keep the clock's local time without a zone; it is taken as UTC.
fn zip_date<R: Read>(entry: &ZipFile<'_, R>) -> (i64, u32) {
    let date = entry.last_modified().and_then(|date| {
        let part = |value: u8| i8::try_from(value).ok();
        let (year, month) = (i16::try_from(date.year()).ok()?, part(date.month())?);
        let day = jiff::civil::Date::new(year, month, part(date.day())?).ok()?;
        let (hour, minute) = (part(date.hour())?.min(23), part(date.minute())?.min(59));
        let moment = day.at(hour, minute, part(date.second())?.min(59), 0);
        moment.in_tz("UTC").ok()
    });
    (date.map_or(0, |date| date.timestamp().as_second()), 0)
}
