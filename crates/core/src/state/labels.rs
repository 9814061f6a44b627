//! Labels: one file a build on the rack, that says which contents it is made of and where each goes.
//!
//! A label is written before the contents that it names are stored, and says only then that they have
//! arrived; and it goes after the contents that nothing else needs. So no content is stored that no
//! label or journal file names.

use std::path::{Path, PathBuf};

use jiff::Timestamp;
use serde::{Deserialize, Serialize};

use crate::catalog::{Role, slug};
use crate::content::{Content, Digest};
use crate::error::Result;
use crate::path::TreePath;
use crate::rack::{
    Build, BuildFile, BuildId, BuildPart, BuildSpec, Layout, Note, Part, Placement, Policy, Source,
};
use upright_spanner_change::line::{self, LineFault};
use upright_spanner_change::{Folder, Moment};
use upright_spanner_image::{Facts, Machine, Requirement, SignatureStatus, Version};

const HEADING: &str = "spanner build 1";
const ENDING: &str = ".build";

/// The labels in one folder.
#[derive(Debug)]
pub(crate) struct Labels {
    folder: Folder,
}

/// The labels, parsed.
#[derive(Debug, Default)]
pub(crate) struct Shelf {
    /// Builds of which everything has arrived, in the order in which they were added.
    pub builds: Vec<Build>,
    /// The labels of those of them that do not say so: the program ended before that was noted, or the
    /// line is damaged or was cut off.
    pub unnoted: Vec<PathBuf>,
    /// Labels of builds of which not everything has arrived, or that are about to go.
    pub passing: Vec<Passing>,
    /// Unreadable labels, each with the reason.
    pub faults: Vec<(PathBuf, String)>,
}

/// A label of a build that is not on the rack yet, or hardly any more.
#[derive(Debug)]
pub(crate) struct Passing {
    /// The file.
    pub path: PathBuf,
    /// The contents that it names.
    pub contents: Vec<Content>,
}

/// How far a build has come.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Stage {
    Announced,
    Arrived,
    Dropped,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
enum Line {
    Build(Box<StoredBuild>),
    Arrived { at: Timestamp },
    Dropped { at: Timestamp },
}

impl Labels {
    pub fn open(folder: &Path) -> Result<Self> {
        Ok(Self { folder: Folder::make(folder)? })
    }

    /// Reads every label. `facts` returns the facts of a stored image, and `has` whether a content is stored.
    pub fn read(
        &self,
        facts: impl Fn(&Content) -> Option<Facts>,
        has: impl Fn(&Content) -> bool,
    ) -> Result<Shelf> {
        let mut shelf = Shelf::default();
        for name in self.folder.names()? {
            let Some(name) = name.to_str().filter(|name| name.ends_with(ENDING)) else { continue };
            let path = self.folder.path().join(name);
            let text = match line::read(&self.folder, name) {
                Ok(Some(text)) => text,
                Ok(None) => continue,
                Err(error) => {
                    shelf.faults.push((path, error.to_string()));
                    continue;
                }
            };
            let (stored, stage) = match parse(&text) {
                Ok(read) => read,
                Err(what) => {
                    shelf.faults.push((path, what));
                    continue;
                }
            };
            let contents = stored.contents();
            let is_unnoted = stage == Stage::Announced && contents.iter().all(&has);
            if stage != Stage::Arrived && !is_unnoted {
                shelf.passing.push(Passing { path, contents });
                continue;
            }
            match stored.into_build(&facts) {
                Ok(build) => shelf.builds.push(build),
                Err(what) => {
                    shelf.faults.push((path, what));
                    continue;
                }
            }
            if is_unnoted {
                shelf.unnoted.push(path);
            }
        }

        shelf.builds.sort_by_key(|build| (build.added, build.id.to_string()));
        Ok(shelf)
    }

    /// The contents that a label names, as far as it can be read, whether they have arrived or not.
    pub fn named(&self) -> Result<Vec<Content>> {
        let mut contents = Vec::new();
        for name in self.folder.names()? {
            let Some(name) = name.to_str().filter(|name| name.ends_with(ENDING)) else { continue };
            let text = line::read(&self.folder, name)?.unwrap_or_default();
            if let Ok((stored, _)) = parse(&text) {
                contents.extend(stored.contents());
            }
        }
        Ok(contents)
    }

    /// Writes the label of a build before its contents are stored.
    pub fn announce(&self, build: &Build) -> Result<()> {
        let name = Self::name_of(&build.id);
        self.write(&name, build, None)
    }

