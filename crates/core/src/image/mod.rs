//! What one executable image (PE32 or PE32+) says of itself.
//!
//! [`Facts`] is what recognition needs and costs a few reads; [`Image`] adds every import and
//! export. Neither runs or loads anything, and neither reads more of the file than its headers and
//! the tables asked for.

mod exports;
mod headers;
mod imports;
mod resource;
mod signature;
mod source;
pub mod system;
mod version_info;

use std::fmt;
use std::fs::File;
use std::io::{self, Read, Seek};
use std::path::Path;

use object::pe;
use serde::{Deserialize, Serialize, Serializer};

use crate::file::open_plain;
use crate::path::fold;
use crate::version::Version;
use headers::Headers;
pub use signature::{Chain, Signature, SignatureStatus, TrustStore};
use source::Source;
pub use version_info::{FixedInfo, StringTable, VersionInfo};

/// The machine that an image is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub enum Machine {
    /// 32-bit x86.
    #[serde(rename = "x86")]
    X86,
    /// 64-bit x86.
    #[serde(rename = "x86_64")]
    X86_64,
    /// 32-bit ARM.
    #[serde(rename = "arm")]
    Arm,
    /// 64-bit ARM.
    #[serde(rename = "arm64")]
    Arm64,
    /// Another machine.
    #[serde(rename = "other")]
    Other,
}

impl Machine {
    fn from_header(value: u16) -> Self {
        match value {
            0x014C => Self::X86,
            0x8664 => Self::X86_64,
            0x01C0 | 0x01C2 | 0x01C4 => Self::Arm,
            0xAA64 => Self::Arm64,
            _ => Self::Other,
        }
    }

    /// The name used in output and in JSON.
    pub fn name(self) -> &'static str {
        match self {
            Self::X86 => "x86",
            Self::X86_64 => "x86_64",
            Self::Arm => "arm",
            Self::Arm64 => "arm64",
            Self::Other => "other",
        }
    }

    /// As people say it: `32-bit`, `64-bit`, `64-bit ARM`.
    pub fn spoken(self) -> &'static str {
        match self {
            Self::X86 => "32-bit",
            Self::X86_64 => "64-bit",
            Self::Arm => "32-bit ARM",
            Self::Arm64 => "64-bit ARM",
            Self::Other => "for another machine",
        }
    }
}

impl fmt::Display for Machine {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.name())
    }
}

/// Whether an image is a library or a program.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Kind {
    /// A library, whatever its file's name.
    Dll,
    /// A program.
    Exe,
}

/// What recognition needs of an image.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Facts {
    /// The machine it is for.
    pub machine: Machine,
    /// Library or program.
    pub kind: Kind,
    /// Size of the file in bytes.
    pub size: u64,
    /// Link time in seconds since 1970, as the linker wrote it: reproducible builds put a hash
    /// there. [`Facts::linked`] gives it where it can be a time.
    pub stamp: u32,
    /// The version resource; empty where there is none.
    pub version_info: VersionInfo,
    /// The name that the library was linked under, from its export table.
    pub export_name: Option<String>,
    /// Names of the libraries that it imports from, delayed ones included.
    pub imported_dlls: Vec<String>,
    /// Whether it is made for the .NET runtime.
    pub managed: bool,
    /// Whether its code is packed, as far as the headers show.
    pub packed: bool,
    /// Who claims to have signed it, where it has a signature; [`Signature::check`] tells whether
    /// that holds.
    pub signer: Option<String>,
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
    /// What it offers.
    pub exports: Vec<Export>,
}

/// A library that an image imports from.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Import {
    /// The library's file name, in the image's spelling.
    pub dll: String,
    /// What is imported.
    pub symbols: Vec<Symbol>,
    /// Whether the library is loaded at the first call instead of at the start.
    pub delayed: bool,
}

/// An imported function.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum Symbol {
    /// By name.
    Name(String),
    /// By ordinal; written `#12`.
    Ordinal(u16),
}

impl fmt::Display for Symbol {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Name(name) => f.write_str(name),
            Self::Ordinal(ordinal) => write!(f, "#{ordinal}"),
        }
    }
}

impl Serialize for Symbol {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

/// An exported function or variable; as a text its name, or `#12` where it has none.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Export {
    /// Its name, where it has one.
    pub name: Option<String>,
    /// Its ordinal.
    pub ordinal: u32,
    /// `library.symbol`, where the call goes on to another library.
    pub forwarded_to: Option<String>,
}

impl fmt::Display for Export {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.name {
            Some(name) => f.write_str(name),
            None => write!(f, "#{}", self.ordinal),
        }
    }
}

/// Why a file gave no facts.
#[derive(Debug, thiserror::Error)]
pub enum ImageError {
    /// It could not be opened or read.
    #[error("it cannot be read: {0}")]
    Unreadable(#[from] io::Error),
    /// It has no content.
    #[error("it is empty (0 bytes)")]
    Empty,
    /// It is something else.
    #[error("it is not a Windows library or program but {looks_like}")]
    NotAnImage {
        /// What its first bytes look like.
        looks_like: &'static str,
    },
    /// It ends before its own headers say that it does.
    #[error("it is cut short: {what} should reach to byte {needed}, the file has {present}")]
    Truncated {
        /// The part that is not all there.
        what: &'static str,
        /// Length in bytes that the file would need.
        needed: u64,
        /// Length in bytes that it has.
        present: u64,
    },
    /// A table contradicts itself.
    #[error("it is damaged: {what} makes no sense")]
    Malformed {
        /// The table.
        what: &'static str,
    },
}

impl ImageError {
    pub(crate) fn malformed(what: &'static str) -> Self {
        Self::Malformed { what }
    }

