//! The facts of an image, and everything else that it says.
//!
//! Neither reads more of the file than its headers and the tables asked for.

use std::io::{Read, Seek};
use std::path::Path;

use object::pe;
use serde::{Deserialize, Serialize};

use crate::budget::MOST_STRINGS;
use crate::error::ImageError;
use crate::exports::{Export, Offer};
use crate::file::open_plain;
use crate::headers::Headers;
use crate::imports::Import;
use crate::machine::{Kind, Machine};
use crate::source::Source;
use crate::system::is_debug_runtime;
use crate::version::Version;
use crate::version_info::VersionInfo;
use crate::{exports, imports, managed, resource, signature, version_info};

/// What recognition needs of an image.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Facts {
    /// The machine it is for.
    pub machine: Machine,
    /// Library or program.
    pub kind: Kind,
    /// Size of the file in bytes.
    pub size: u64,
    /// Link time in seconds since 1970, as the linker wrote it: reproducible builds put a hash there.
    /// [`Facts::linked`] gives it if it can be a time.
    pub stamp: u32,
    /// The version resource; empty if there is none.
    pub version_info: VersionInfo,
    /// The name that the library was linked under, from its export table.
    pub export_name: Option<String>,
    /// Names of the libraries that it imports from, delayed ones included.
    pub imported_dlls: Vec<String>,
    /// Those of them that it asks for at the first call alone, not when it is loaded.
    pub delayed_dlls: Vec<String>,
    /// Whether it is made for the .NET runtime.
    pub managed: bool,
    /// Whether a process of any machine can load it: it is made for the .NET runtime alone, and does not
    /// ask for 32 bits.
    #[serde(default)]
    pub any_machine: bool,
    /// Whether its code is packed, as far as the headers show.
    pub packed: bool,
    /// Who claims to have signed it, if it has a signature; [`Signature::check`] says whether that holds.
    pub signer: Option<String>,
    /// Everyone who claims so: an image may have several signatures.
    #[serde(default)]
    pub signers: Vec<String>,
    /// Tables that could not be read in full, and why.
    pub faults: Vec<String>,
}

/// Everything that an image says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Image {
    /// Headers and version resource.
    pub facts: Facts,
    /// Each library that it imports from, with the symbols.
    pub imports: Vec<Import>,
    /// The exports.
    pub exports: Vec<Export>,
}

impl Facts {
    /// Reads the facts of the plain file at `path`; a link is not followed.
    ///
    /// # Errors
    /// If the file cannot be read, is not an image, or is damaged where the facts are.
    pub fn read(path: &Path) -> Result<Self, ImageError> {
        Self::from_reader(open_plain(path)?)
    }

    /// Reads the facts of an image from its first byte to its last.
    ///
    /// # Errors
    /// If it cannot be read, is not an image, or is damaged where the facts are.
    pub fn from_reader(reader: impl Read + Seek) -> Result<Self, ImageError> {
        let mut source = Source::new(reader)?;
        let headers = Headers::read(&mut source)?;
        Self::collect(&headers, &mut source).map(|(facts, _)| facts)
    }

    /// The facts, and the imported libraries for whoever reads on.
    fn collect<R: Read + Seek>(
        headers: &Headers,
        source: &mut Source<R>,
    ) -> Result<(Self, Vec<imports::Library>), ImageError> {
        let mut faults = Vec::new();
        if headers.has_more_sections {
            faults.push(ImageError::excessive("the section table").to_string());
        }
        let libraries = or_fault(imports::libraries(headers, source), &mut faults)?;
        let mut version_info = VersionInfo::default();
        let resources = resource::of_kind(headers, source, &version_info::RESOURCE);
        let mut strings_left = MOST_STRINGS;

        for bytes in or_fault(resources, &mut faults)? {
            let (info, damaged) = version_info::parse(&bytes, &mut strings_left);
            version_info.merge(info);
            let note = "the version resource is damaged in places";
            if damaged && !faults.iter().any(|fault| fault == note) {
                faults.push(note.to_owned());
            }
        }

        let table = or_fault(exports::table(headers, source), &mut faults)?;
        let any_machine = or_fault(managed::any_machine(headers, source), &mut faults)?;
        let signers = or_fault(signature::claimed_signers(headers, source), &mut faults)?;
        let at_start =
            |name: &str| libraries.iter().any(|other| !other.delayed && other.name == name);
        let delayed = libraries.iter().map(|library| &library.name);
        let delayed = delayed.filter(|name| !at_start(name)).cloned().collect();
        let facts = Self {
            machine: headers.machine,
            kind: headers.kind,
            size: source.len(),
            stamp: headers.built,
            version_info,
            export_name: table.and_then(|table| table.name),
            imported_dlls: libraries.iter().map(|library| library.name.clone()).collect(),
            delayed_dlls: delayed,
            managed: headers.directory(pe::IMAGE_DIRECTORY_ENTRY_COM_DESCRIPTOR).is_some(),
            any_machine,
            packed: headers.packed,
            signer: signers.first().cloned(),
            signers,
            faults,
        };
        Ok((facts, libraries))
    }

    /// Whether it is a build for developers: it says so, or it imports the debug variant of the C
    /// runtime, which players do not have.
    pub fn is_debug(&self) -> bool {
        const DEBUG: u32 = 1;
        self.version_info.fixed.is_some_and(|fixed| fixed.flags & DEBUG != 0)
            || self.imported_dlls.iter().any(|dll| is_debug_runtime(dll))
    }