    /// Writes down that everything of a build is stored.
    pub fn arrived(&self, build: &Build) -> Result<()> {
        self.note(&self.path_of(&build.id), &Line::Arrived { at: Timestamp::now() })
    }

    /// The same of a label that was found.
    pub fn note_arrived(&self, path: &Path) -> Result<()> {
        self.note(path, &Line::Arrived { at: Timestamp::now() })
    }

    fn note(&self, path: &Path, line: &Line) -> Result<()> {
        if let Some(name) = path.file_name().and_then(|name| name.to_str()) {
            line::append(&self.folder, name, &line::line(line, path)?)?;
        }
        Ok(())
    }

    /// Gives a build whose contents are stored another name, or other words under its own.
    pub fn replace(&self, old: &BuildId, build: &Build) -> Result<()> {
        let (before, name) = (Self::name_of(old), Self::name_of(&build.id));
        self.write(&name, build, Some(Timestamp::now()))?;
        if before != name {
            self.folder.remove_file(&before)?;
            self.folder.sync()?;
        }
        Ok(())
    }

    /// Writes down that a build is about to go: its contents come first.
    pub fn dismiss(&self, id: &BuildId) -> Result<()> {
        self.note(&self.path_of(id), &Line::Dropped { at: Timestamp::now() })
    }

    /// Removes a label whose contents are gone or needed by something else.
    pub fn remove(&self, path: &Path) -> Result<()> {
        if let Some(name) = path.file_name().and_then(|name| name.to_str()) {
            self.folder.remove_file(name)?;
            self.folder.sync()?;
        }
        Ok(())
    }

    /// The label of a build.
    pub fn path_of(&self, id: &BuildId) -> PathBuf {
        self.folder.path().join(Self::name_of(id))
    }

    fn write(&self, name: &str, build: &Build, arrived: Option<Timestamp>) -> Result<()> {
        let path = self.folder.path().join(name);
        let stored = Box::new(StoredBuild::of(build));
        let mut text = format!("{HEADING}\n{}", line::line(&Line::Build(stored), &path)?);
        if let Some(at) = arrived {
            text.push_str(&line::line(&Line::Arrived { at }, &path)?);
        }
        line::write_over(&self.folder, name, &text)?;
        Ok(())
    }

    /// A file name that a person recognises, and that no other build has.
    fn name_of(id: &BuildId) -> String {
        let text = id.to_string();
        let digest = Content::of_bytes(text.as_bytes()).blake3.short();
        let readable: String = slug(&text).chars().take(60).collect();
        format!("{readable}-{digest}{ENDING}")
    }
}

