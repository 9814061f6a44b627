//! Makes builds of a package: one of everything that belongs together, in each variant, with every file of the
//! package and its place.

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use jiff::Timestamp;

use super::archive::{Package, PackedFile, Scratch};
use super::contents::{LONGEST_NOTE, facts_of, notes, sorted, texts};
use super::group::{Candidate, Group, Together, groups, product_of};
use super::layout::BY_LAYOUT;
use super::layout_file::{GivenLayout, LayoutFile};
use super::naming::{self, Distinction};
use super::place::{Piece, Site};
use super::sort::{Part, Sorted};
use super::{Build, BuildFile, BuildId, BuildPart, Layout, Note, Placement, Source};
use crate::catalog::{Catalog, role_of, same_maker, slug};
use crate::content::Content;
use crate::error::{Error, RackError, Result};
use crate::path::{fold, same_name, stem};
use crate::remedy::Action;
use crate::settings::Limits;
use upright_spanner_change::Progress;
use upright_spanner_image::{Facts, ImageError, Signature, SignatureStatus, Version};

/// More builds no one packs together; each is a label of all the package's files.
const MOST_BUILDS: usize = 256;

/// The user's options for a package, which override its files.
#[derive(Debug, Clone, Default)]
pub struct PackageOptions {
    /// The family of its libraries.
    pub family: Option<String>,
    /// The version of those that state none.
    pub version: Option<Version>,
    /// The store edition of the game that it is for.
    pub edition: Option<String>,
    /// If its files go; those that it does not name have no place.
    pub layout: Option<GivenLayout>,
    /// Whether its libraries make one build.
    pub together: Together,
}

/// The facts that are known before a package is opened.
#[derive(Debug, Default)]
pub struct PackageContext {
    /// Names families.
    pub catalog: Arc<Catalog>,
    /// Layouts of families that were in use before: if files go that they know.
    pub remembered: Vec<LayoutFile>,
    /// The families on the rack, each with its maker if its libraries state one.
    pub families: Vec<(String, Option<String>)>,
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
    /// Each file of the package, with its kind.
    pub sorted: Vec<Sorted>,
    /// The products that it was split into.
    pub products: Vec<String>,
    package: Package,
    /// Where in the package each content is.
    places: HashMap<Content, usize>,
    /// A text that was added to it: its content, the file that has it, and the folder that this is in.
    added: Option<(Content, PathBuf, Scratch)>,
}

/// The input for a package's builds.
struct Intake<'a> {
    package: &'a Package,
    facts: &'a [Option<Facts>],
    sorted: &'a [Sorted],
    notes: Vec<Note>,
    /// The texts of the notes.
    texts: Vec<String>,
    context: &'a PackageContext,
    options: &'a PackageOptions,
}

/// The files that serve one need.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
struct View {
    is_debug: bool,
    label: Option<String>,
}

impl Parcel {
    /// Takes in a library, a folder or an archive.
    ///
    /// # Errors
    /// If it cannot be read, is over a limit, or holds nothing that could be fitted.
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
        let sorted = sorted(&package.entries, &facts).map_err(Error::io("read", path))?;
        let notes = notes(&package.entries, &sorted);
        let texts = texts(&package.entries, &notes);
        let (package_ref, facts, sorted_ref) = (&package, &facts, &sorted);
        let intake = Intake {
            package: package_ref,
            facts,
            sorted: sorted_ref,
            notes,
            texts,
            context,
            options,
        };
        let by_view = intake.groups_by_view();
        if by_view.values().map(Vec::len).sum::<usize>() > MOST_BUILDS {
            let why = format!("it would be more than {MOST_BUILDS} builds");
            let remedy = "Unpack it, and add the files you need separately.".into();
            return Err(Error::Rack(RackError::Package { path: path.to_owned(), why, remedy }));
        }
        let (builds, products) = intake.builds(&by_view);
        if builds.is_empty() {
            let why = "it contains no library that a game could load".to_owned();
            let remedy = ("List its files with their kinds.", Action::ShowSorting).into();
            return Err(Error::Rack(RackError::Package { path: path.to_owned(), why, remedy }));
        }
        if let Some(layout) = &options.layout {
            let files = package.entries.iter().map(|entry| &entry.path);
            layout.expect_all_in(&files.collect::<Vec<_>>()).map_err(Error::Catalog)?;
        }

