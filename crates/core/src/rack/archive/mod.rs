//! Unpacks downloads: a library, a folder, a zip, a 7z, a tar, and an archive inside one.
//!
//! Nothing in an archive decides where a file is written: entries are unpacked into memory, or into numbered files of
//! a scratch folder, which is removed with the [`Package`]. An archive with one harmful entry is refused as a whole,
//! with the entry named. An archive's own statements are checked before a library unpacks it, and the unpacked size
//! has a limit.

mod kind;
mod outline;
mod scratch;
mod seven_zip;
mod tar;
mod zip;

use std::collections::{BTreeSet, HashMap, HashSet};
use std::fs::{self, File};
use std::io::{self, Read, Seek, Write};
use std::path::{Path, PathBuf};
use std::time::SystemTime;

use ::zip::ZipArchive;
use ::zip::read::ZipFile;
use filetime::FileTime;
use sevenz_rust2::{ArchiveEntry, ArchiveReader, Password};

use self::kind::{Content as FileContent, Kind};
use self::outline::{DO_NOT_USE, Fault, GET_AGAIN, Outline, UNPACK_BY_HAND, UNPACK_ELSEWHERE};
pub(crate) use self::scratch::{Scratch, clear_scratch, scratch_left};
use super::Source;
use super::layout::wrapping;
use super::sort::is_stray;
use crate::content::{Content, Hasher, content_of};
use crate::error::{Error, Files, RackError, Result};
use crate::guard::contained;
use crate::path::{TreePath, extension, fold, stem};
use crate::settings::Limits;
use upright_spanner_change::{Progress, is_device};
use upright_spanner_image::file::open_plain;

/// The unpacked content of a file, folder or archive.
#[derive(Debug)]
pub struct Package {
    /// Its source.
    pub source: Source,
    /// The folder that all of it is in, in which its files have their paths.
    pub wrapping: String,
    /// Its files, in the order of their paths.
    pub entries: Vec<PackedFile>,
    /// Removed with the package.
    _scratch: Option<Scratch>,
}

/// A file of a package.
#[derive(Debug, Clone)]
pub struct PackedFile {
    /// Its path in the package.
    pub path: TreePath,
    /// The location of its content.
    unpacked: Unpacked,
    /// Its content.
    pub content: Content,
    /// Its date: seconds since 1970, and nanoseconds.
    pub modified: (i64, u32),
}

/// The location of an entry's content.
#[derive(Debug, Clone)]
enum Unpacked {
    OnDisk(PathBuf),
    /// Small ones of an archive, with the scratch folder: to make a file takes longer than to unpack them.
    InMemory(Vec<u8>, PathBuf),
}

/// The largest entry, and the most bytes, that are held in memory: making a file takes longer than unpacking so
/// little, and the total must fit a small machine.
const SMALL: u64 = 64 << 10;
const MOST_HELD: u64 = 16 << 20;

/// A readable and seekable source.
pub trait ReadAnywhere: Read + Seek {}
impl<T: Read + Seek> ReadAnywhere for T {}

impl PackedFile {
    /// Opens its content.
    pub fn open(&self) -> io::Result<Box<dyn ReadAnywhere + '_>> {
        Ok(match &self.unpacked {
            Unpacked::OnDisk(path) => Box::new(open_plain(path)?),
            Unpacked::InMemory(bytes, _) => Box::new(io::Cursor::new(bytes)),
        })
    }

    /// All of its content, which is not checked to be short.
    pub fn bytes(&self) -> io::Result<Vec<u8>> {
        let mut bytes = Vec::new();
        self.open()?.read_to_end(&mut bytes)?;
        Ok(bytes)
    }

    /// Whether it is the file at `path` itself.
    pub fn is_at(&self, path: &Path) -> bool {
        matches!(&self.unpacked, Unpacked::OnDisk(file) if file == path)
    }

    /// A file with its content, made in the scratch folder if it is in memory.
    pub fn file(&self) -> Result<PathBuf> {
        let (bytes, scratch) = match &self.unpacked {
            Unpacked::OnDisk(path) => return Ok(path.clone()),
            Unpacked::InMemory(bytes, scratch) => (bytes, scratch),
        };
        let path = scratch.join(self.content.blake3.to_string());
        if fs::metadata(&path).is_ok_and(|there| there.len() == self.content.size) {
            return Ok(path);
        }
        fs::write(&path, bytes).map_err(Error::io("write", &path))?;
        Ok(path)
    }
}

