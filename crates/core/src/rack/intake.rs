//! Makes builds of what a package holds: one of each thing that a game could load, in each variant,
//! with the files and texts that come with it, and where each of them goes.

use std::collections::{BTreeSet, HashMap};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use jiff::Timestamp;

use super::archive::{Package, PackedFile};
use super::group::{Candidate, Group, groups, is_extender};
use super::layout::{EXE, Placement, Policy, ROOT, SLOT, short};
use super::layout_file::LayoutFile;
use super::sort::{Part, Sorted, is_settings_name, sort};
use super::{Build, BuildFile, BuildId, BuildPart, Layout, Note, decoded};
use crate::catalog::{Catalog, Role, companies_agree, role_of};
use crate::content::Content;
use crate::error::{Error, RackError, Result};
use crate::path::{TreePath, extension, fold, stem};
use crate::remedy::Action;
use crate::settings::Limits;
use upright_spanner_change::Progress;
use upright_spanner_image::{Facts, ImageError, Machine, Signature, SignatureStatus, Version};

/// A note longer than this is not a text that anyone reads: a book has 1 MB.
const LONGEST_NOTE: u64 = 4 << 20;

/// Each build of a package has all of its notes; no one reads more.
const MOST_NOTES: usize = 100;

/// What the user says of a package, over what its files say.
#[derive(Debug, Clone, Default)]
pub struct PackageOptions {
    /// The family of its libraries.
    pub family: Option<String>,
    /// The version of those that state none.
    pub version: Option<Version>,
    /// Where its files go; those that it does not name have no place.
    pub layout: Option<LayoutFile>,
}

/// What is known before a package is opened.
#[derive(Debug)]
pub struct PackageContext {
    /// Names families.
    pub catalog: Arc<Catalog>,
    /// Layouts of families that were in use before: where files go that they know.
    pub remembered: Vec<LayoutFile>,
    /// How much an archive may unpack to.
    pub limits: Limits,
    /// The folder that it is unpacked in.
    pub scratch: PathBuf,
}

/// The builds of a package that are not on the rack yet, and where their content is.
#[derive(Debug)]
pub struct Parcel {
    /// The builds as they would be on the rack, in the order of their files.
    pub builds: Vec<Build>,
    /// Each file of the package, with what it is for.
    pub sorted: Vec<Sorted>,
    package: Package,
    /// Where in the package each content is.
    places: HashMap<Content, usize>,
}

/// What a package's builds are made with.
struct Intake<'a> {
    entries: &'a [PackedFile],
    facts: &'a [Option<Facts>],
    sorted: &'a [Sorted],
    catalog: &'a Catalog,
    options: &'a PackageOptions,
    /// Layouts of families that were in use before.
    remembered: &'a [LayoutFile],
}

impl Parcel {
    /// Takes in a library, a folder, a zip or a 7z.
    ///
    /// # Errors
    /// Where it cannot be read, is over a limit, or holds nothing that could be fitted.
    pub fn open(
        path: &Path,
        options: &PackageOptions,
        context: &PackageContext,
        progress: &dyn Progress,
    ) -> Result<Self> {
        let package = Package::open(path, &context.limits, &context.scratch, progress)?;
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
        let (entries, facts, sorted_files) = (&package.entries, &facts, &sorted);
        let (catalog, remembered) = (&context.catalog, &context.remembered);
        let intake = Intake { entries, facts, sorted: sorted_files, catalog, options, remembered };
        let builds = intake.builds(&package.source);
        if builds.is_empty() {
            let why = "there is no .dll file in it".to_owned();
            let remedy = ("See what each of its files is taken for.", Action::ShowSorting).into();
            return Err(Error::Rack(RackError::Package { path: path.to_owned(), why, remedy }));
        }

        let places = package.entries.iter().enumerate();
        let places = places.map(|(place, entry)| (entry.content, place)).collect();
        Ok(Self { builds, sorted, package, places })
    }

    /// The file that a content can be read from; nothing where the package does not have it.
    ///
    /// # Errors
    /// Where it cannot be written into a file.
    pub fn file_of(&self, content: &Content) -> Result<Option<PathBuf>> {
        let entry = self.places.get(content).map(|&place| &self.package.entries[place]);
        entry.map(PackedFile::file).transpose()
    }

    /// Every content that the builds refer to, with a file to read it from.
    ///
    /// # Errors
    /// Where one cannot be written into a file.
    pub fn contents(&self) -> Result<Vec<(PathBuf, Content)>> {
        let wanted: BTreeSet<Content> = self.builds.iter().flat_map(Build::contents).collect();
        let wanted = wanted.into_iter().filter_map(|content| {
            Some(self.file_of(&content).transpose()?.map(|file| (file, content)))
        });
        wanted.collect()
    }
}

