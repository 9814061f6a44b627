//! The rack: builds that the user owns, kept as content that can be fitted at any time.

mod intake;

use std::fmt;

use jiff::Timestamp;
use serde::{Deserialize, Deserializer, Serialize, Serializer};

use crate::catalog::{Role, keyed_to};
use crate::content::{Content, Digest};
use crate::error::{Error, Result};
use crate::image::{Facts, Machine};
use crate::path::same_name;
use crate::version::Version;
pub use intake::Parcel;

/// The name of a build: `family@version` or `family@version+variant`.
///
/// A build whose files state no version bears the start of its digest instead, as in
/// `family@sha-1f0c22ab`.
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
            version: version.map(str::to_owned),
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
    /// The library that is fitted.
    pub file: BuildFile,
    /// Where it came from.
    pub source: Source,
    /// When it was put on the rack.
    pub added: Timestamp,
}

/// A file of a build.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct BuildFile {
    /// Its file name, in its author's spelling.
    pub name: String,
    /// What is in it.
    pub content: Content,
    /// Its date: seconds since 1970, and nanoseconds.
    pub modified: (i64, u32),
    /// What it says of itself.
    pub facts: Facts,
}

/// The file or archive that a build was taken from.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Source {
    /// Its file name.
    pub name: String,
    /// Its digest.
    pub sha256: Digest,
}

/// Finds the one build that a text names, preferring those for `machine` and, where no version is
/// given, the newest.
pub fn find<'a>(builds: &'a [Build], text: &str, machine: Option<Machine>) -> Result<&'a Build> {
    let spec = BuildSpec::parse(text);
    let mut named: Vec<&Build> = builds.iter().filter(|build| spec.names(build)).collect();
    if named.iter().any(|build| Some(build.machine) == machine) && spec.variant.is_none() {
        named.retain(|build| Some(build.machine) == machine);
    }
    if spec.version.is_none() {
        let newest = named.iter().map(|build| &build.version).max().cloned();
        named.retain(|build| Some(&build.version) == newest.as_ref());
    }
    match &named[..] {
        [build] => Ok(build),
        [] => {
            let same_family: Vec<String> = builds
                .iter()
                .filter(|build| same_name(&build.id.family, &spec.family))
                .map(|build| build.id.to_string())
                .collect();
            let families = || {
                let mut names: Vec<String> =
                    builds.iter().map(|build| build.id.family.clone()).collect();
                names.sort();
                names.dedup();
                names
            };
            let known = if same_family.is_empty() { families() } else { same_family };
            Err(Error::UnknownBuild { spec: text.to_owned(), known })
        }
        several => Err(Error::SeveralBuilds {
            spec: text.to_owned(),
            candidates: several.iter().map(|build| build.id.to_string()).collect(),
        }),
    }
}

/// The newest released build of a family for a machine. A build that is keyed to a version of the
/// game counts only where that is the game's.
pub fn newest<'a>(
    builds: &'a [Build],
    family: &str,
    machine: Machine,
    game: Option<&Version>,
) -> Option<&'a Build> {
    let fits = |build: &&Build| {
        let key = keyed_to(&build.file.facts, &build.file.name);
        same_name(&build.id.family, family)
            && build.machine == machine
            && key.zip(game).is_none_or(|(key, game)| key.same_numbers(game))
            && build.version.as_ref().is_some_and(|version| !version.is_prerelease())
    };
    builds.iter().filter(fits).max_by(|a, b| a.version.cmp(&b.version))
}