/// The build and the stage that a label states. After the line with the build, a damaged or cut-off line does not
/// count.
fn parse(text: &str) -> Result<(StoredBuild, Stage), String> {
    let read = line::parse::<Line>(text, HEADING);
    let (mut build, mut stage) = (None, Stage::Announced);
    for (number, line) in read.lines {
        match line {
            Line::Build(stored) => build = Some((number, *stored)),
            Line::Arrived { .. } => stage = Stage::Arrived,
            Line::Dropped { .. } => stage = Stage::Dropped,
        }
    }

    let named_at = build.as_ref().map(|(number, _)| *number);
    let counts = |fault: &LineFault| {
        !fault.is_damaged || named_at.is_none_or(|number| fault.number <= number)
    };
    match (read.faults.into_iter().find(counts), build) {
        (None, Some((_, stored))) => Ok((stored, stage)),
        (fault, _) => Err(fault.map_or_else(|| "it names no build".to_owned(), |fault| fault.what)),
    }
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct StoredBuild {
    family: String,
    version_name: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    variant: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    role: Option<Role>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    version: Option<Version>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    machine: Option<Machine>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    edition: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    supports: Option<Requirement>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    told: Option<Requirement>,
    added: Timestamp,
    source: StoredSource,
    signature: SignatureStatus,
    name: String,
    file: Vec<StoredFile>,
    place: Vec<StoredPlace>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    retires: Vec<TreePath>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    text: Vec<StoredText>,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct StoredSource {
    name: String,
    blake3: Digest,
    modified: Moment,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct StoredFile {
    path: TreePath,
    blake3: Digest,
    size: u64,
    modified: Moment,
    image: bool,
    /// Its kind; the library that the build is named after has none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    part: Option<Part>,
    /// The reason for its place.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    why: String,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct StoredPlace {
    from: TreePath,
    bay: String,
    to: TreePath,
    policy: Policy,
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    start: bool,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct StoredText {
    name: String,
    blake3: Digest,
    size: u64,
}

impl From<crate::rack::Stored<'_>> for StoredFile {
    fn from(file: crate::rack::Stored<'_>) -> Self {
        Self {
            path: file.path.clone(),
            blake3: file.content.blake3,
            size: file.content.size,
            modified: file.modified,
            image: file.facts.is_some(),
            part: None,
            why: String::new(),
        }
    }
}

/// The files of a build, the library first.
fn stored_files(build: &Build) -> Vec<StoredFile> {
    let parts = build.parts.iter().map(|part| (Some(part.part), part.why.clone()));
    let notes = std::iter::once((None, String::new())).chain(parts);
    let files = build.files().zip(notes);
    files.map(|(file, (part, why))| StoredFile { part, why, ..StoredFile::from(file) }).collect()
}

impl StoredFile {
    fn content(&self) -> Content {
        Content { blake3: self.blake3, size: self.size }
    }
}

impl From<&Placement> for StoredPlace {
    fn from(place: &Placement) -> Self {
        Self {
            from: place.from.clone(),
            bay: place.bay.clone(),
            to: place.to.clone(),
            policy: place.policy,
            start: place.start,
        }
    }
}

impl From<StoredPlace> for Placement {
    fn from(place: StoredPlace) -> Self {
        let StoredPlace { from, bay, to, policy, start } = place;
        Self { from, bay, to, policy, start }
    }
}

impl From<&Note> for StoredText {
    fn from(note: &Note) -> Self {
        Self { name: note.name.clone(), blake3: note.content.blake3, size: note.content.size }
    }
}

impl From<StoredText> for Note {
    fn from(text: StoredText) -> Self {
        let content = Content { blake3: text.blake3, size: text.size };
        Self { name: text.name, content }
    }
}

impl StoredBuild {
    fn of(build: &Build) -> Self {
        Self {
            family: build.id.family.clone(),
            version_name: build.id.version.clone(),
            variant: build.id.variant.clone(),
            role: build.role,
            version: build.version.clone(),
            machine: build.machine,
            edition: build.edition.clone(),
            supports: build.supports.clone(),
            told: build.told.clone(),
            added: build.added,
            source: StoredSource {
                name: build.source.name.clone(),
                blake3: build.source.blake3,
                modified: build.source.modified,
            },
            signature: build.file.signature,
            name: build.file.name.clone(),
            file: stored_files(build),
            place: build.layout.places.iter().map(StoredPlace::from).collect(),
            retires: build.layout.retires.clone(),
            text: build.notes.iter().map(StoredText::from).collect(),
        }
    }

    fn contents(&self) -> Vec<Content> {
        let files = self.file.iter().map(StoredFile::content);
        let texts = self.text.iter().map(|t| Content { blake3: t.blake3, size: t.size });
        files.chain(texts).collect()
    }

    fn into_build(self, facts: impl Fn(&Content) -> Option<Facts>) -> Result<Build, String> {
        let read = |file: &StoredFile| {
            let missing = || format!("the stored copy of {} is missing or damaged", file.path);
            if file.image { facts(&file.content()).ok_or_else(missing).map(Some) } else { Ok(None) }
        };
        let mut files = self.file.iter();
        let head = files.next().ok_or("it names no file")?;
        let head_facts = read(head)?;
        let mut parts = Vec::new();

        for file in files {
            parts.push(BuildPart {
                path: file.path.clone(),
                content: file.content(),
                modified: file.modified,
                facts: read(file)?,
                part: file
                    .part
                    .ok_or_else(|| format!("it does not state what {} is for", file.path))?,
                why: file.why.clone(),
            });
        }

        let id = BuildId { family: self.family, version: self.version_name, variant: self.variant };
        // The stored name must be one that users can type.
        let typed = BuildSpec::parse(&id.to_string());
        if typed.family != id.family {
            return Err(format!("`{id}` is not the name of a build"));
        }

        Ok(Build {
            id,
            role: self.role,
            version: self.version,
            machine: self.machine,
            edition: self.edition,
            supports: self.supports,
            told: self.told,
            file: BuildFile {
                path: head.path.clone(),
                name: self.name,
                content: head.content(),
                modified: head.modified,
                facts: head_facts,
                signature: self.signature,
            },
            parts,
            layout: Layout {
                places: self.place.into_iter().map(Placement::from).collect(),
                retires: self.retires,
            },
            notes: self.text.into_iter().map(Note::from).collect(),
            source: Source {
                name: self.source.name,
                blake3: self.source.blake3,
                modified: self.source.modified,
            },
            added: self.added,
        })
    }
}
