//! The rack: builds that the user owns, kept as content that can be fitted at any time.

mod archive;
mod group;
mod intake;
mod layout;
mod notes;
mod sort;

use std::fmt;

use jiff::Timestamp;
use serde::{Deserialize, Deserializer, Serialize, Serializer};

use crate::catalog::{Role, keyed_to};
use crate::content::{Content, Digest};
use crate::error::{Error, RackError, Result};
use crate::path::{TreePath, same_name};
pub use crate::settings::Limits;
pub(crate) use archive::{clear_scratch, scratch_left};
pub use intake::{PackageContext, PackageOptions, Parcel};
pub use layout::{EXE, Layout, LayoutFile, Placement, Policy, ROOT, SLOT};
pub use notes::{decoded, since};
pub(crate) use sort::is_settings_name;
pub use sort::{Part, Sorted};
use upright_spanner_image::{Facts, Machine, Requirement, SignatureStatus, Version};

/// The name of a build: `family@version` or `family@version+variant`.
///
/// A build whose files state no version bears the start of its digest instead, as in
/// `family@content-1f0c22ab`.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct BuildId {
    /// The family.
    pub family: String,
    /// The version as written in the name.
    pub version: String,
    /// What tells it from another build of that version: a machine, or the start of a digest.
    pub variant: Option<String>,
}

impl fmt::Display for BuildId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let variant = self.variant.as_ref().map(|variant| format!("+{variant}"));
        f.pad(&format!("{}@{}{}", self.family, self.version, variant.unwrap_or_default()))
    }
}

impl Serialize for BuildId {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for BuildId {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let text = String::deserialize(deserializer)?;
        let spec = BuildSpec::parse(&text);
        let version = spec.version.ok_or_else(|| serde::de::Error::custom("no version"))?;
        Ok(Self { family: spec.family, version, variant: spec.variant })
    }
}

/// What a user writes to name a build: the version and the variant may be left out.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BuildSpec {
    /// The family.
    pub family: String,
    /// The version, as written.
    pub version: Option<String>,
    /// The variant.
    pub variant: Option<String>,
}

impl BuildSpec {
    /// Takes a text apart at `@` and `+`; every text names something.
    pub fn parse(text: &str) -> Self {
        let (name, version) = match text.split_once('@') {
            Some((name, version)) => (name, Some(version)),
            None => (text, None),
        };
        let (version, variant) = match version.and_then(|version| version.split_once('+')) {
            Some((version, variant)) => (Some(version), Some(variant)),
            None => (version, None),
        };
        Self {
            family: name.to_owned(),
            version: version.filter(|version| !version.is_empty()).map(str::to_owned),
            variant: variant.map(str::to_owned),
        }
    }

    fn names(&self, build: &Build) -> bool {
        let version = self.version.as_ref().is_none_or(|wanted| {
            let same = wanted.parse::<Version>().ok().zip(build.version.clone());
            same_name(wanted, &build.id.version) || same.is_some_and(|(a, b)| a == b)
        });
        let variant = self.variant.as_ref().is_none_or(|wanted| {
            build.id.variant.as_ref().is_some_and(|variant| same_name(variant, wanted))
        });
        same_name(&self.family, &build.id.family) && version && variant
    }
}

/// One version of a family, kept on the rack.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Build {
    /// Its name.
    pub id: BuildId,
    /// What it does for a game, where its files say so.
    pub role: Option<Role>,
    /// The version that its files state.
    pub version: Option<Version>,
    /// The machine that it is for.
    pub machine: Machine,
    /// The versions of the game that it goes with, where the user noted them.
    #[serde(default)]
    pub supports: Option<Requirement>,
    /// The library that the build is named after.
    pub file: BuildFile,
    /// The files that go with it: other libraries, programs, settings, data.
    #[serde(default)]
    pub parts: Vec<BuildPart>,
    /// Where each of its files goes.
    pub layout: Layout,
    /// Files of its package that have no place, and that are neither texts nor for developers.
    #[serde(default)]
    pub left: Vec<TreePath>,
    /// The texts that came with it.
    #[serde(default)]
    pub notes: Vec<Note>,
    /// Where it came from.
    pub source: Source,
    /// When it was put on the rack.
    pub added: Timestamp,
}

