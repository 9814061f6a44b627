//! Sorts the files of a package: those that a game needs, and those for reading or for developers. An ending alone
//! decides only if it is unambiguous: a picture may be a texture, a source a script, and a text a table; their
//! neighbours show that.

use std::collections::{BTreeSet, HashSet};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::path::{TreePath, extension, fold, stem};
use upright_spanner_image::system::is_debug_runtime;
use upright_spanner_image::{Facts, Kind};

/// The kind of a file in a package.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, JsonSchema, Deserialize,
)]
#[serde(rename_all = "kebab-case")]
pub enum Part {
    /// A library that games load.
    Payload,
    /// A debug build of a library.
    DebugBuild,
    /// A program.
    Program,
    /// Settings.
    Settings,
    /// Something that a library or the game reads.
    Data,
    /// Something to read.
    Documentation,
    /// Sources, headers, import libraries.
    Developer,
    /// What debuggers read.
    Symbols,
    /// Values for the registry.
    Registry,
}

impl Part {
    /// The words used in output.
    pub fn name(self) -> &'static str {
        match self {
            Self::Payload => "library",
            Self::DebugBuild => "debug build",
            Self::Program => "program",
            Self::Settings => "settings file",
            Self::Data => "data file",
            Self::Documentation => "text",
            Self::Developer => "developer file",
            Self::Symbols => "symbol file",
            Self::Registry => "registry file",
        }
    }

    /// Whether a file of this kind is a library, released or not.
    pub fn is_library(self) -> bool {
        matches!(self, Self::Payload | Self::DebugBuild)
    }
}

/// A file with its kind.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Sorted {
    /// Its path in the package.
    #[schemars(with = "String")]
    pub path: TreePath,
    /// Its purpose.
    pub part: Part,
    /// How that was found.
    pub reason: String,
    /// The variant that it is part of, if the package has several.
    pub variant: Option<String>,
}

/// A file of a package, as far as sorting looks at it.
#[derive(Debug, Clone, Copy)]
pub(super) struct Specimen<'a> {
    pub path: &'a TreePath,
    /// Its facts, if it is an image.
    pub facts: Option<&'a Facts>,
    /// Its first bytes.
    pub start: &'a [u8],
}

/// The kind of a file on its own; some depend on their neighbours.
enum First {
    Clear(Part, String),
    /// Text in a language for programs: a source, or a script or shader that is read at run time.
    Source(String),
    Picture,
    Text,
    /// A list of addresses, or of places in a game.
    Map,
    /// Values under names: settings, or a table of data.
    Values(String),
    /// A library with the flag of a debug build, or in a folder of debug builds.
    FlaggedLibrary(String),
}

/// Folders for developers; a library may are in one all the same.
const DEVELOPER_FOLDERS: [&str; 8] =
    ["src", "source", "sources", "include", "headers", "sdk", "cmake", "examples"];
const DEBUG_FOLDERS: [&str; 3] = ["debug", "dbg", "debugging"];
const READING_FOLDERS: [&str; 12] = [
    "doc",
    "docs",
    "documentation",
    "documents",
    "help",
    "license",
    "licenses",
    "licences",
    "manual",
    "preview",
    "readme",
    "screenshots",
];
const SETTINGS_FOLDERS: [&str; 4] = ["cfg", "config", "configs", "settings"];

