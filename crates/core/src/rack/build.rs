//! Builds: the files of one version of a family on the rack.

use std::collections::HashSet;
use std::fmt;

use jiff::Timestamp;
use serde::{Deserialize, Deserializer, Serialize, Serializer};

use super::layout::{BY_LAYOUT, Layout};
use super::sort::Part;
use crate::catalog::{Role, companies_agree, keyed_beside, slug};
use crate::content::{Content, Digest};
use crate::path::{TreePath, same_name};
use upright_spanner_image::{Facts, Machine, Requirement, SignatureStatus, Version};

/// The name of a build: `family@version` or `family@version+variant`.
///
/// A build whose files state no version has the start of its digest instead, as in `family@content-1f0c22ab`.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct BuildId {
    /// The family.
    pub family: String,
    /// The version as written in the name.
    pub version: String,
    /// What distinguishes it from another build of that version: a machine, or the start of a digest.
    pub variant: Option<String>,
}

impl BuildId {
    /// The name of the build in all its variants: `family@version`.
    pub fn release(&self) -> String {
        format!("{}@{}", self.family, self.version)
    }
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

/// The text that names a build: version and variant are optional.
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

    /// Whether it names a build, by its whole version.
    pub(super) fn names(&self, build: &Build) -> bool {
        let version = self.version.as_ref().is_none_or(|wanted| {
            let same = wanted.parse::<Version>().ok().zip(build.version.clone());
            same_name(wanted, &build.id.version) || same.is_some_and(|(a, b)| a == b)
        });
        version && self.names_but_for_version(build)
    }

    /// Whether it names a build, by its whole version or in short.
    pub(crate) fn is_met_by(&self, build: &Build) -> bool {
        self.names(build) || self.names_in_short(build)
    }

    /// Whether it names a build by its version in short.
    pub(super) fn names_in_short(&self, build: &Build) -> bool {
        let wanted = self.version.as_ref().and_then(|wanted| wanted.parse::<Version>().ok());
        let both = wanted.zip(build.version.as_ref());
        both.is_some_and(|(wanted, own)| wanted.in_short() == own.in_short())
            && self.names_but_for_version(build)
    }

    fn names_but_for_version(&self, build: &Build) -> bool {
        let variant = self.variant.as_ref().is_none_or(|wanted| {
            build.id.variant.as_ref().is_some_and(|variant| same_name(variant, wanted))
        });
        same_name(&self.family, &build.id.family) && variant
    }
}

/// One version of a family, kept on the rack.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Build {
    /// Its name.
    pub id: BuildId,
    /// Its role in a game, if its files state one.
    pub role: Option<Role>,
    /// The version that its files state.
    pub version: Option<Version>,
    /// The machine that it is for, if its library is an image.
    pub machine: Option<Machine>,
    /// The store edition of the game that it is for, if something says so.
    #[serde(default)]
    pub edition: Option<String>,
    /// The versions of the game that it supports, if the user noted them.
    #[serde(default)]
    pub supports: Option<Requirement>,
    /// The versions of the game that it supports by the feed that had it when it came.
    #[serde(default)]
    pub told: Option<Requirement>,
    /// The library that the build is named after.
    pub file: BuildFile,
    /// The files that come with it: other libraries, programs, settings, data.
    #[serde(default)]
    pub parts: Vec<BuildPart>,
    /// The place of each of its files.
    pub layout: Layout,
    /// The texts that came with it.
    #[serde(default)]
    pub notes: Vec<Note>,
    /// If it came from.
    pub source: Source,
    /// When it was put on the rack.
    pub added: Timestamp,
}

/// A file that comes with a build's library.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct BuildPart {
    /// Its path in the package.
    pub path: TreePath,
    /// Its content.
    pub content: Content,
    /// Its date: seconds since 1970, and nanoseconds.
    pub modified: (i64, u32),
    /// Its facts, if it is an image.
    pub facts: Option<Facts>,
    /// Its purpose.
    pub part: Part,
    /// The reason for its place, or why it has none.
    pub why: String,
}