impl Intake<'_> {
    fn builds(&self, source: &super::Source) -> Vec<Build> {
        let groups = self.groups();
        let notes = notes(self.entries, self.sorted);
        let mut builds = Vec::new();

        for group in &groups {
            let entry = &self.entries[group.head];
            let Some(facts) = &self.facts[group.head] else { continue };
            let mut build = self.build(entry, facts.clone(), source, &notes);
            build.id.variant = variant(&build, &self.sorted[group.head]);
            build.notes.clone_from(&notes);
            let same_variant = |other: &&Group| {
                self.sorted[other.head].variant == self.sorted[group.head].variant
                    && self.sorted[other.head].part == self.sorted[group.head].part
            };
            let alone = groups.iter().filter(same_variant).count() == 1;
            self.lay_out(&mut build, group, alone);
            builds.push(build);
        }

        let several = |build: &Build, all: &[Build]| {
            all.iter().filter(|other| other.id == build.id).count() > 1
        };
        // An extender's package may serve several versions of the game, by a library for each.
        let keyed: Vec<bool> = builds.iter().map(|build| several(build, &builds)).collect();
        for (build, _) in builds.iter_mut().zip(keyed).filter(|(_, keyed)| *keyed) {
            if let Some(key) = build.key() {
                let variant = build.id.variant.take().map_or_else(String::new, |v| format!("{v}-"));
                build.id.variant = Some(format!("{variant}for-{key}"));
            }
        }

        builds
    }

    /// The libraries that make a build each, or together; variant by variant.
    fn groups(&self) -> Vec<Group> {
        let mut kinds: Vec<(Part, Option<&String>)> = self
            .sorted
            .iter()
            .filter(|file| matches!(file.part, Part::Payload | Part::DebugBuild))
            .map(|file| (file.part, file.variant.as_ref()))
            .collect();
        kinds.sort();
        kinds.dedup();

        let mut all = Vec::new();
        let mut shared = Vec::new();
        // The libraries outside of the variants come last: those that a variant took are done.
        kinds.sort_by_key(|(_, variant)| variant.is_none());
        for (part, variant) in kinds {
            let of_kind = |file: &Sorted| {
                file.part == part && (file.variant.as_ref() == variant || file.variant.is_none())
            };
            let candidates: Vec<Candidate<'_>> = (0..self.entries.len())
                .filter(|&index| of_kind(&self.sorted[index]))
                .filter(|index| variant.is_some() || !shared.contains(index))
                .filter_map(|index| self.candidate(index))
                .collect();
            let own = |index: usize| self.sorted[index].variant.as_ref() == variant;
            for group in groups(&candidates) {
                if own(group.head) {
                    shared.extend(group.members.iter().filter(|&&index| !own(index)));
                    all.push(group);
                }
            }
        }

        all.sort_by_key(|group| group.head);
        all
    }

    fn candidate(&self, index: usize) -> Option<Candidate<'_>> {
        let facts = self.facts[index].as_ref()?;
        let name = self.entries[index].path.file_name();
        let catalogued = self.catalog.find(facts, name).map(|family| family.id.as_str());
        Some(Candidate { index, name, facts, catalogued })
    }

    fn build(
        &self,
        entry: &PackedFile,
        facts: Facts,
        source: &super::Source,
        notes: &[Note],
    ) -> Build {
        let name = entry.path.file_name().to_owned();
        let version = facts.version().or_else(|| {
            let named = |name| Version::find_in(stem(name), 2).map(|(_, version)| version);
            let stated = || self.options.version.clone();
            let noted = || self.noted_version(notes, &name);
            let packed = || named(&source.name).filter(|_| self.is_named_after(source, &name));
            stated().or_else(|| named(&name)).or_else(packed).or_else(noted)
        });
        let stated = version.as_ref().map(Version::to_string);
        let known = self.catalog.find(&facts, &name).and_then(|family| family.role);
        let family = self.options.family.clone();

        Build {
            id: BuildId {
                family: family.unwrap_or_else(|| self.catalog.family_of(&facts, &name)),
                version: stated
                    .unwrap_or_else(|| format!("content-{}", entry.content.blake3.short())),
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
                signature: entry
                    .open()
                    .map_err(ImageError::Unreadable)
                    .and_then(|file| Signature::check_reader(file, None))
                    .map_or(SignatureStatus::Unreadable, |signature| signature.status),
            },
            supports: None,
            parts: Vec::new(),
            layout: Layout::default(),
            left: Vec::new(),
            notes: Vec::new(),
            source: source.clone(),
            added: Timestamp::now(),
        }
    }

    /// Whether a package's name speaks of a library: it is named after it, or it is the only one.
    fn is_named_after(&self, source: &super::Source, library: &str) -> bool {
        let library = fold(stem(library));
        let own = library.split(|c: char| !c.is_alphabetic()).next().unwrap_or_default();
        let is_only = self.facts.iter().flatten().count() == 1;
        is_only || !own.is_empty() && fold(&source.name).contains(own)
    }

    /// The version that a text names right behind the library's name, as in `Brine 2.8.1`.
    fn noted_version(&self, notes: &[Note], library: &str) -> Option<Version> {
        let name = fold(stem(library));
        let texts = notes.iter().filter_map(|note| {
            let entry = self.entries.iter().find(|entry| entry.content == note.content)?;
            entry.bytes().ok()
        });
        let mut lines = texts.flat_map(|text| {
            let text = decoded(&text);
            text.lines().map(fold).collect::<Vec<_>>()
        });
        lines.find_map(|line| {
            let (_, rest) = line.split_once(&name)?;
            let word = rest.split_whitespace().find(|word| *word != "version")?;
            let word = word.trim_start_matches('v').trim_end_matches([',', '.', ':', ')']);
            word.parse().ok().filter(|_| word.contains('.'))
        })
    }

    /// Gives every file of a group, and what comes with it, its place.
    fn lay_out(&self, build: &mut Build, group: &Group, alone: bool) {
        let bay = match build.role {
            Some(Role::Extender | Role::Loader | Role::Overlay) => EXE,
            _ if build.key().is_some() => EXE,
            _ => SLOT,
        };
        let given = self.options.layout.as_ref();
        let given = given.filter(|layout| layout.family == build.id.family);
        let remembered = self.remembered.iter().find(|known| known.family == build.id.family);

        for index in 0..self.entries.len() {
            let entry = &self.entries[index];
            let places = match (given, remembered) {
                (Some(given), _) => given.places(&build.file.path, &entry.path).unwrap_or_default(),
                (None, Some(known)) => known
                    .places(&build.file.path, &entry.path)
                    .unwrap_or_else(|| self.infer(build, group, index, bay, alone)),
                (None, None) => self.infer(build, group, index, bay, alone),
            };
            let is_head = index == group.head;
            let beside = |part: Part| !matches!(part, Part::Payload | Part::DebugBuild);
            let ours = is_head || group.members.contains(&index) || beside(self.sorted[index].part);
            if !ours || self.of_another_variant(index, group.head) {
                continue;
            }
            if places.is_empty() {
                let telling = !matches!(
                    self.sorted[index].part,
                    Part::Documentation | Part::Developer | Part::Symbols | Part::DebugBuild
                );
                if telling && alone {
                    build.left.push(entry.path.clone());
                }
                continue;
            }
            build.layout.places.extend(places);
            if !is_head {
                build.parts.push(BuildPart {
                    path: entry.path.clone(),
                    content: entry.content,
                    modified: entry.modified,
                    facts: self.facts[index].clone(),
                });
            }
        }

        // The library's own place comes first: the others are found from it.
        build.layout.places.sort_by_key(|place| place.from != build.file.path);
        if let Some(layout) = given.or(remembered) {
            build.layout.retires = layout.retires().to_vec();
        }
    }

    /// Whether a file lies in the folder of another variant than that of the library at `head`.
    fn of_another_variant(&self, index: usize, head: usize) -> bool {
        let variant = &self.sorted[index].variant;
        variant.is_some() && *variant != self.sorted[head].variant
    }

    /// Where a file goes as far as its kind says; nowhere, if it is for reading or for developers.
    fn infer(
        &self,
        build: &Build,
        group: &Group,
        index: usize,
        bay: &str,
        alone: bool,
    ) -> Vec<Placement> {
        let path = &self.entries[index].path;
        let part = self.sorted[index].part;
        let placed = match part {
            Part::Payload | Part::DebugBuild => {
                index == group.head || group.members.contains(&index)
            }
            Part::Program => bay == EXE && self.is_starter(group, index),
            Part::Settings => self.is_settings_of(group, index, alone),
            Part::Elsewhere => bay == EXE && alone && self.is_data(build, index),
            Part::Documentation | Part::Developer | Part::Symbols => false,
        };
        if !placed {
            return Vec::new();
        }

        let near = short(&build.file.path, path);
        let below = path.folder().starts_with(build.file.path.folder());
        let (bay, to) = match in_data_folder(&near).filter(|_| bay == EXE) {
            Some(data) => (ROOT, data),
            None if below && index != group.head => (bay, near),
            None => (bay, TreePath::new(path.file_name()).unwrap_or(near)),
        };
        vec![Placement { from: path.clone(), bay: bay.to_owned(), to, policy: policy(path, part) }]
    }

    /// Whether a program starts an extender: it comes with one, and is not an installer.
    fn is_starter(&self, group: &Group, index: usize) -> bool {
        const INSTALLERS: [&str; 3] = ["setup", "install", "update"];
        let name = fold(self.entries[index].path.file_name());
        let (Some(head), Some(program)) = (self.candidate(group.head), self.facts[index].as_ref())
        else {
            return false;
        };
        is_extender(&head)
            && companies_agree(head.facts, program)
            && head.facts.machine == program.machine
            && !INSTALLERS.iter().any(|word| name.contains(word))
    }

    /// Whether a settings file belongs to a library: it lies in its folder, in one around it or, of
    /// an extender, below it, and bears its name or could be of nothing else in the package.
    fn is_settings_of(&self, group: &Group, index: usize, alone: bool) -> bool {
        let (path, library) = (&self.entries[index].path, &self.entries[group.head].path);
        let around = path.folder();
        let inside = around.is_empty()
            || library.folder() == around
            || library.folder().starts_with(&format!("{around}/"));
        let below = alone && path.folder().starts_with(library.folder());
        let own = fold(stem(path.file_name())) == fold(stem(library.file_name()));
        (inside || below) && (alone || own)
    }

    /// Whether a file of no known kind comes with the library: it lies beside or below it, or
    /// in a data folder, and is not a script to be run.
    fn is_data(&self, build: &Build, index: usize) -> bool {
        const SCRIPTS: [&str; 7] = ["bat", "cmd", "ps1", "sh", "reg", "msi", "vbs"];
        let path = &self.entries[index].path;
        let near = path.folder().starts_with(build.file.path.folder())
            || in_data_folder(&short(&build.file.path, path)).is_some();
        near && !SCRIPTS.contains(&extension(path.file_name()).as_str())
    }
}

