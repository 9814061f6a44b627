//! Builds on the rack.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

use schemars::JsonSchema;
use serde::Serialize;
use upright_spanner_core::catalog::Role;
use upright_spanner_core::content::{Content, Digest};
use upright_spanner_core::image::Machine;
use upright_spanner_core::rack::{self, Layout, Sorted};
use upright_spanner_core::version::Version;
use upright_spanner_core::{Added, Addition, DamagedContent};

use super::error::FailedPackage;
use super::{SchemaNumber, text, texts};
use crate::text::{date, moment};

/// What was put on the rack, and what could not be.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "Added")]
pub struct AddedBuilds<'a> {
    schema: SchemaNumber,
    builds: Vec<AddedBuild<'a>>,
    /// The files of each package, with what each is for.
    packages: Vec<&'a [Sorted]>,
    errors: Vec<FailedPackage>,
}

/// A build that was put on the rack.
#[derive(Debug, Serialize, JsonSchema)]
struct AddedBuild<'a> {
    #[serde(flatten)]
    build: Build<'a>,
    /// Whether it was not on the rack before.
    new: bool,
}

/// Builds on the rack.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Builds<'a> {
    schema: SchemaNumber,
    builds: Vec<ListedBuild<'a>>,
}

/// A build, and who uses it.
#[derive(Debug, Serialize, JsonSchema)]
struct ListedBuild<'a> {
    #[serde(flatten)]
    build: Build<'a>,
    /// The games that have it in place, by id.
    in_use_by: BTreeSet<&'a str>,
}

/// One build on the rack.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ShownBuild<'a> {
    schema: SchemaNumber,
    /// One.
    builds: [BuildInFull<'a>; 1],
}

/// A build with all that is known of it.
#[derive(Debug, Serialize, JsonSchema)]
struct BuildInFull<'a> {
    #[serde(flatten)]
    build: ListedBuild<'a>,
    /// Of the library; null where the stored file cannot be read.
    sha256: Option<String>,
}

/// One version of a family.
#[derive(Debug, Serialize, JsonSchema)]
struct Build<'a> {
    /// As in `family@version+variant`.
    build: String,
    family: &'a str,
    version: Option<String>,
    variant: Option<&'a str>,
    role: Option<Role>,
    machine: Machine,
    /// The versions of the game that it is for.
    supports: Option<String>,
    /// Who signed the library; null unless the signature is intact.
    signer: Option<&'a str>,
    layout: &'a Layout,
    /// Files of its package that have no place.
    left: Vec<String>,
    /// The library that it is named after.
    file: &'a str,
    /// Of all its files, in bytes.
    size: u64,
    /// The library's digest by which the home folder names contents.
    blake3: String,
    source: Source<'a>,
    added: String,
}

/// The file or archive that a build was taken from.
#[derive(Debug, Serialize, JsonSchema)]
struct Source<'a> {
    name: &'a str,
    blake3: String,
    date: String,
}

/// The texts that came with a build.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Notes<'a> {
    schema: SchemaNumber,
    build: String,
    /// The version since which changes are given, where not the whole texts are.
    since: Option<String>,
    notes: Vec<Note<'a>>,
}

/// A text of a build.
#[derive(Debug, Serialize, JsonSchema)]
struct Note<'a> {
    name: &'a str,
    text: &'a str,
}

/// Stored files that are damaged.
#[derive(Debug, Serialize, JsonSchema)]
pub struct DamagedBuilds<'a> {
    schema: SchemaNumber,
    damaged: Vec<DamagedFile<'a>>,
}

/// A stored file that is damaged.
#[derive(Debug, Serialize, JsonSchema)]
struct DamagedFile<'a> {
    build: &'a str,
    file: &'a str,
}

impl<'a> AddedBuilds<'a> {
    pub fn new(added: &'a [Addition], failed: &[(&Path, anyhow::Error)]) -> Self {
        let builds = added.iter().flat_map(|addition| &addition.builds);
        let failed = failed.iter();
        Self {
            schema: SchemaNumber,
            builds: builds
                .map(|(build, outcome)| AddedBuild {
                    build: build.into(),
                    new: *outcome == Added::New,
                })
                .collect(),
            packages: added.iter().map(|addition| &addition.sorted[..]).collect(),
            errors: failed.map(|(path, error)| FailedPackage::new(path, error)).collect(),
        }
    }
}

/// Which games have a content in place.
type Users = BTreeMap<Content, BTreeSet<String>>;

impl<'a> Builds<'a> {
    pub fn new(builds: &[&'a rack::Build], users: &'a Users) -> Self {
        let builds = builds.iter().map(|build| ListedBuild::new(build, users)).collect();
        Self { schema: SchemaNumber, builds }
    }
}

impl<'a> ListedBuild<'a> {
    fn new(build: &'a rack::Build, users: &'a Users) -> Self {
        let users = users.get(&build.file.content).into_iter().flatten();
        Self { build: build.into(), in_use_by: users.map(String::as_str).collect() }
    }
}

impl<'a> ShownBuild<'a> {
    pub fn new(build: &'a rack::Build, sha256: Option<Digest>, users: &'a Users) -> Self {
        let build = ListedBuild::new(build, users);
        let builds = [BuildInFull { build, sha256: text(sha256.as_ref()) }];
        Self { schema: SchemaNumber, builds }
    }
}

impl<'a> From<&'a rack::Build> for Build<'a> {
    fn from(build: &'a rack::Build) -> Self {
        Self {
            build: build.id.to_string(),
            family: &build.id.family,
            version: text(build.version.as_ref()),
            variant: build.id.variant.as_deref(),
            role: build.role,
            machine: build.machine,
            supports: build.supported(),
            signer: build.proven_signer(),
            layout: &build.layout,
            left: texts(&build.left),
            file: &build.file.name,
            size: build.size(),
            blake3: build.file.content.blake3.to_string(),
            source: Source {
                name: &build.source.name,
                blake3: build.source.blake3.to_string(),
                date: date(build.source.modified.0),
            },
            added: moment(build.added),
        }
    }
}

impl<'a> Notes<'a> {
    pub fn new(
        build: &rack::Build,
        since: Option<&(Version, String)>,
        notes: &'a [(String, String)],
    ) -> Self {
        let notes = notes.iter();
        Self {
            schema: SchemaNumber,
            build: build.id.to_string(),
            since: since.map(|(version, _)| version.to_string()),
            notes: notes.map(|(name, text)| Note { name, text }).collect(),
        }
    }
}

impl<'a> DamagedBuilds<'a> {
    pub fn new(damaged: &'a [DamagedContent]) -> Self {
        let damaged = damaged.iter();
        Self {
            schema: SchemaNumber,
            damaged: damaged
                .map(|content| DamagedFile { build: &content.build, file: &content.file })
                .collect(),
        }
    }
}
