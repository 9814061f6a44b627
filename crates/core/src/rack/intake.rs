//! Makes builds of what a package holds: one of each library that a game could load, in each
//! variant, with the texts that came along.

use std::path::{Path, PathBuf};

use jiff::Timestamp;

use super::archive::{Entry, Limits, Package};
use super::sort::{Part, Sorted, sort};
use super::{Build, BuildFile, BuildId, Companion, Note, Policy, Source};
use crate::catalog::{Catalog, role_of};
use crate::content::Content;
use crate::error::{Error, Result};
use crate::image::{Facts, ImageError, Machine};
use crate::path::{extension, fold, same_name, stem};
use crate::progress::Progress;
use crate::version::Version;

/// A note longer than this is no text that anybody reads.
const LONGEST_NOTE: u64 = 4 << 20;

/// The builds of a package that are not on the rack yet, and where their content is.
#[derive(Debug)]
pub struct Parcel {
    /// The builds as they would be on the rack, in the order of their files.
    pub builds: Vec<Build>,
    /// Each file of the package, with what it is for.
    pub sorted: Vec<Sorted>,
    package: Package,
}

impl Parcel {
    /// Takes in a library, a folder, a zip or a 7z; the catalog may name families.
    pub fn open(
        path: &Path,
        catalog: &Catalog,
        limits: &Limits,
        progress: &dyn Progress,
    ) -> Result<Self> {
        let package = Package::open(path, limits, progress)?;
        let mut facts = Vec::with_capacity(package.entries.len());
        for entry in &package.entries {
            facts.push(facts_of(path, entry, package.entries.len() == 1)?);
        }
        let files: Vec<_> = package
            .entries
            .iter()
            .map(|entry| &entry.path)
            .zip(facts.iter().map(Option::as_ref))
            .collect();
        let sorted = sort(&files);
        let notes = notes(&package.entries, &sorted);
        let mut builds: Vec<Build> = Vec::new();
        for ((entry, facts), file) in package.entries.iter().zip(facts).zip(&sorted) {
            let kept = matches!(file.part, Part::Payload | Part::DebugBuild);
            let Some(facts) = facts.filter(|_| kept) else { continue };
            let mut build = build(entry, facts, &package.source, catalog);
            build.id.variant = variant(&build, file);
            build.notes.clone_from(&notes);
            build.settings = settings(&package.entries, &sorted, file);
            builds.push(build);
        }
        if builds.is_empty() {
            let why = "there is no .dll file in it".to_owned();
            let advice = "Look into it: `spanner rack add -v` shows what each file is taken for.";
            return Err(Error::Archive { path: path.to_owned(), why, advice });
        }
        Ok(Self { builds, sorted, package })
    }

    /// The file that a content can be read from.
    pub fn file_of(&self, content: &Content) -> Option<&Path> {
        let entry = self.package.entries.iter().find(|entry| entry.content == *content);
        entry.map(|entry| entry.file.as_path())
    }

    /// Every content that the builds refer to, with a file to read it from.
    pub fn contents(&self) -> Vec<(&PathBuf, &Content)> {
        let wanted = |content: &Content| {
            self.builds.iter().any(|build| build.contents().any(|needed| needed == *content))
        };
        let entries = self.package.entries.iter().filter(|entry| wanted(&entry.content));
        entries.map(|entry| (&entry.file, &entry.content)).collect()
    }
}

/// The facts of an image; nothing for other files. A file that was given by itself must be one, and
/// one that calls itself a library must be whole.
fn facts_of(path: &Path, entry: &Entry, alone: bool) -> Result<Option<Facts>> {
    let library = extension(entry.path.file_name()) == "dll";
    match Facts::read(&entry.file) {
        Ok(facts) => Ok(Some(facts)),
        Err(error @ ImageError::Unreadable(_)) => Err(Error::image(&entry.file)(error)),
        Err(error) if alone && entry.file == path => Err(Error::image(path)(error)),
        Err(error) if library => Err(Error::Archive {
            path: path.to_owned(),
            why: format!("its entry `{}` is no library: {error}", entry.path),
            advice: "Get the archive again from where it came from.",
        }),
        Err(_) => Ok(None),
    }
}

