//! Builds on the rack.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

use schemars::JsonSchema;
use serde::Serialize;
use upright_spanner_core::catalog::Role;
use upright_spanner_core::content::{Content, Digest};
use upright_spanner_core::image::Machine;
use upright_spanner_core::path::TreePath;
use upright_spanner_core::rack::{self, Layout, Part, Sorted};
use upright_spanner_core::registry::RegLine;
use upright_spanner_core::version::Version;
use upright_spanner_core::{Added, Addition, DamagedContent};

use super::error::FailedPackage;
use super::{SchemaNumber, text};
use crate::text::{date, moment};

/// The builds added to the rack, and the packages that could not be added.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "Added")]
pub struct AddedBuilds<'a> {
    schema: SchemaNumber,
    builds: Vec<AddedBuild<'a>>,
    /// The files of each package, with their kinds.
    packages: Vec<&'a [Sorted]>,
    /// The products that each package was taken apart into; none if it is one build.
    products: Vec<&'a [String]>,
    /// The `.reg` files of new builds.
    registry: Vec<RegistryFile>,
    errors: Vec<FailedPackage>,
}

/// A `.reg` file of a build.
#[derive(Debug, Serialize, JsonSchema)]
struct RegistryFile {
    /// In the package.
    path: String,
    /// Its lines, in words.
    values: Vec<String>,
    /// Whether it takes back what another one sets.
    undo: bool,
    /// Whether the layout says that its values are set with a fit.
    set: bool,
}

impl From<&rack::RegistryFile> for RegistryFile {
    fn from(file: &rack::RegistryFile) -> Self {
        Self {
            path: file.path.to_string(),
            values: file.lines.iter().filter_map(RegLine::in_words).collect(),
            undo: file.is_undo,
            set: file.is_set,
        }
    }
}

/// A build that was put on the rack.
#[derive(Debug, Serialize, JsonSchema)]
struct AddedBuild<'a> {
    #[serde(flatten)]
    build: Build<'a>,
    /// Whether any of it was not on the rack before.
    new: bool,
}

/// Builds on the rack.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Builds<'a> {
    schema: SchemaNumber,
    builds: Vec<Build<'a>>,
}

/// One build on the rack.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ShownBuild<'a> {
    schema: SchemaNumber,
    /// One.
    builds: [Build<'a>; 1],
}

/// One version of a family.
#[derive(Debug, Serialize, JsonSchema)]
struct Build<'a> {
    /// As in `family@version`.
    build: String,
    family: &'a str,
    version: Option<String>,
    /// The version without zeros at either end.
    short_version: Option<String>,
    role: Option<Role>,
    /// The versions of the game that it is for, if all variants say the same.
    supports: Option<String>,
    /// The games that have it in place, by id.
    in_use_by: BTreeSet<&'a str>,
    /// Its variants for different needs; the usual one first.
    variants: Vec<Variant<'a>>,
}

/// A build for one need.
#[derive(Debug, Serialize, JsonSchema)]
struct Variant<'a> {
    /// As in `family@version+variant`.
    build: String,
    /// Null for the usual one.
    variant: Option<&'a str>,
    /// Null if its library is not an image.
    machine: Option<Machine>,
    /// The store edition of the game that it is for.
    edition: Option<&'a str>,
    /// The versions of the game that it is for.
    supports: Option<String>,
    /// Who signed the library; null unless the signature is intact.
    signer: Option<&'a str>,
    layout: &'a Layout,
    /// Every file, with the reason for its place.
    files: Vec<File<'a>>,
    /// The library that it is named after.
    file: &'a str,
    /// Of all its files, in bytes.
    size: u64,
    /// The library's digest by which the home folder names contents.
    blake3: String,
    /// Of the library; null if it was not asked for or the stored file cannot be read.
    sha256: Option<String>,
    source: Source<'a>,
    added: String,
    /// The games that have it in place, by id.
    in_use_by: BTreeSet<&'a str>,
}

/// A file of a build.
#[derive(Debug, Serialize, JsonSchema)]
struct File<'a> {
    /// Its path in the package.
    path: String,
    part: Part,
    /// Whether it goes into a game.
    placed: bool,
    /// The reason for its place, or why it has none.
    why: &'a str,
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
    /// The version since which changes are given, if not the whole texts are.
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