/// The part of a path from a folder called `data` on: such a folder is merged with the game's own.
fn in_data_folder(path: &TreePath) -> Option<TreePath> {
    let mut rest = path.as_str();
    loop {
        let (folder, below) = rest.split_once('/')?;
        if fold(folder) == "data" {
            return TreePath::new(rest).ok();
        }
        rest = below;
    }
}

fn policy(path: &TreePath, part: Part) -> Policy {
    const MERGED: [&str; 3] = ["ini", "cfg", "conf"];
    if part != Part::Settings && !is_settings_name(path.file_name()) {
        Policy::Replace
    } else if MERGED.contains(&extension(path.file_name()).as_str()) {
        Policy::Merge
    } else {
        Policy::Keep
    }
}

/// The facts of an image; nothing for other files. A file that was given by itself must be one, and
/// one that calls itself a library must be whole.
fn facts_of(path: &Path, entry: &PackedFile, alone: bool) -> Result<Option<Facts>> {
    let library = extension(entry.path.file_name()) == "dll";
    let file = entry.open().map_err(ImageError::Unreadable);
    match file.and_then(Facts::from_reader) {
        Ok(facts) => Ok(Some(facts)),
        Err(error @ ImageError::Unreadable(_)) => Err(Error::image(path)(error)),
        Err(error) if alone && entry.is_at(path) => Err(Error::image(path)(error)),
        Err(error) if library => Err(Error::Rack(RackError::Package {
            path: path.to_owned(),
            why: format!("its entry `{}` is not a library: {error}", entry.path),
            remedy: "Get the archive again from its source.".into(),
        })),
        Err(_) => Ok(None),
    }
}

fn notes(entries: &[PackedFile], sorted: &[Sorted]) -> Vec<Note> {
    let documents = entries.iter().zip(sorted).filter(|(entry, file)| {
        file.part == Part::Documentation && entry.content.size <= LONGEST_NOTE
    });
    documents
        .map(|(entry, _)| Note { name: entry.path.to_string(), content: entry.content })
        .take(MOST_NOTES)
        .collect()
}

/// Words in a folder's name that say no more than the file itself does.
const PLAIN_WORDS: [&str; 11] =
    ["x64", "x86", "win64", "win32", "amd64", "arm64", "64", "32", "64bit", "32bit", "bin"];

/// What distinguishes a build from others of its version: its machine where that is not the usual one, its
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