        let places = package.entries.iter().enumerate();
        let places = places.map(|(place, entry)| (entry.content, place)).collect();
        Ok(Self { builds, sorted, products, package, places, added: None })
    }

    /// Its source.
    pub fn source(&self) -> &Source {
        &self.package.source
    }

    /// Adds one text to those that came with its builds, but if one of them is the same.
    ///
    /// # Errors
    /// If no file can be made for it.
    pub fn add_note(&mut self, name: &str, bytes: &[u8], space: &Path) -> Result<()> {
        let content = Content::of_bytes(bytes);
        let has = |build: &Build| build.notes.iter().any(|note| note.content == content);
        if self.builds.iter().all(has) {
            return Ok(());
        }
        let scratch = Scratch::new(space)?;
        let file = scratch.folder().join("notes");
        std::fs::write(&file, bytes).map_err(Error::io("write", &file))?;
        for build in &mut self.builds {
            let taken = build.notes.iter().any(|note| same_name(&note.name, name));
            let name = if taken { format!("feed/{name}") } else { name.to_owned() };
            build.notes.push(Note { name, content });
        }
        self.added = Some((content, file, scratch));
        Ok(())
    }

    /// The file that a content can be read from; nothing if the package does not have it.
    ///
    /// # Errors
    /// If it cannot be written into a file.
    pub fn file_of(&self, content: &Content) -> Result<Option<PathBuf>> {
        if let Some((_, file, _)) = self.added.as_ref().filter(|(own, ..)| own == content) {
            return Ok(Some(file.clone()));
        }
        let entry = self.places.get(content).map(|&place| &self.package.entries[place]);
        entry.map(PackedFile::file).transpose()
    }

    /// Every content that the builds refer to, with a file to read it from.
    ///
    /// # Errors
    /// If one cannot be written into a file.
    pub fn contents(&self) -> Result<Vec<(PathBuf, Content)>> {
        let wanted: BTreeSet<Content> = self.builds.iter().flat_map(Build::contents).collect();
        let wanted = wanted.into_iter().filter_map(|content| {
            Some(self.file_of(&content).transpose()?.map(|file| (file, content)))
        });
        wanted.collect()
    }
}