/// A file that goes with a build's library.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct BuildPart {
    /// Its path in the package.
    pub path: TreePath,
    /// What is in it.
    pub content: Content,
    /// Its date: seconds since 1970, and nanoseconds.
    pub modified: (i64, u32),
    /// What it says of itself, where it is an image.
    pub facts: Option<Facts>,
}

/// A file of a build, whichever it is.
#[derive(Debug, Clone, Copy)]
pub struct Stored<'a> {
    /// Its path in the package.
    pub path: &'a TreePath,
    /// What is in it.
    pub content: Content,
    /// Its date: seconds since 1970, and nanoseconds.
    pub modified: (i64, u32),
    /// What it says of itself, where it is an image.
    pub facts: Option<&'a Facts>,
}

/// A text that came with a build.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Note {
    /// Its path in the package.
    pub name: String,
    /// What is in it.
    pub content: Content,
}

/// The library that a build is named after.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct BuildFile {
    /// Its path in the package that it was taken from.
    pub path: TreePath,
    /// Its file name, in its author's spelling.
    pub name: String,
    /// What is in it.
    pub content: Content,
    /// Its date: seconds since 1970, and nanoseconds.
    pub modified: (i64, u32),
    /// What it says of itself.
    pub facts: Facts,
    /// Whether its content is what its signer signed.
    pub signature: SignatureStatus,
}

/// The file or archive that a build was taken from.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Source {
    /// Its file name.
    pub name: String,
    /// Its digest; of a folder, that of its list of files.
    pub blake3: Digest,
    /// Its date: seconds since 1970, and nanoseconds.
    pub modified: (i64, u32),
}

/// What a game needs of a build, as far as that decides between variants.
#[derive(Debug, Clone, Copy, Default)]
pub struct Needs<'a> {
    /// The machine of the executable.
    pub machine: Option<Machine>,
    /// The libraries that the executable imports.
    pub imports: &'a [String],
    /// The version of the game.
    pub version: Option<&'a Version>,
}

impl Needs<'_> {
    /// Narrows builds down to those that suit, by one need after the other; a need that none meets
    /// decides nothing.
    pub(crate) fn narrow(&self, builds: &mut Vec<&Build>) {
        prefer(builds, |build| Some(build.machine) == self.machine);
        prefer(builds, |build| !build.file.facts.is_debug());
        prefer(builds, |build| self.draws_as(build));
        prefer(builds, |build| {
            build.key().zip(self.version).is_some_and(|(key, game)| key.same_numbers(game))
        });
    }

    /// Whether the variant is named after a graphics library that the executable imports.
    fn draws_as(&self, build: &Build) -> bool {
        const WORDS: [(&str, &[&str]); 6] = [
            ("d3d8.dll", &["d3d8", "dx8"]),
            ("d3d9.dll", &["d3d9", "dx9"]),
            ("d3d11.dll", &["d3d11", "dx11"]),
            ("d3d12.dll", &["d3d12", "dx12"]),
            ("opengl32.dll", &["opengl", "gl"]),
            ("vulkan-1.dll", &["vulkan", "vk"]),
        ];
        let label = build.id.variant.as_deref().unwrap_or_default();
        let mut words = label.split('-');
        let names = WORDS.iter().filter(|(dll, _)| self.imports.iter().any(|i| same_name(i, dll)));
        let names: Vec<&str> = names.flat_map(|(_, names)| names.iter().copied()).collect();
        words.any(|word| names.contains(&word))
    }
}