/// Which games have a content in place.
type Users = BTreeMap<Content, BTreeSet<String>>;

impl<'a> AddedBuilds<'a> {
    pub fn new(
        added: &'a [Addition],
        users: &'a Users,
        registry: &[rack::RegistryFile],
        failed: &[(&Path, anyhow::Error)],
    ) -> Self {
        let builds = || added.iter().flat_map(|addition| &addition.builds);
        let is_new = |variants: &[&rack::Build]| {
            builds().any(|(build, outcome)| {
                *outcome == Added::New && variants.iter().any(|own| own.id == build.id)
            })
        };
        let by_build = rack::by_build(builds().map(|(build, _)| build));
        let by_build = by_build.iter();
        let failed = failed.iter();
        Self {
            schema: SchemaNumber,
            builds: by_build
                .map(|variants| AddedBuild {
                    build: Build::new(variants, users),
                    new: is_new(variants),
                })
                .collect(),
            packages: added.iter().map(|addition| &addition.sorted[..]).collect(),
            products: added.iter().map(|addition| &addition.products[..]).collect(),
            registry: registry.iter().map(RegistryFile::from).collect(),
            errors: failed.map(|(path, error)| FailedPackage::new(path, error)).collect(),
        }
    }
}

impl<'a> Builds<'a> {
    pub fn new(builds: &[Vec<&'a rack::Build>], users: &'a Users) -> Self {
        let builds = builds.iter().map(|variants| Build::new(variants, users)).collect();
        Self { schema: SchemaNumber, builds }
    }
}

impl<'a> ShownBuild<'a> {
    pub fn new(variants: &[&'a rack::Build], digests: &[Option<Digest>], users: &'a Users) -> Self {
        let mut build = Build::new(variants, users);
        for (variant, digest) in build.variants.iter_mut().zip(digests) {
            variant.sha256 = text(digest.as_ref());
        }
        Self { schema: SchemaNumber, builds: [build] }
    }
}

impl<'a> Build<'a> {
    /// From the variants of one build, of which there is one at least.
    fn new(builds: &[&'a rack::Build], users: &'a Users) -> Self {
        let first = builds[0];
        let variants: Vec<Variant<'a>> =
            builds.iter().map(|build| Variant::new(build, users)).collect();
        let supports = first.supported();
        let is_same = builds.iter().all(|build| build.supported() == supports);
        Self {
            build: first.id.release(),
            family: &first.id.family,
            version: text(first.version.as_ref()),
            short_version: first.version.as_ref().map(|version| version.in_short().to_string()),
            role: first.role,
            supports: supports.filter(|_| is_same),
            in_use_by: variants.iter().flat_map(|variant| variant.in_use_by.clone()).collect(),
            variants,
        }
    }
}

impl<'a> Variant<'a> {
    fn new(build: &'a rack::Build, users: &'a Users) -> Self {
        let in_use = users.get(&build.file.content).into_iter().flatten();
        let places: BTreeSet<&TreePath> =
            build.layout.places.iter().map(|place| &place.from).collect();
        let placed = |path: &TreePath| places.contains(path);
        let parts = build.parts.iter().map(|part| File {
            path: part.path.to_string(),
            part: part.part,
            placed: placed(&part.path),
            why: &part.why,
        });
        let head = File {
            path: build.file.path.to_string(),
            part: Part::Payload,
            placed: placed(&build.file.path),
            why: rack::NAMESAKE,
        };
        Self {
            build: build.id.to_string(),
            variant: build.id.variant.as_deref(),
            machine: build.machine,
            edition: build.edition.as_deref(),
            supports: build.supported(),
            signer: build.proven_signer(),
            layout: &build.layout,
            files: std::iter::once(head).chain(parts).collect(),
            file: &build.file.name,
            size: build.size(),
            blake3: build.file.content.blake3.to_string(),
            sha256: None,
            source: Source {
                name: &build.source.name,
                blake3: build.source.blake3.to_string(),
                date: date(build.source.modified.0),
            },
            added: moment(build.added),
            in_use_by: in_use.map(String::as_str).collect(),
        }
    }
}

impl<'a> Notes<'a> {
    pub fn new(
        build: &str,
        since: Option<&(Version, String)>,
        notes: &'a [(String, String)],
    ) -> Self {
        let notes = notes.iter();
        Self {
            schema: SchemaNumber,
            build: build.to_owned(),
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