/// Sorts the files of a package. `named` are the words of its settings files, in lower case: a file named there is
/// not a text for reading.
pub(super) fn sort(files: &[Specimen<'_>], named: &HashSet<String>) -> Vec<(Part, String)> {
    let first: Vec<First> = files.iter().map(first).collect();
    let around = Around::new(files, &first, named);
    let judge = |(file, first): (&Specimen<'_>, First)| around.judge(file, first);
    files.iter().zip(first).map(judge).collect()
}

fn folders(path: &TreePath) -> Vec<String> {
    path.folder().split('/').filter(|folder| !folder.is_empty()).map(fold).collect()
}

fn folder_among(path: &TreePath, names: &[&str]) -> Option<String> {
    folders(path).into_iter().find(|folder| names.contains(&folder.as_str()))
}

/// Whether a file is one that systems and archivers leave behind.
pub(super) fn is_stray(path: &TreePath) -> bool {
    const STRAY: [&str; 3] = [".ds_store", "thumbs.db", "desktop.ini"];
    STRAY.contains(&fold(path.file_name()).as_str()) || folder_among(path, &["__macosx"]).is_some()
}

fn first(file: &Specimen<'_>) -> First {
    const READ: [&str; 10] = [
        "readme",
        "read me",
        "license",
        "licence",
        "copying",
        "changelog",
        "changes",
        "notice",
        "authors",
        "credits",
    ];
    const SYMBOLS: [&str; 3] = ["pdb", "dbg", "ilk"];
    const DEVELOPER: [&str; 21] = [
        "h", "hpp", "hxx", "inl", "lib", "a", "def", "exp", "o", "obj", "cmake", "sln", "vcxproj",
        "props", "filters", "idl", "c", "cc", "cpp", "cxx", "rs",
    ];
    const SOURCES: [&str; 5] = ["cs", "py", "hlsl", "glsl", "fx"];
    const DOCUMENTS: [&str; 14] = [
        "md", "pdf", "rtf", "html", "htm", "chm", "url", "nfo", "diz", "asc", "sig", "md5", "sha1",
        "sha256",
    ];
    const PICTURES: [&str; 6] = ["png", "jpg", "jpeg", "gif", "svg", "webp"];

    let name = fold(file.path.file_name());
    let extension = extension(&name);
    let is = |names: &[&str]| names.contains(&extension.as_str());
    let clear = |part, why: &str| First::Clear(part, why.to_owned());
    if let Some(facts) = file.facts {
        return image(file.path, facts);
    }

    let is_shared_object = extension == "so" || name.contains(".so.");
    if is_shared_object && file.start.starts_with(b"\x7fELF") {
        clear(Part::Payload, "it is a library for Linux")
    } else if extension == "dylib" {
        clear(Part::Payload, "it is a library for macOS")
    } else if extension == "jar" && file.start.starts_with(b"PK") {
        clear(Part::Payload, "it is a Java library")
    } else if extension == "reg" {
        clear(Part::Registry, "it sets values of the registry, which is left until you say so")
    } else if is(&SYMBOLS) || file.start.starts_with(b"Microsoft C/C++") {
        clear(Part::Symbols, "debuggers read it")
    } else if is(&DEVELOPER) || file.start.starts_with(b"!<arch>") {
        First::Clear(Part::Developer, format!(".{extension} files are for developers"))
    } else if READ.iter().any(|word| stem(&name).contains(word)) {
        clear(Part::Documentation, "its name shows that it is a text for reading")
    } else if is(&DOCUMENTS) {
        First::Clear(Part::Documentation, format!(".{extension} files are for reading"))
    } else if is(&SOURCES) {
        First::Source(extension)
    } else if is(&PICTURES) {
        First::Picture
    } else if extension == "txt" {
        First::Text
    } else if extension == "map" {
        First::Map
    } else if ["json", "xml", "yaml", "yml"].contains(&extension.as_str()) {
        First::Values(extension)
    } else if is_settings_name(&name) {
        First::Clear(Part::Settings, format!(".{extension} files hold settings"))
    } else {
        clear(Part::Data, "it is neither to be read nor for developers")
    }
}

fn image(path: &TreePath, facts: &Facts) -> First {
    if facts.imported_dlls.iter().any(|dll| is_debug_runtime(dll)) {
        let why = "it asks for a runtime that only developers have".to_owned();
        return First::Clear(Part::DebugBuild, why);
    }
    match facts.kind {
        Kind::Exe => First::Clear(Part::Program, "it is a program".to_owned()),
        Kind::Dll => {
            if let Some(folder) = folder_among(path, &DEBUG_FOLDERS) {
                First::Clear(Part::DebugBuild, format!("it is a library in {folder}"))
            } else if facts.is_debug() {
                First::FlaggedLibrary("its flag says that it is a debug build".to_owned())
            } else if let Some(folder) = folder_among(path, &["dev"]) {
                First::FlaggedLibrary(format!("it is in {folder}"))
            } else {
                First::Clear(Part::Payload, "it is a library".to_owned())
            }
        }
    }
}

/// A package's other evidence about a file.
struct Around<'a> {
    /// Folders that hold a library or a program.
    with_images: BTreeSet<&'a str>,
    /// Folders that hold headers, projects and the like.
    with_headers: BTreeSet<&'a str>,
    /// Folders that hold settings or data.
    with_data: BTreeSet<&'a str>,
    /// Names of libraries that nothing shows to be debug builds.
    released: BTreeSet<String>,
    /// The same without endings.
    stems: BTreeSet<String>,
    named: &'a HashSet<String>,
}

impl<'a> Around<'a> {
    fn new(files: &[Specimen<'a>], first: &[First], named: &'a HashSet<String>) -> Self {
        let folders = |wanted: &dyn Fn(&Specimen<'_>, &First) -> bool| {
            let wanted = files.iter().zip(first).filter(|(file, first)| wanted(file, first));
            wanted.map(|(file, _)| file.path.folder()).collect::<BTreeSet<&str>>()
        };
        let is = |first: &First, part: Part| matches!(first, First::Clear(own, _) if *own == part);
        let libraries = files.iter().zip(first).filter(|(_, first)| is(first, Part::Payload));
        let libraries: Vec<String> =
            libraries.map(|(file, _)| fold(file.path.file_name())).collect();
        Self {
            with_images: folders(&|file, _| file.facts.is_some()),
            with_headers: folders(&|_, first| is(first, Part::Developer)),
            with_data: folders(&|file, first| {
                let values = matches!(first, First::Values(_));
                (is(first, Part::Data) || is(first, Part::Settings) || values)
                    && !file.path.folder().is_empty()
            }),
            stems: libraries.iter().map(|name| stem(name).to_owned()).collect(),
            released: libraries.into_iter().collect(),
            named,
        }
    }

    fn judge(&self, file: &Specimen<'_>, first: First) -> (Part, String) {
        let folder = file.path.folder();
        let developer = folder_among(file.path, &DEVELOPER_FOLDERS);
        let developer = developer.filter(|_| !self.with_images.contains(folder));
        if let (Some(among), true) = (&developer, may_be_for_developers(&first)) {
            return (Part::Developer, format!("it is in {among}, beside no library"));
        }
        let is_named = || self.named.contains(&fold(file.path.file_name()));
        let named = || (Part::Data, "a settings file names it".to_owned());
        let data = |why: &str| (Part::Data, why.to_owned());
        let to_read = |why: &str| (Part::Documentation, why.to_owned());
        let is_top = folder.is_empty() || self.with_images.contains(folder);
        let is_for_reading = folder_among(file.path, &READING_FOLDERS).is_some();
        match first {
            First::Clear(part, why) => (part, why),
            First::Source(extension) if self.with_headers.contains(folder) => {
                (Part::Developer, format!(".{extension} files beside headers are sources"))
            }
            First::Source(_) => data("nothing beside it shows that it is a source"),
            First::Picture | First::Text if is_named() => named(),
            First::Picture if is_for_reading || is_top => {
                to_read("it is a picture beside the texts")
            }
            First::Picture => data("it is a picture among other files"),
            First::Text if is_for_reading || is_top => to_read(".txt files are for reading"),
            First::Text if self.is_among_data(folder) => data("it is a text among data"),
            First::Text => to_read(".txt files are for reading"),
            First::Map if self.stems.contains(&fold(stem(file.path.file_name()))) => {
                (Part::Symbols, "it is named after a library".to_owned())
            }
            First::Map => data("no library is named like it"),
            First::Values(extension)
                if is_top || folder_among(file.path, &SETTINGS_FOLDERS).is_some() =>
            {
                (Part::Settings, format!(".{extension} files hold settings"))
            }
            First::Values(_) => data("it is a table among other files"),
            First::FlaggedLibrary(why) if self.released.contains(&fold(file.path.file_name())) => {
                (Part::DebugBuild, format!("{why}, and another has its name"))
            }
            First::FlaggedLibrary(_) => (Part::Payload, "it is a library".to_owned()),
        }
    }

    /// Whether a folder, or one around it, holds data.
    fn is_among_data(&self, folder: &str) -> bool {
        let mut around = Some(folder);
        while let Some(folder) = around {
            if self.with_data.contains(folder) {
                return true;
            }
            around = folder.rsplit_once('/').map(|(around, _)| around);
        }
        false
    }
}

/// Whether a file in a developers' folder may be meant for developers.
fn may_be_for_developers(first: &First) -> bool {
    !matches!(
        first,
        First::Clear(Part::Payload | Part::DebugBuild | Part::Documentation | Part::Symbols, _)
    )
}

/// Whether a file of that name holds settings, going by its extension.
pub(crate) fn is_settings_name(name: &str) -> bool {
    ["ini", "cfg", "conf", "toml", "json"].contains(&extension(name).as_str())
}