impl Build {
    /// Its files: the library first.
    pub fn files(&self) -> impl Iterator<Item = Stored<'_>> {
        let BuildFile { path, content, modified, facts, .. } = &self.file;
        let library = Stored { path, content: *content, modified: *modified, facts: Some(facts) };
        let parts = self.parts.iter().map(|part| Stored {
            path: &part.path,
            content: part.content,
            modified: part.modified,
            facts: part.facts.as_ref(),
        });
        std::iter::once(library).chain(parts)
    }

    /// The file at a path in the package.
    pub fn stored(&self, path: &TreePath) -> Option<Stored<'_>> {
        self.files().find(|file| file.path == path)
    }

    /// Every content that it refers to.
    pub fn contents(&self) -> impl Iterator<Item = Content> + '_ {
        let notes = self.notes.iter().map(|note| note.content);
        self.files().map(|file| file.content).chain(notes)
    }

    /// The version of the game that the library's name is keyed to.
    pub fn key(&self) -> Option<Version> {
        keyed_to(&self.file.facts, &self.file.name)
    }

    /// The path of one of its files as layouts write it: without the folders that it shares with
    /// the library's.
    pub fn short(&self, path: &TreePath) -> TreePath {
        layout::short(&self.file.path, path)
    }

    /// All bytes of its files.
    pub fn size(&self) -> u64 {
        self.files().map(|file| file.content.size).sum()
    }
}

/// Finds the one build that a text names. Where several are, those that suit the game's needs come
/// before the others, and, where no version is given, the newest.
pub fn find<'a>(builds: &'a [Build], text: &str, needs: &Needs<'_>) -> Result<&'a Build> {
    let spec = BuildSpec::parse(text);
    let mut named: Vec<&Build> = builds.iter().filter(|build| spec.names(build)).collect();
    if spec.variant.is_none() {
        needs.narrow(&mut named);
    }
    if spec.version.is_none() {
        let newest = named.iter().map(|build| &build.version).max().cloned();
        named.retain(|build| Some(&build.version) == newest.as_ref());
    }
    if spec.variant.is_none() {
        prefer(&mut named, |build| build.id.variant.is_none());
    }
    match &named[..] {
        [build] => Ok(build),
        [] => Err(unknown(builds, text, &spec.family)),
        several => Err(Error::Rack(RackError::Several {
            spec: text.to_owned(),
            candidates: several.iter().map(|build| build.id.to_string()).collect(),
        })),
    }
}

/// Keeps those that `wanted` holds for, if it holds for any.
pub(crate) fn prefer(builds: &mut Vec<&Build>, wanted: impl Fn(&Build) -> bool) {
    if builds.iter().any(|build| wanted(build)) {
        builds.retain(|build| wanted(build));
    }
}

/// Says what there is instead: other builds of the family, else the families.
fn unknown(builds: &[Build], text: &str, family: &str) -> Error {
    let of_family = builds.iter().filter(|build| same_name(&build.id.family, family));
    let mut known: Vec<String> = of_family.map(|build| build.id.to_string()).collect();
    if known.is_empty() {
        known = builds.iter().map(|build| build.id.family.clone()).collect();
    }
    known.sort();
    known.dedup();
    Error::Rack(RackError::Unknown { spec: text.to_owned(), known })
}

/// The newest released build of a family for a machine. A build that goes with certain versions
/// of the game counts only where the game's is among them.
pub fn newest<'a>(
    builds: &'a [Build],
    family: &str,
    machine: Machine,
    game: Option<&Version>,
) -> Option<&'a Build> {
    let fits = |build: &&Build| {
        same_name(&build.id.family, family)
            && build.machine == machine
            && build.key().zip(game).is_none_or(|(key, game)| key.same_numbers(game))
            && build.supports.as_ref().zip(game).is_none_or(|(set, game)| set.includes(game))
            && build.version.as_ref().is_some_and(|version| !version.is_prerelease())
    };
    builds.iter().filter(fits).max_by(|a, b| a.version.cmp(&b.version))
}
