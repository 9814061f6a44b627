//! Sorts what a package holds: which files a game needs, which are for reading or for developers,
//! and which folders hold the same files for different needs. Works on names and facts alone.

use std::collections::{BTreeMap, BTreeSet};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::catalog::slug;
use crate::path::{TreePath, extension, fold, stem};
use upright_spanner_image::{Facts, Kind};

/// What a file of a package is for.
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
    /// Something to read.
    Documentation,
    /// Sources, headers, import libraries.
    Developer,
    /// What debuggers read.
    Symbols,
    /// Something that no rule knows a place for.
    Elsewhere,
}

impl Part {
    /// The words used in output.
    pub fn name(self) -> &'static str {
        match self {
            Self::Payload => "library",
            Self::DebugBuild => "debug build",
            Self::Program => "program",
            Self::Settings => "settings file",
            Self::Documentation => "text",
            Self::Developer => "developer file",
            Self::Symbols => "symbol file",
            Self::Elsewhere => "other file",
        }
    }
}

/// A file with what it is for.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Sorted {
    /// Its path in the package.
    #[schemars(with = "String")]
    pub path: TreePath,
    /// What it is for.
    pub part: Part,
    /// How that was found.
    pub reason: String,
    /// The variant that it is part of, where the package has several.
    pub variant: Option<String>,
}

/// Sorts the files of a package. Facts are given for those that are images.
pub fn sort(files: &[(&TreePath, Option<&Facts>)]) -> Vec<Sorted> {
    let mut sorted: Vec<Sorted> = files
        .iter()
        .map(|(path, facts)| {
            let (part, reason) = part(path, *facts);
            Sorted { path: (*path).clone(), part, reason, variant: None }
        })
        .collect();
    let variants = variants(&sorted);
    for file in &mut sorted {
        file.variant = variants
            .iter()
            .filter(|(folder, _)| is_below(folder, file.path.folder()))
            .max_by_key(|(folder, _)| folder.len())
            .map(|(_, label)| label.clone());
    }

    sorted
}

fn part(path: &TreePath, facts: Option<&Facts>) -> (Part, String) {
    const SYMBOLS: [&str; 4] = ["pdb", "map", "dbg", "ilk"];
    const DEVELOPER: [&str; 24] = [
        "h", "hpp", "hxx", "inl", "c", "cc", "cpp", "cxx", "cs", "rs", "lib", "a", "def", "exp",
        "o", "obj", "cmake", "sln", "vcxproj", "props", "filters", "idl", "hlsl", "py",
    ];

    const DOCUMENTS: [&str; 13] = [
        "txt", "md", "pdf", "rtf", "html", "htm", "chm", "url", "png", "jpg", "jpeg", "gif", "svg",
    ];
    const READ: [&str; 9] = [
        "readme",
        "license",
        "licence",
        "copying",
        "changelog",
        "changes",
        "notice",
        "authors",
        "credits",
    ];

    const DEVELOPER_FOLDERS: [&str; 6] = ["src", "source", "sources", "include", "sdk", "cmake"];
    const DEBUG_FOLDERS: [&str; 3] = ["debug", "dbg", "dev"];
    let name = fold(path.file_name());
    let extension = extension(&name);
    let folders: Vec<String> = path.folder().split('/').map(fold).collect();
    let folder_among =
        |names: &[&str]| folders.iter().find(|folder| names.contains(&folder.as_str())).cloned();
    let by_extension = |names: &[&str]| names.contains(&extension.as_str());

    if let Some(facts) = facts {
        if facts.is_debug() {
            return (Part::DebugBuild, "it is a debug build".to_owned());
        }
        if let Some(folder) = folder_among(&DEBUG_FOLDERS) {
            return (Part::DebugBuild, format!("it is in {folder}"));
        }
        return match facts.kind {
            Kind::Dll => (Part::Payload, "it is a library".to_owned()),
            Kind::Exe => (Part::Program, "it is a program".to_owned()),
        };
    }

    if by_extension(&SYMBOLS) {
        (Part::Symbols, format!(".{extension} files are for debuggers"))
    } else if by_extension(&DEVELOPER) {
        (Part::Developer, format!(".{extension} files are for developers"))
    } else if let Some(folder) = folder_among(&DEVELOPER_FOLDERS) {
        (Part::Developer, format!("it is in {folder}"))
    } else if READ.iter().any(|word| stem(&name).contains(word)) {
        (Part::Documentation, "its name says so".to_owned())
    } else if by_extension(&DOCUMENTS) {
        (Part::Documentation, format!(".{extension} files are for reading"))
    } else if is_settings_name(&name) {
        (Part::Settings, format!(".{extension} files hold settings"))
    } else {
        (Part::Elsewhere, "no rule knows its kind".to_owned())
    }
}

/// Whether a file of that name holds settings, going by its extension.
pub(crate) fn is_settings_name(name: &str) -> bool {
    ["ini", "cfg", "conf", "toml", "json"].contains(&extension(name).as_str())
}

/// The folders that hold libraries of the same names for different needs, each with the label of
/// its variant: its path below what the folders have in common.
fn variants(files: &[Sorted]) -> BTreeMap<String, String> {
    let mut places: BTreeMap<String, BTreeSet<&str>> = BTreeMap::new();
    for file in files.iter().filter(|file| matches!(file.part, Part::Payload | Part::DebugBuild)) {
        places.entry(fold(file.path.file_name())).or_default().insert(file.path.folder());
    }
    let folders: BTreeSet<&str> =
        places.values().filter(|folders| folders.len() > 1).flatten().copied().collect();
    let common = common_folder(&folders);
    folders
        .iter()
        .map(|folder| {
            let below = folder[common.len()..].trim_start_matches('/');
            let label = if below.is_empty() { "main".to_owned() } else { slug(below) };
            ((*folder).to_owned(), label)
        })
        .collect()
}

/// The longest folder that all of some folders lie in.
fn common_folder<'a>(folders: &BTreeSet<&'a str>) -> &'a str {
    let mut common = folders.first().copied().unwrap_or_default();
    for folder in folders {
        while !is_below(common, folder) {
            common = common.rsplit_once('/').map_or("", |(parent, _)| parent);
        }
    }
    common
}

fn is_below(folder: &str, path: &str) -> bool {
    folder.is_empty()
        || path == folder
        || path.strip_prefix(folder).is_some_and(|rest| rest.starts_with('/'))
}