    /// Whether it could not be read since something has it in use.
    pub fn is_in_use(&self) -> bool {
        matches!(self, Self::Unreadable(error) if upright_spanner_change::is_in_use(error))
    }

    /// The stable code used in JSON.
    pub fn code(&self) -> &'static str {
        match self {
            Self::Unreadable(_) => "unreadable",
            Self::Empty => "empty",
            Self::NotAnImage { .. } => "not-an-image",
            Self::Truncated { .. } => "truncated",
            Self::Malformed { .. } => "malformed",
        }
    }

    /// What the user can do about it.
    pub fn advice(&self) -> &'static str {
        match self {
            Self::Unreadable(_) => "Check that the file is there and that you may read it.",
            Self::Empty | Self::Truncated { .. } => {
                "The copy or download stopped early. Get the file again."
            }
            Self::NotAnImage { .. } => "Give a .dll or .exe file.",
            Self::Malformed { .. } => "Get the file again from where it came from.",
        }
    }
}

impl Facts {
    /// Reads the facts of the plain file at `path`; a link is not followed.
    pub fn read(path: &Path) -> Result<Self, ImageError> {
        Self::from_reader(open_plain(path)?)
    }

    /// Reads the facts of an image from its first byte to its last.
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
        let libraries = or_fault(imports::libraries(headers, source), &mut faults)?;
        let mut version_info = VersionInfo::default();
        let resources = resource::version_resources(headers, source);
        for bytes in or_fault(resources, &mut faults)? {
            let (info, damaged) = version_info::parse(&bytes);
            version_info.merge(info);
            let note = "the version resource is damaged in places";
            if damaged && !faults.iter().any(|fault| fault == note) {
                faults.push(note.to_owned());
            }
        }
        let table = or_fault(exports::table(headers, source), &mut faults)?;
        let signer = or_fault(signature::claimed_signer(headers, source), &mut faults)?;
        let facts = Self {
            machine: headers.machine,
            kind: headers.kind,
            size: source.len(),
            stamp: headers.built,
            version_info,
            export_name: table.and_then(|table| table.name),
            imported_dlls: libraries.iter().map(|library| library.name.clone()).collect(),
            managed: headers.directory(pe::IMAGE_DIRECTORY_ENTRY_COM_DESCRIPTOR).is_some(),
            packed: headers.packed,
            signer,
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

    /// What the version resource flags: debug, pre-release, patched, private, special build.
    pub fn flags(&self) -> Vec<&'static str> {
        const FLAGS: [(u32, &str); 5] =
            [(1, "debug"), (2, "pre-release"), (4, "patched"), (8, "private"), (32, "special")];
        let set = self.version_info.fixed.map_or(0, |fixed| fixed.flags);
        FLAGS.iter().filter(|(bit, _)| set & bit != 0).map(|(_, word)| *word).collect()
    }

    /// The version as people would state it: the `FileVersion` text where it says the same numbers
    /// as the fixed block (and perhaps a stage besides), else the fixed block's numbers, else the
    /// text alone.
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
    /// Reads everything that the file at `path` says.
    pub fn read(path: &Path) -> Result<Self, ImageError> {
        Self::from_reader(File::open(path)?)
    }

    /// Reads everything that an image says, from its first byte to its last.
    pub fn from_reader(reader: impl Read + Seek) -> Result<Self, ImageError> {
        let mut source = Source::new(reader)?;
        let headers = Headers::read(&mut source)?;
        let (mut facts, libraries) = Facts::collect(&headers, &mut source)?;
        let imports = imports::symbols(&headers, &mut source, libraries);
        let imports = or_fault(imports, &mut facts.faults)?;
        let exports = exports::table(&headers, &mut source)
            .and_then(|table| table.map_or(Ok(Vec::new()), |t| t.exports(&headers, &mut source)));
        let exports = or_fault(exports, &mut facts.faults)?;
        Ok(Self { facts, imports, exports })
    }
}

/// Names such as `msvcp140d.dll`, `vcruntime140_1d.dll` and `ucrtbased.dll`.
fn is_debug_runtime(dll: &str) -> bool {
    const RELEASE: [&str; 5] = ["msvcr", "msvcp", "vcruntime", "mfc", "ucrtbase"];
    let name = fold(dll);
    let Some(stem) = name.strip_suffix("d.dll") else {
        return false;
    };
    RELEASE.iter().any(|release| {
        let rest = stem.strip_prefix(release);
        rest.is_some_and(|rest| rest.chars().all(|c| c.is_ascii_digit() || matches!(c, '_' | 'u')))
    })
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

/// What a file that is no image looks like from its first bytes.
fn kind_of_bytes(start: &[u8]) -> &'static str {
    match start {
        [0x7F, b'E', b'L', b'F', ..] => "an ELF library or program (Linux)",
        [b'P', b'K', 3 | 5 | 7, 4 | 6 | 8, ..] => "a zip-based archive",
        [b'7', b'z', 0xBC, 0xAF, ..] => "a 7z archive",
        bytes if bytes.iter().all(|&b| b >= 0x20 || matches!(b, b'\t' | b'\r' | b'\n')) => {
            "a text file"
        }
        _ => "another kind of file",
    }
}