/// Up to this length an archive may hold anything; beyond it, so many times its own length: text packs to a
/// tenth, and what packs that well was made to fill disks.
const ANY_RATIO: u64 = 64 << 20;
const MOST_RATIO: u64 = 200;

/// So much is written before it is looked once more whether there is room: seldom enough to cost nothing.
const BETWEEN_LOOKS: u64 = 64 << 20;

impl Package {
    /// Reads the package at `path`; archives are unpacked into a folder in `space`.
    pub fn open(
        path: &Path,
        limits: &Limits,
        space: &Path,
        progress: &dyn Progress,
    ) -> Result<Self> {
        Self::take_in(path, limits, space, progress, true)
    }

    /// Takes in an archive alone, as it is: archives inside it are files like others.
    pub fn unpack(
        path: &Path,
        limits: &Limits,
        space: &Path,
        progress: &dyn Progress,
    ) -> Result<Self> {
        if archive_kind(path)?.is_none() {
            let why = "it is neither a folder nor an archive".to_owned();
            return Err(refusal(
                path,
                why,
                "Give the folder or the archive that holds the release.",
            ));
        }
        Self::take_in(path, limits, space, progress, false)
    }

    fn take_in(
        path: &Path,
        limits: &Limits,
        space: &Path,
        progress: &dyn Progress,
        with_inner: bool,
    ) -> Result<Self> {
        let name = path.file_name().map_or_else(String::new, |n| n.to_string_lossy().into_owned());
        if path.is_dir() {
            return folder(path, name, limits);
        }
        let content = content_of(path)?;
        let modified = date_of(path)?;
        let source = Source { name: name.clone(), blake3: content.blake3, modified };
        let Some(kind) = archive_kind(path)? else {
            let entry_path = TreePath::new(&name).map_err(|_| {
                refusal(path, format!("`{name}` cannot be the name of a file"), "Rename it first.")
            })?;
            let unpacked = Unpacked::OnDisk(path.to_owned());
            let entry = PackedFile { path: entry_path, unpacked, content, modified };
            let wrapping = String::new();
            return Ok(Self { source, wrapping, entries: vec![entry], _scratch: None });
        };

        let scratch = Scratch::new(space)?;
        let most = content.size.saturating_mul(MOST_RATIO).max(ANY_RATIO).min(limits.unpacked);
        let mut unpacker = Unpacker {
            archive: path.to_owned(),
            scratch: &scratch,
            limits: Limits { unpacked: most, ..*limits },
            progress,
            seen: HashMap::new(),
            admitted: 0,
            unpacked: 0,
            since_look: 0,
            held: 0,
            entries: Vec::new(),
        };

        progress.begin(&format!("unpacking {name}"), None);
        let unpacked = unpacker.unpack(path, kind, "");
        let unpacked =
            if with_inner { unpacked.and_then(|()| unpacker.unpack_inner()) } else { unpacked };
        progress.end();
        unpacked?;
        let (wrapping, entries) = unwrapped(std::mem::take(&mut unpacker.entries));
        Ok(Self { source, wrapping, entries, _scratch: Some(scratch) })
    }
}

/// The kind of archive that a file is; `None` if it is not an archive, and an error if it is an unreadable one.
fn archive_kind(path: &Path) -> Result<Option<Kind>> {
    match FileContent::of(path).map_err(Error::io("read", path))? {
        FileContent::Archive(kind) => Ok(Some(kind)),
        FileContent::Other => Ok(None),
        FileContent::Foreign(what) => {
            let why = format!("it is {what}, which is not read here");
            Err(refusal(path, why, UNPACK_ELSEWHERE))
        }
        FileContent::Packed(packing) => {
            let why = format!("it is one file packed with {}, and no archive", packing.name());
            Err(refusal(path, why, "Unpack it, and give the file that comes out."))
        }
    }
}

fn refusal(path: &Path, why: String, advice: &'static str) -> Error {
    Error::Rack(RackError::Package { path: path.to_owned(), why, remedy: advice.into() })
}