/// A file of a build, whichever it is.
#[derive(Debug, Clone, Copy)]
pub struct Stored<'a> {
    /// Its path in the package.
    pub path: &'a TreePath,
    /// Its content.
    pub content: Content,
    /// Its date: seconds since 1970, and nanoseconds.
    pub modified: (i64, u32),
    /// Its facts, if it is an image.
    pub facts: Option<&'a Facts>,
}

/// A text that came with a build.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Note {
    /// Its path in the package.
    pub name: String,
    /// Its content.
    pub content: Content,
}

/// The library that a build is named after.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct BuildFile {
    /// Its path in the package that it was taken from.
    pub path: TreePath,
    /// Its file name, in its author's spelling.
    pub name: String,
    /// Its content.
    pub content: Content,
    /// Its date: seconds since 1970, and nanoseconds.
    pub modified: (i64, u32),
    /// Its facts, if it is an image.
    pub facts: Option<Facts>,
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

impl Build {
    /// Its files: the library first.
    pub fn files(&self) -> impl Iterator<Item = Stored<'_>> {
        let BuildFile { path, content, modified, facts, .. } = &self.file;
        let library =
            Stored { path, content: *content, modified: *modified, facts: facts.as_ref() };
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

    /// The files that go into a game.
    pub fn placed(&self) -> impl Iterator<Item = Stored<'_>> {
        let places = self.layout.places.iter().map(|place| &place.from);
        let placed: HashSet<&TreePath> = places.chain([&self.file.path]).collect();
        self.files().filter(move |file| placed.contains(file.path))
    }

    /// The version of the game that the library's name is keyed to.
    pub fn key(&self) -> Option<Version> {
        keyed_beside(self.version.as_ref(), &self.file.name)
    }

    /// The paths of its libraries, images or not.
    pub fn libraries(&self) -> impl Iterator<Item = &TreePath> {
        let parts = self.parts.iter().filter(|part| part.part.is_library());
        std::iter::once(&self.file.path).chain(parts.map(|part| &part.path))
    }

    /// Whether one of its files is a library that games load, an image or not.
    pub fn is_library(&self, path: &TreePath) -> bool {
        *path == self.file.path
            || self.parts.iter().any(|part| part.path == *path && part.part.is_library())
    }

    /// Whether the user's layout places a file.
    pub fn is_told_by_layout(&self, path: &TreePath) -> bool {
        self.parts.iter().any(|part| part.path == *path && part.why == BY_LAYOUT)
    }

    /// What its library states under a name.
    pub fn string(&self, key: &str) -> Option<&str> {
        self.file.facts.as_ref()?.string(key)
    }

    /// Whether a library of a game could be of the same maker.
    pub fn agrees_with(&self, facts: &Facts) -> bool {
        self.file.facts.as_ref().is_none_or(|own| companies_agree(own, facts))
    }

    /// Whether it is for a store edition of the game: it says so, or its variant is named after it.
    pub fn is_for(&self, edition: &str) -> bool {
        let variant = format!("-{}-", self.id.variant.as_deref().unwrap_or_default());
        self.edition.as_deref().is_some_and(|own| same_name(own, edition))
            || variant.contains(&format!("-{}-", slug(edition)))
    }

    /// Whether a process of a machine can load its library.
    pub fn runs_on(&self, machine: Machine) -> bool {
        self.file.facts.as_ref().is_none_or(|facts| facts.runs_on(machine))
    }

    /// The versions of the game that it is for: as the user noted, or as its name holds.
    pub fn supported(&self) -> Option<String> {
        let noted = self.supports.as_ref().map(ToString::to_string);
        noted.or_else(|| self.key().map(|key| key.to_string()))
    }

    /// Who signed its library, if the signature is intact.
    pub fn proven_signer(&self) -> Option<&str> {
        let is_intact = self.file.signature == SignatureStatus::Intact;
        self.file.facts.as_ref()?.signer.as_deref().filter(|_| is_intact)
    }

    /// All bytes of its files.
    pub fn size(&self) -> u64 {
        self.files().map(|file| file.content.size).sum()
    }
}
