//! Takes one library out of what people download: the library itself, or a zip that holds it.

use std::fs::{self, File};
use std::io::{self, Read};
use std::path::{Path, PathBuf};

use filetime::FileTime;
use jiff::Timestamp;
use tempfile::TempDir;
use zip::ZipArchive;
use zip::read::ZipFile;

use super::{Build, BuildFile, BuildId, Source};
use crate::catalog::{Catalog, role_of};
use crate::content::Content;
use crate::error::{Error, Result};
use crate::image::{Facts, ImageError, Machine};
use crate::path::{GamePath, extension, stem};
use crate::version::Version;

/// No library is larger; a zip that unpacks to more is made to fill the disk.
const LARGEST_LIBRARY: u64 = 2 << 30;

/// A build that is not on the rack yet, and the file that its content can be taken from.
#[derive(Debug)]
pub struct Parcel {
    /// The build as it would be on the rack.
    pub build: Build,
    /// The unpacked library.
    pub file: PathBuf,
    /// Where an archive was unpacked to; removed with the parcel.
    _scratch: Option<TempDir>,
}

impl Parcel {
    /// Opens a library or a zip that holds exactly one; the catalog may name its family.
    pub fn open(path: &Path, catalog: &Catalog) -> Result<Self> {
        let content = Content::of_file(path)?;
        let source = Source { name: name_of(path), sha256: content.sha256 };
        match Facts::read(path) {
            Ok(facts) => {
                let metadata = fs::metadata(path).map_err(Error::io("look at", path))?;
                let modified = FileTime::from_last_modification_time(&metadata);
                let modified = (modified.unix_seconds(), modified.nanoseconds());
                let file = BuildFile { name: name_of(path), content, modified, facts };
                let build = build(file, source, catalog);
                Ok(Self { build, file: path.to_owned(), _scratch: None })
            }
            Err(ImageError::NotAnImage { .. }) if looks_like_zip(path)? => {
                unpack(path, source, catalog)
            }
            Err(error) => Err(Error::image(path)(error)),
        }
    }
}

fn name_of(path: &Path) -> String {
    path.file_name().map_or_else(String::new, |name| name.to_string_lossy().into_owned())
}

fn looks_like_zip(path: &Path) -> Result<bool> {
    let mut start = Vec::new();
    let read = File::open(path).and_then(|file| file.take(4).read_to_end(&mut start));
    read.map_err(Error::io("read", path))?;
    Ok(matches!(start[..], [b'P', b'K', 3 | 5 | 7, 4 | 6 | 8]))
}

fn unpack(path: &Path, source: Source, catalog: &Catalog) -> Result<Parcel> {
    let refuse = |why: String, advice| Error::Archive { path: path.to_owned(), why, advice };
    let again = "Get the archive again from where it came from.";
    let broken =
        |error: zip::result::ZipError| refuse(format!("the archive is damaged ({error})"), again);

    let file = File::open(path).map_err(Error::io("read", path))?;
    let mut archive = ZipArchive::new(file).map_err(broken)?;
    let mut libraries = Vec::new();
    for index in 0..archive.len() {
        let entry = archive.by_index_raw(index).map_err(broken)?;
        let name = entry.name().to_owned();
        if entry.is_file() && extension(&name) == "dll" {
            if GamePath::new(&name).is_err() {
                let why = format!("its entry `{name}` points out of the archive");
                return Err(refuse(why, "Do not use this archive: it was made to do harm."));
            }
            libraries.push((index, name));
        }
    }
    let (index, name) = match &libraries[..] {
        [one] => one,
        [] => {
            let why = "there is no .dll file in it".to_owned();
            return Err(refuse(why, "Look into it: perhaps it holds another archive."));
        }
        several => {
            let names: Vec<&str> = several.iter().map(|(_, name)| name.as_str()).collect();
            let why = format!("it holds {} libraries: {}", several.len(), names.join(", "));
            return Err(refuse(why, "Unpack it and add the one that you want."));
        }
    };

    let mut entry = archive.by_index(*index).map_err(broken)?;
    let modified = entry_date(&entry);
    let scratch = tempfile::tempdir().map_err(Error::io("unpack", path))?;
    let file_name = name.rsplit(['/', '\\']).next().unwrap_or(name).to_owned();
    let unpacked = scratch.path().join("library");
    let mut target = File::create(&unpacked).map_err(Error::io("write", &unpacked))?;
    let written = io::copy(&mut entry.by_ref().take(LARGEST_LIBRARY + 1), &mut target);
    let written = written.map_err(|error| {
        refuse(format!("its entry `{name}` cannot be unpacked ({error})"), again)
    })?;
    if written > LARGEST_LIBRARY {
        let why = format!("its entry `{name}` unpacks to more than 2 GiB");
        return Err(refuse(why, "Unpack it by hand if you trust it."));
    }
    let facts = Facts::read(&unpacked)
        .map_err(|error| refuse(format!("its entry `{name}` is no library: {error}"), again))?;
    let content = Content::of_file(&unpacked)?;
    let file = BuildFile { name: file_name, content, modified, facts };
    Ok(Parcel { build: build(file, source, catalog), file: unpacked, _scratch: Some(scratch) })
}

/// An entry's date. Zips keep the clock's local time without a zone; it is taken as UTC.
fn entry_date<R: Read>(entry: &ZipFile<'_, R>) -> (i64, u32) {
    let date = entry.last_modified().and_then(|date| {
        let part = |value: u8| i8::try_from(value).ok();
        let day = jiff::civil::Date::new(
            i16::try_from(date.year()).ok()?,
            part(date.month())?,
            part(date.day())?,
        );
        let time = (part(date.hour())?, part(date.minute())?, part(date.second())?);
        let moment = day.ok()?.at(time.0.min(23), time.1.min(59), time.2.min(59), 0);
        moment.in_tz("UTC").ok()
    });
    (date.map_or(0, |date| date.timestamp().as_second()), 0)
}

fn build(file: BuildFile, source: Source, catalog: &Catalog) -> Build {
    let version = file.facts.version().or_else(|| {
        let named = |name| Version::find_in(stem(name), 2).map(|(_, version)| version);
        named(&file.name).or_else(|| named(&source.name))
    });
    let stated = version.as_ref().map(Version::to_string);
    let machine = file.facts.machine;
    let id = BuildId {
        family: catalog.family_of(&file.facts, &file.name),
        version: stated.unwrap_or_else(|| format!("sha-{}", file.content.sha256.short())),
        variant: (machine != Machine::X86_64).then(|| machine.name().to_owned()),
    };
    let known = catalog.find(&file.facts, &file.name).and_then(|family| family.role);
    let role = known.or_else(|| role_of(&file.facts));
    Build { id, role, version, machine, file, source, added: Timestamp::now() }
}