impl Intake<'_> {
    /// The builds, and the products that the package was taken apart into.
    fn builds(&self, by_view: &BTreeMap<View, Vec<Group>>) -> (Vec<Build>, Vec<String>) {
        let mut builds = Vec::new();
        let mut products = BTreeSet::new();
        for (view, groups) in by_view {
            for group in groups {
                if groups.len() > 1 {
                    products.insert(self.product(group));
                }
                let mut build = self.build(group.head, view);
                self.lay_out(&mut build, group, view, groups);
                builds.push((group.head, build));
            }
        }
        // The builds of other needs have the version of the usual one, though their files may state theirs.
        let usual: Vec<Build> = builds.iter().map(|(_, build)| build.clone()).collect();
        for (_, build) in &mut builds {
            let rank = |build: &&Build| build.id.variant.as_ref().map_or(0, String::len);
            let same = usual.iter().filter(|other| other.id.family == build.id.family);
            if let Some(usual) = same.min_by_key(rank).filter(|usual| usual.version.is_some()) {
                build.id.version.clone_from(&usual.id.version);
                build.version.clone_from(&usual.version);
            }
        }
        builds.sort_by_key(|(head, _)| *head);
        (builds.into_iter().map(|(_, build)| build).collect(), products.into_iter().collect())
    }

    fn product(&self, group: &Group) -> String {
        let name = self.package.entries[group.head].path.file_name();
        product_of(self.facts[group.head].as_ref(), name)
    }

    /// The libraries that each make a build, for each need that the package serves. A library without a label belongs
    /// to every variant, or serves its own need.
    fn groups_by_view(&self) -> BTreeMap<View, Vec<Group>> {
        let libraries = self.sorted.iter().filter(|file| file.part.is_library());
        let mut views: Vec<View> = libraries
            .map(|file| View {
                is_debug: file.part == Part::DebugBuild,
                label: file.variant.clone(),
            })
            .collect();
        // Libraries without a label come last, when the others are assigned.
        views.sort_by_key(|view| (view.label.is_none(), view.clone()));
        views.dedup();

        let mut taken = BTreeSet::new();
        let mut by_view = BTreeMap::new();
        for view in views {
            let mut candidates = self.candidates(&view);
            candidates.retain(|own| view.label.is_some() || !taken.contains(&own.index));
            let package = &self.package.source.name;
            let mut groups = groups(&candidates, package, self.options.together);
            let all = |group: &Group| group.members.iter().copied().chain([group.head]).collect();
            let is_labelled = |index: &usize| self.sorted[*index].variant.is_some();
            groups.retain(|group| {
                let all: Vec<usize> = all(group);
                view.label.is_none() || all.iter().any(is_labelled)
            });
            let used = groups.iter().flat_map(|group| -> Vec<usize> { all(group) });
            taken.extend(used.filter(|index| !is_labelled(index)));
            by_view.insert(view, groups);
        }
        by_view
    }

    fn has(&self, view: &View, index: usize) -> bool {
        let own = &self.sorted[index].variant;
        own.is_none() || *own == view.label
    }

    fn candidates(&self, view: &View) -> Vec<Candidate<'_>> {
        let of_kind = |index: &usize| {
            let part = self.sorted[*index].part;
            part.is_library() && (part == Part::DebugBuild) == view.is_debug
        };
        let all = (0..self.package.entries.len()).filter(of_kind);
        let own: Vec<usize> = all.filter(|&index| self.has(view, index)).collect();
        // A library for another machine does not belong to the variant.
        let labelled = own.iter().filter(|&&index| self.sorted[index].variant.is_some());
        let machines: BTreeSet<_> = labelled
            .filter_map(|&index| self.facts[index].as_ref())
            .map(|facts| facts.machine.name())
            .collect();
        let fits = |index: &usize| {
            let machine = self.facts[*index].as_ref().map(|facts| facts.machine.name());
            self.sorted[*index].variant.is_some()
                || machines.is_empty()
                || machine.is_none_or(|machine| machines.contains(machine))
        };
        own.into_iter().filter(fits).map(|index| self.candidate(index)).collect()
    }

    fn candidate(&self, index: usize) -> Candidate<'_> {
        let path = &self.package.entries[index].path;
        let name = path.file_name();
        let facts = self.facts[index].as_ref();
        let known = facts.and_then(|facts| self.context.catalog.find(facts, name));
        Candidate::new(index, name, facts, known.map(|family| family.id.as_str()))
    }

    fn build(&self, head: usize, view: &View) -> Build {
        let entry = &self.package.entries[head];
        let facts = self.facts[head].clone();
        let name = entry.path.file_name().to_owned();
        let catalogued = facts.as_ref().and_then(|facts| self.context.catalog.find(facts, &name));
        let version = self.version(facts.as_ref(), &name);
        let source = &self.package.source;
        let edition = self.options.edition.clone().or_else(|| {
            let label = view.label.as_deref().unwrap_or_default();
            naming::edition(&[label, &source.name, &self.package.wrapping], &self.texts)
        });
        let packed_as = format!("{} {}", source.name, self.package.wrapping);
        let variant = Distinction {
            machine: facts.as_ref().map(|facts| facts.machine),
            label: view.label.as_deref(),
            edition: edition.as_deref(),
            is_debug: view.is_debug,
            package: &packed_as,
        };
        let stated = version.as_ref().map(Version::to_string);
        let unstated = || format!("content-{}", entry.content.blake3.short());
        let known = catalogued.map(|family| family.id.clone());
        let family = self.options.family.clone().or(known);
        let family = family.unwrap_or_else(|| self.family(facts.as_ref(), &name, head));
        let signature = || {
            let file = entry.open().map_err(ImageError::Unreadable);
            let checked = file.and_then(|file| Signature::check_reader(file, None));
            checked.map_or(SignatureStatus::Unreadable, |signature| signature.status)
        };

        Build {
            id: BuildId {
                family,
                version: stated.unwrap_or_else(unstated),
                variant: variant.variant(),
            },
            role: catalogued
                .and_then(|family| family.role)
                .or_else(|| facts.as_ref().and_then(role_of)),
            version,
            machine: facts.as_ref().map(|facts| facts.machine),
            edition,
            file: BuildFile {
                path: entry.path.clone(),
                name,
                content: entry.content,
                modified: entry.modified,
                signature: facts.as_ref().map_or(SignatureStatus::Absent, |_| signature()),
                facts,
            },
            supports: None,
            told: None,
            parts: Vec::new(),
            layout: Layout::default(),
            notes: self.notes.clone(),
            source: source.clone(),
            added: Timestamp::now(),
        }
    }

    /// The family as the file names it; if the rack has that of another maker, with the maker's name.
    fn family(&self, facts: Option<&Facts>, name: &str, head: usize) -> String {
        let twin = |other: usize| {
            other != head
                && self.sorted[other].variant != self.sorted[head].variant
                && !same_name(self.package.entries[other].path.file_name(), name)
        };
        let libraries = (0..self.sorted.len()).filter(|&at| self.sorted[at].part.is_library());
        let has_twin = self.sorted[head].variant.is_some() && libraries.into_iter().any(twin);
        let mut family = naming::family(facts, name, has_twin);
        if self.sorted[head].part == Part::DebugBuild {
            // Authors mark the debug build of a library by one letter.
            let released = |file: &Sorted| {
                let own = family.strip_suffix('d').map(|own| own.trim_end_matches(['-', '_']));
                file.part == Part::Payload
                    && own.is_some_and(|own| same_name(stem(file.path.file_name()), own))
            };
            if let Some(released) = self.sorted.iter().find(|file| released(file)) {
                family = naming::family(None, released.path.file_name(), has_twin);
            }
        }
        let Some(maker) = facts.and_then(|facts| facts.string("CompanyName")) else {
            return family;
        };
        let is_others = |(known, by): &(String, Option<String>)| {
            same_name(known, &family) && by.as_ref().is_some_and(|by| !same_maker(by, maker))
        };
        if self.context.families.iter().any(is_others) {
            format!("{family}-{}", slug(maker))
        } else {
            family
        }
    }

    /// The version that a library states, else its package's name, the texts, or its own name. A number that
    /// both its resource and its name hold while the package states another is that of the game.
    fn version(&self, facts: Option<&Facts>, name: &str) -> Option<Version> {
        let source = &self.package.source.name;
        let named = naming::version_in(name);
        let packed = || {
            let speaks = self.is_named_after(source, name);
            let packed = naming::version_in(source).filter(|_| speaks);
            packed.or_else(|| naming::version_in(&self.package.wrapping).filter(|_| speaks))
        };
        let noted = || naming::noted_version(&self.texts, name);
        let stated = facts.and_then(Facts::version);
        let is_games = |stated: &Version| {
            let same = named.as_ref().is_some_and(|named| named.same_numbers(stated));
            let other = packed().is_some_and(|packed| !packed.same_numbers(stated));
            same && stated.numbers().len() > 2 && other
        };
        stated
            .filter(|stated| !is_games(stated))
            .or_else(|| self.options.version.clone())
            .or_else(packed)
            .or_else(noted)
            .or_else(|| named.clone())
    }

    /// Whether a package's name speaks of a library: it is named after it, or it is the only one.
    fn is_named_after(&self, package: &str, library: &str) -> bool {
        let library = fold(library);
        let own = library.split(|c: char| !c.is_alphabetic()).next().unwrap_or_default();
        let libraries = self.sorted.iter().filter(|file| file.part == Part::Payload);
        let is_keyed = Version::find_in(&library, 2).is_some();
        libraries.count() == 1 || is_keyed || !own.is_empty() && fold(package).contains(own)
    }

    /// Places every file of a group, and its companions.
    fn lay_out(&self, build: &mut Build, group: &Group, view: &View, groups: &[Group]) {
        let given = self.options.layout.as_ref().map(|given| &given.layout);
        let given = given.filter(|layout| layout.family == build.id.family);
        let remembered = self.context.remembered.iter().find(|l| l.family == build.id.family);
        let head = &self.package.entries[group.head].path;
        let site = Site {
            head: self.candidate(group.head),
            path: head,
            role: build.role,
            is_keyed: build.key().is_some(),
            is_alone: groups.len() == 1,
            others_programs: self.others_programs(group),
        };

        for (index, entry) in self.package.entries.iter().enumerate() {
            let sorted = &self.sorted[index];
            let is_head = index == group.head;
            let is_member = is_head || group.members.binary_search(&index).is_ok();
            let is_left_to_others =
                if sorted.part.is_library() { !is_member } else { !self.has(view, index) };
            let is_note = sorted.part == Part::Documentation && entry.content.size <= LONGEST_NOTE;
            if is_left_to_others {
                continue;
            }
            let piece = Piece {
                path: &entry.path,
                part: sorted.part,
                reason: &sorted.reason,
                facts: self.facts[index].as_ref(),
                is_member,
            };
            let (place, why) = site.place(&piece);
            let found: Vec<Placement> = place.into_iter().collect();
            let told = match (given, remembered) {
                (Some(given), _) => Some(given.places(&entry.path).unwrap_or_default()),
                (None, Some(known)) => known.places(&entry.path),
                (None, None) => None,
            };
            let is_other = told.as_ref().is_some_and(|told| *told != found);
            let why = if is_other { BY_LAYOUT.to_owned() } else { why };
            let places = told.unwrap_or(found);
            if places.is_empty() && is_note {
                continue;
            }
            build.layout.places.extend(places);
            if !is_head {
                build.parts.push(BuildPart {
                    path: entry.path.clone(),
                    content: entry.content,
                    modified: entry.modified,
                    facts: piece.facts.cloned(),
                    part: sorted.part,
                    why,
                });
            }
        }

        // The library's own place comes first: the others are found from it.
        build.layout.places.sort_by_key(|place| place.from != build.file.path);
        if let Some(layout) = given.or(remembered) {
            build.layout.retires = layout.retires().to_vec();
        }
    }

    /// Folders with a program that is of no product of a group.
    fn others_programs(&self, group: &Group) -> BTreeSet<&str> {
        let product = |index: usize| {
            let stated = self.facts[index].as_ref()?.string("ProductName")?;
            Some(fold(stated))
        };
        let own = product(group.head);
        let programs = (0..self.sorted.len()).filter(|&at| self.sorted[at].part == Part::Program);
        let others = programs.filter(|&at| own.is_none() || product(at) != own);
        others.map(|at| self.package.entries[at].path.folder()).collect()
    }
}