fn date_of(path: &Path) -> Result<(i64, u32)> {
    let metadata = fs::metadata(path).map_err(Error::io("look at", path))?;
    let modified = FileTime::from_last_modification_time(&metadata);
    Ok((modified.unix_seconds(), modified.nanoseconds()))
}

/// The files of a folder, in place. Links are skipped.
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
        entries.push(PackedFile {
            path: relative,
            unpacked: Unpacked::OnDisk(file),
            content,
            modified,
        });
    }

    let modified = date_of(path)?;
    let source = Source { name, blake3: digest.finish().blake3, modified };
    let (wrapping, entries) = unwrapped(entries);
    Ok(Package { source, wrapping, entries, _scratch: None })
}

/// Takes the folder that all files are in off their paths, and sorts them: the same release is packed with such a
/// folder and without. One that games have themselves tells where its files go, and stays. What systems leave behind
/// goes.
fn unwrapped(mut entries: Vec<PackedFile>) -> (String, Vec<PackedFile>) {
    entries.retain(|entry| !is_stray(&entry.path));
    let folders: BTreeSet<&str> = entries.iter().map(|entry| entry.path.folder()).collect();
    let common = wrapping(&folders).to_owned();
    for entry in &mut entries {
        let rest = entry.path.as_str().strip_prefix(common.as_str());
        let rest = rest.and_then(|rest| TreePath::new(rest.trim_start_matches('/')).ok());
        entry.path = rest.unwrap_or_else(|| entry.path.clone());
    }
    entries.sort_by(|a, b| a.path.cmp(&b.path));
    (common, entries)
}

/// Unpacks an archive, and those inside it, into numbered files.
struct Unpacker<'a> {
    archive: PathBuf,
    scratch: &'a Scratch,
    limits: Limits,
    progress: &'a dyn Progress,
    /// Paths taken so far, as games compare them, each with its spelling.
    seen: HashMap<String, String>,
    /// Entries so far, folders counted in.
    admitted: usize,
    unpacked: u64,
    /// How much was written since it was last looked whether there is room.
    since_look: u64,
    /// How much is held in memory.
    held: u64,
    entries: Vec<PackedFile>,
}