    /// Whether a process of a machine can load it.
    pub fn runs_on(&self, machine: Machine) -> bool {
        self.machine == machine || self.any_machine
    }

    /// The flags of the version resource: debug, pre-release, patched, private, special build.
    pub fn flags(&self) -> Vec<&'static str> {
        const FLAGS: [(u32, &str); 5] =
            [(1, "debug"), (2, "pre-release"), (4, "patched"), (8, "private"), (32, "special")];
        let set = self.version_info.fixed.map_or(0, |fixed| fixed.flags);
        FLAGS.iter().filter(|(bit, _)| set & bit != 0).map(|(_, word)| *word).collect()
    }

    /// The version as people would state it: the `FileVersion` text if it has the numbers of the fixed block (and
    /// perhaps a stage as well), else the numbers of the fixed block, else the text alone.
    pub fn version(&self) -> Option<Version> {
        let fixed = self.version_info.fixed.map(|fixed| fixed.file_version);
        prefer(fixed, self.string("FileVersion"))
    }

    /// The product version, by the same rule as [`Facts::version`].
    pub fn product_version(&self) -> Option<Version> {
        let fixed = self.version_info.fixed.map(|fixed| fixed.product_version);
        prefer(fixed, self.string("ProductVersion"))
    }

    /// A string of the version resource.
    pub fn string(&self, key: &str) -> Option<&str> {
        self.version_info.string(key)
    }

    /// Link time in seconds since 1970, unless the field cannot be one: before 1993, when the
    /// format appeared, or after `now`.
    pub fn linked(&self, now: i64) -> Option<i64> {
        const FORMAT_APPEARED: i64 = 725_846_400;
        let stamp = i64::from(self.stamp);
        (FORMAT_APPEARED..=now).contains(&stamp).then_some(stamp)
    }
}

impl Image {
    /// Reads everything that the plain file at `path` says; a link is not followed.
    ///
    /// # Errors
    /// If the file cannot be read, is not an image, or is damaged.
    pub fn read(path: &Path) -> Result<Self, ImageError> {
        Self::from_reader(open_plain(path)?)
    }

    /// Reads everything that an image says, from its first byte to its last.
    ///
    /// # Errors
    /// If it cannot be read, is not an image, or is damaged.
    pub fn from_reader(reader: impl Read + Seek) -> Result<Self, ImageError> {
        let mut source = Source::new(reader)?;
        let headers = Headers::read(&mut source)?;
        let (mut facts, libraries) = Facts::collect(&headers, &mut source)?;
        let imports = imports::symbols(&headers, &mut source, libraries);
        let imports = or_fault(imports, &mut facts.faults)?;
        let exports = exports_in(&headers, &mut source);
        let exports = or_fault(exports, &mut facts.faults)?;
        Ok(Self { facts, imports, exports })
    }
}

fn prefer(fixed: Option<[u16; 4]>, text: Option<&str>) -> Option<Version> {
    let text: Option<Version> = text.and_then(|text| text.parse().ok());
    let fixed = fixed.filter(|numbers| *numbers != [0; 4]).map(Version::from_fixed);
    let version = match (fixed, text) {
        (Some(fixed), Some(text)) if !fixed.same_numbers(&text) => Some(fixed),
        (fixed, text) => text.or(fixed),
    };
    version.map(Version::shortened)
}

/// The imports of the plain file at `path`, and nothing else; a link is not followed.
///
/// # Errors
/// If the file cannot be read, is not an image, or its import tables are damaged.
pub fn imports_of(path: &Path) -> Result<Vec<Import>, ImageError> {
    let mut source = Source::new(open_plain(path)?)?;
    let headers = Headers::read(&mut source)?;
    let libraries = imports::libraries(&headers, &mut source)?;
    imports::symbols(&headers, &mut source, libraries)
}

/// The exports of the plain file at `path`, for lookups; a link is not followed.
///
/// # Errors
/// If the file cannot be read, is not an image, or its export table is damaged.
pub fn offer_of(path: &Path) -> Result<Offer, ImageError> {
    let mut source = Source::new(open_plain(path)?)?;
    let headers = Headers::read(&mut source)?;
    match exports::table(&headers, &mut source)? {
        Some(table) => table.offer(&headers, &mut source),
        None => Ok(Offer::default()),
    }
}

/// The exports of the plain file at `path`, and nothing else; a link is not followed.
///
/// # Errors
/// If the file cannot be read, is not an image, or its export table is damaged.
pub fn exports_of(path: &Path) -> Result<Vec<Export>, ImageError> {
    let mut source = Source::new(open_plain(path)?)?;
    let headers = Headers::read(&mut source)?;
    exports_in(&headers, &mut source)
}

fn exports_in<R: Read + Seek>(
    headers: &Headers,
    source: &mut Source<R>,
) -> Result<Vec<Export>, ImageError> {
    match exports::table(headers, source)? {
        Some(table) => table.exports(headers, source),
        None => Ok(Vec::new()),
    }
}

/// A table that cannot be read leaves the other facts standing; a file that cannot be read does not.
fn or_fault<T: Default>(
    result: Result<T, ImageError>,
    faults: &mut Vec<String>,
) -> Result<T, ImageError> {
    match result {
        Err(ImageError::Unreadable(error)) => Err(error.into()),
        Err(fault) => {
            let text = fault.to_string();
            if !faults.contains(&text) {
                faults.push(text);
            }
            Ok(T::default())
        }
        Ok(value) => Ok(value),
    }
}