/// The settings files that go with a library: those in its folder or in one around it that bear its
/// name, or all of these where the package has libraries of one name only.
fn settings(entries: &[Entry], sorted: &[Sorted], library: &Sorted) -> Vec<Companion> {
    const MERGED: [&str; 3] = ["ini", "cfg", "conf"];
    let own = fold(stem(library.path.file_name()));
    let payload = || sorted.iter().filter(|file| file.part == Part::Payload);
    let alone = payload().all(|file| same_name(file.path.file_name(), library.path.file_name()));
    let goes_with = |file: &Sorted| {
        let name = file.path.file_name();
        let around = file.path.folder();
        let inside = around.is_empty()
            || library.path.folder() == around
            || library.path.folder().starts_with(&format!("{around}/"));
        file.part == Part::Settings && inside && (alone || fold(stem(name)) == own)
    };
    let companions = entries.iter().zip(sorted).filter(|(_, file)| goes_with(file));
    companions
        .map(|(entry, file)| Companion {
            name: file.path.file_name().to_owned(),
            content: entry.content,
            modified: entry.modified,
            policy: if MERGED.contains(&extension(file.path.file_name()).as_str()) {
                Policy::Merge
            } else {
                Policy::Keep
            },
        })
        .collect()
}

fn notes(entries: &[Entry], sorted: &[Sorted]) -> Vec<Note> {
    let documents = entries.iter().zip(sorted).filter(|(entry, file)| {
        file.part == Part::Documentation && entry.content.size <= LONGEST_NOTE
    });
    documents
        .map(|(entry, _)| Note { name: entry.path.to_string(), content: entry.content })
        .collect()
}

/// Words in a folder's name that say no more than the file itself does.
const PLAIN_WORDS: [&str; 11] =
    ["x64", "x86", "win64", "win32", "amd64", "arm64", "64", "32", "64bit", "32bit", "bin"];

/// What tells a build from others of its version: its machine where that is not the usual one, its
/// place among sibling folders, and that it is for developers.
fn variant(build: &Build, file: &Sorted) -> Option<String> {
    let machine = (build.machine != Machine::X86_64).then(|| build.machine.name().to_owned());
    let label = file.variant.as_deref().unwrap_or_default();
    let place: Vec<&str> = label
        .split('-')
        .filter(|word| !word.is_empty() && !PLAIN_WORDS.contains(word))
        .filter(|word| !["main", "release", "debug"].contains(word))
        .collect();
    let place = (!place.is_empty()).then(|| place.join("-"));
    let debug = (file.part == Part::DebugBuild).then(|| "debug".to_owned());
    let parts: Vec<String> = [machine, place, debug].into_iter().flatten().collect();
    (!parts.is_empty()).then(|| parts.join("-"))
}

fn build(entry: &Entry, facts: Facts, source: &Source, catalog: &Catalog) -> Build {
    let name = entry.path.file_name().to_owned();
    let version = facts.version().or_else(|| {
        let named = |name| Version::find_in(stem(name), 2).map(|(_, version)| version);
        named(&name).or_else(|| named(&source.name))
    });
    let stated = version.as_ref().map(Version::to_string);
    let known = catalog.find(&facts, &name).and_then(|family| family.role);
    Build {
        id: BuildId {
            family: catalog.family_of(&facts, &name),
            version: stated.unwrap_or_else(|| format!("sha-{}", entry.content.sha256.short())),
            variant: None,
        },
        role: known.or_else(|| role_of(&facts)),
        version,
        machine: facts.machine,
        file: BuildFile {
            path: entry.path.clone(),
            name,
            content: entry.content,
            modified: entry.modified,
            facts,
        },
        supports: None,
        settings: Vec::new(),
        notes: Vec::new(),
        source: source.clone(),
        added: Timestamp::now(),
    }
}