impl Unpacker<'_> {
    /// Unpacks one archive; `prefix` is the path of an archive inside another.
    fn unpack(&mut self, path: &Path, kind: Kind, prefix: &str) -> Result<()> {
        let mut file = File::open(path).map_err(Error::io("read", path))?;
        let outline = match kind {
            Kind::Zip => Some(zip::check(&mut file, &self.limits)),
            Kind::SevenZip => Some(seven_zip::check(&mut file, &self.limits)),
            Kind::Tar(_) => None,
        };
        let outline = outline.transpose().map_err(|fault| self.fault(fault))?;
        if let Some(outline) = &outline {
            self.expect_room(outline)?;
        }

        let before = self.admitted;
        let archive = self.archive.clone();
        // A library that panics says no more than that the archive is damaged.
        let fallen = || refusal(&archive, "the archive is damaged".to_owned(), GET_AGAIN);

        contained(|| match (kind, &outline) {
            (Kind::Tar(packing), _) => self.unpack_tar(file, packing, prefix),
            (Kind::Zip, Some(outline)) => self.unpack_zip(file, prefix, outline),
            _ => self.unpack_7z(file, prefix),
        })
        .unwrap_or_else(|| Err(fallen()))?;

        if outline.is_none_or(|outline| self.admitted - before == outline.entries) {
            return Ok(());
        }
        let why = "not all that it lists could be found in it".to_owned();
        Err(refusal(&self.archive, why, UNPACK_BY_HAND))
    }

    fn fault(&self, fault: Fault) -> Error {
        refusal(&self.archive, fault.why, fault.advice)
    }

    /// Fails if an archive holds more than is allowed, or than there is room for.
    fn expect_room(&self, outline: &Outline) -> Result<()> {
        if self.admitted.saturating_add(outline.entries) > self.limits.entries {
            return Err(self.fault(Fault::entries(&self.limits)));
        }
        if outline.unpacked > self.limits.unpacked.saturating_sub(self.unpacked) {
            let why = format!(
                "it unpacks to {} MB, and {} MB are allowed",
                self.unpacked.saturating_add(outline.unpacked).div_ceil(1 << 20),
                self.limits.unpacked >> 20
            );
            return Err(refusal(&self.archive, why, UNPACK_BY_HAND));
        }

        self.expect_free(outline.unpacked)
    }

    /// Fails without space for so many bytes.
    fn expect_free(&self, wanted: u64) -> Result<()> {
        let free = self.scratch.room()?;
        if wanted <= free {
            return Ok(());
        }
        let why = format!(
            "unpacking it needs {} MB, and the home folder's disk has only {} MB free",
            wanted.div_ceil(1 << 20),
            free >> 20
        );
        Err(refusal(&self.archive, why, "Free some space on that disk, and try again."))
    }

    /// Unpacks the archives among the entries, one level down; the archives themselves go.
    fn unpack_inner(&mut self) -> Result<()> {
        const NAMED: [&str; 9] = ["zip", "7z", "tar", "tgz", "txz", "tzst", "gz", "xz", "zst"];
        let mut inner = Vec::new();
        // Some other formats are zips inside, and are used as they are.
        let named = |entry: &PackedFile| NAMED.contains(&&*extension(entry.path.file_name()));
        for (index, entry) in self.entries.iter().enumerate().filter(|(_, entry)| named(entry)) {
            let file = entry.file()?;
            let content = FileContent::of(&file).map_err(Error::io("read", &file))?;
            if let FileContent::Archive(kind) = content {
                inner.push((index, kind));
            }
        }

        for &(index, kind) in &inner {
            let entry = self.entries[index].clone();
            let prefix = stem(entry.path.as_str());
            self.unpack(&entry.file()?, kind, prefix.strip_suffix(".tar").unwrap_or(prefix))?;
        }
        let inner: HashSet<usize> = inner.into_iter().map(|(index, _)| index).collect();
        let mut index = 0..;
        self.entries.retain(|_| index.next().is_none_or(|index| !inner.contains(&index)));
        Ok(())
    }

    fn unpack_zip(
        &mut self,
        reader: impl Read + Seek,
        prefix: &str,
        outline: &Outline,
    ) -> Result<()> {
        let archive = self.archive.clone();
        let damaged = |error: &dyn std::fmt::Display| {
            refusal(&archive, format!("the archive is damaged ({error})"), GET_AGAIN)
        };
        let mut archive = ZipArchive::new(reader).map_err(|error| damaged(&error))?;
        if archive.len() != outline.entries {
            return Err(damaged(&"some of its files have one name"));
        }
        for (index, extent) in outline.extents.iter().enumerate() {
            let mut entry = archive.by_index(index).map_err(|error| damaged(&error))?;
            let name = entry.name().to_owned();
            // The checked entry must be the unpacked one.
            if [entry.header_start(), entry.compressed_size(), entry.size()] != *extent {
                return Err(self.refuse(&name, "has several sizes", DO_NOT_USE));
            }
            if entry.is_symlink() {
                return Err(self.refuse(&name, "is a link", DO_NOT_USE));
            }
            let (directory, size, modified) = (entry.is_dir(), entry.size(), zip_date(&entry));
            if let Some(path) = self.admit(&name, prefix, directory)? {
                self.take(path, &name, size, modified, &mut entry)?;
            }
        }

        Ok(())
    }

    fn unpack_7z(&mut self, reader: impl Read + Seek, prefix: &str) -> Result<()> {
        let mut archive = ArchiveReader::new(reader, Password::empty())
            .map_err(|error| self.damaged_7z(&error))?;
        archive.set_thread_count(1);
        // The library hands entries to its own function error type: ours waits here.
        let mut failed = None;
        let outcome = archive.for_each_entries(|entry, content| {
            // It continues with the separately compressed entries.
            if failed.is_none() {
                failed = self.take_7z(entry, prefix, content).err();
            }
            Ok(failed.is_none())
        });
        match (failed, outcome) {
            (Some(error), _) => Err(error),
            (None, Err(error)) => Err(self.damaged_7z(&error)),
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

        let modified = SystemTime::from(entry.last_modified_date());
        let modified = FileTime::from_system_time(modified);
        let modified = (modified.unix_seconds(), modified.nanoseconds());
        self.take(path, name, entry.size(), modified, content)
    }

    fn damaged_7z(&self, error: &sevenz_rust2::Error) -> Error {
        refusal(&self.archive, format!("the archive is damaged ({error})"), GET_AGAIN)
    }

    /// Checks an entry's name and the remaining space. A folder needs no place.
    fn admit(&mut self, name: &str, prefix: &str, directory: bool) -> Result<Option<TreePath>> {
        self.admitted += 1;
        let trimmed = if directory { name.trim_end_matches(['/', '\\']) } else { name };
        if let Some(what) = harm_in(trimmed) {
            return Err(self.refuse(name, what, DO_NOT_USE));
        }

        // `./a.dll` and `a//b.dll` are accepted in their plain form.
        let parts = trimmed.split(['/', '\\']).filter(|part| !matches!(*part, "" | "."));
        let prefix = Some(prefix).filter(|prefix| !prefix.is_empty());
        let whole = prefix.into_iter().chain(parts).collect::<Vec<_>>().join("/");

        if directory {
            return Ok(None);
        }
        let path = TreePath::new(&whole)
            .map_err(|_| self.refuse(name, "has a name that is not allowed", DO_NOT_USE))?;
        if let Some(other) = self.seen.insert(fold(path.as_str()), path.to_string()) {
            let what = format!("and `{other}` would be the same file");
            return Err(self.refuse(name, &what, DO_NOT_USE));
        }
        Ok(Some(path))
    }

    /// Unpacks one entry into its own file.
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
        let file = self.scratch.folder().join(self.entries.len().to_string());
        let in_memory = stated <= SMALL && self.held.saturating_add(stated) <= MOST_HELD;
        let mut memory = Vec::new();
        let mut target: Box<dyn Write> = if in_memory {
            Box::new(&mut memory)
        } else {
            Box::new(File::create_new(&file).map_err(Error::io("write", &file))?)
        };
        let mut hasher = Hasher::default();
        let mut buffer = vec![0; stated.clamp(1, 64 << 10) as usize];
        let mut left = stated;

        loop {
            if self.progress.is_stopped() {
                return Err(Error::Files(Files::Stopped));
            }
            if self.since_look >= BETWEEN_LOOKS {
                self.since_look = 0;
                self.expect_free(left)?;
            }
            let len =
                content.read(&mut buffer).map_err(|error| self.damaged_entry(name, &error))?;
            if len == 0 {
                break;
            }
            let Some(rest) = left.checked_sub(len as u64) else {
                return Err(self.refuse(name, "is longer than it says", DO_NOT_USE));
            };
            left = rest;
            self.since_look += len as u64;
            hasher.update(&buffer[..len]);
            target.write_all(&buffer[..len]).map_err(Error::io("write", &file))?;
        }

        if left > 0 {
            return Err(self.refuse(name, "is shorter than it says", GET_AGAIN));
        }
        self.unpacked += stated;
        self.progress.advance(1);
        drop(target);

        let unpacked = if in_memory {
            self.held += stated;
            Unpacked::InMemory(memory, self.scratch.folder().to_owned())
        } else {
            Unpacked::OnDisk(file)
        };
        self.entries.push(PackedFile { path, unpacked, content: hasher.finish(), modified });
        Ok(())
    }

    fn damaged_entry(&self, name: &str, error: &io::Error) -> Error {
        self.refuse(name, &format!("cannot be unpacked ({error})"), GET_AGAIN)
    }

    fn refuse(&self, name: &str, what: &str, advice: &'static str) -> Error {
        refusal(&self.archive, format!("its entry `{name}` {what}"), advice)
    }
}

/// The reason why an entry's name is harmful.
fn harm_in(name: &str) -> Option<&'static str> {
    let absolute = name.starts_with(['/', '\\']);
    for part in name.split(['/', '\\']) {
        if absolute || part == ".." || part.contains(':') {
            return Some("points out of the archive");
        }
        if is_device(part) {
            return Some("has the name of a device");
        }
        if part.ends_with(['.', ' ']) && part != "." {
            return Some("has a name that Windows would change");
        }
        if part.chars().any(|c| c.is_control() || "<>\"|?*".contains(c)) {
            return Some("has characters in its name that Windows does not allow");
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
