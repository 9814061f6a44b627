//! Publishes feeds: from the rack, or from a folder with downloads.

use std::collections::{BTreeMap, BTreeSet};
use std::fs::{self, File};
use std::io::{Seek, Write};
use std::path::{Path, PathBuf};

use jiff::{SignedDuration, Timestamp, tz::TimeZone};
use upright_spanner_change::{Folder, Lock, Progress};
use upright_spanner_image::{Requirement, Version};
use zip::write::SimpleFileOptions;

use super::{Altering, Workshop};
use crate::catalog::{Family, LONGEST_CATALOG};
use crate::content::{Content, content_of};
use crate::error::{Error, FeedError, Result};
use crate::feed::{
    self, Advice, Counsel, Draft, Entry, Key, LONGEST_NOTES, Listing, Packed, Secret, Signer,
    Variant, Whole, Written,
};
use crate::fetch::Address;
use crate::path::{TreePath, same_name, slashes, stem};
use crate::rack::{Build, BuildSpec, PackageOptions, Parcel, Scratch};
use upright_spanner_image::file::text_of;

/// The source of a feed's builds.
#[derive(Debug, Clone, Default)]
pub enum Stock {
    /// Nothing new.
    #[default]
    Nothing,
    /// Builds of the rack.
    Rack,
    /// The files and archives of a folder.
    Folder(PathBuf),
}

/// The options for a feed.
#[derive(Debug, Clone, Default)]
pub struct FeedMake {
    /// What to call it; as before, or the folder's name, if it is left out.
    pub title: Option<String>,
    /// The source of its builds.
    pub from: Stock,
    /// Only these families; all, if empty.
    pub families: Vec<String>,
    /// Other places that have its contents; as before, if it is left out.
    pub mirrors: Option<Vec<String>>,
    /// For how long it can be taken for the newest.
    pub fresh_for: SignedDuration,
    /// The advice against builds.
    pub advice: Vec<NewAdvice>,
    /// Builds that nothing is advised against any more.
    pub lifted: Vec<String>,
    /// Builds to download from a page instead of the feed.
    pub pages: Vec<(String, String)>,
    /// Whether contents go that the newest state does not name.
    pub prune: bool,
}

/// The advice about a build of a feed.
#[derive(Debug, Clone)]
pub struct NewAdvice {
    /// The build: a family, a version, and a variant to limit it to one.
    pub build: String,
    /// What of it.
    pub what: Counsel,
    /// With which versions of the game; with any, if it is left out.
    pub game: Option<Requirement>,
    /// With the game of which executable; with any, if it is left out.
    pub program: Option<String>,
    /// The reason.
    pub why: String,
}

/// A feed that was made.
#[derive(Debug)]
pub struct MadeFeed {
    /// The written files.
    pub written: Written,
    /// Builds that are new in it.
    pub new: Vec<String>,
    /// Files that could not be taken, each with the reason.
    pub left: Vec<(PathBuf, Error)>,
    /// How many contents were removed.
    pub pruned: usize,
}

/// A feed that was verified as a client would.
#[derive(Debug)]
pub struct VerifiedFeed {
    /// The signed head.
    pub head: feed::Head,
    /// The listing of each family.
    pub listings: Vec<Listing>,
    /// Missing or damaged contents, each with a description.
    pub wrong: Vec<String>,
    /// Files that it does not name.
    pub unknown: usize,
    /// Files that were read.
    pub read: usize,
}

impl Workshop {
    /// Verifies a feed that is in a folder: its signature, all that it says, and every content.
    ///
    /// # Errors
    /// If its signature is not valid, or its content cannot be read.
    pub fn check_feed(
        &self,
        folder: &Path,
        key: Option<&Key>,
        progress: &dyn Progress,
    ) -> Result<VerifiedFeed> {
        let address = Address::new(&folder.to_string_lossy())?;
        let Whole { found, listings } = feed::whole(&self.client, &address, key)?;
        let mut named = BTreeMap::new();
        for listing in &listings {
            for entry in &listing.build {
                let id = format!("{}@{}", listing.id, entry.version);
                if entry.page.is_none() {
                    named.insert(entry.file.content(), format!("{id} ({})", entry.file.name));
                }
                if let Some(notes) = &entry.notes {
                    named.insert(notes.content(), format!("the notes of {id}"));
                }
            }
        }
        progress.begin("verifying the contents", Some(named.len() as u64));
        let mut wrong = Vec::new();
        for (content, what) in &named {
            let path = feed::content_path(folder, &content.blake3);
            let is_plain = path.symlink_metadata().is_ok_and(|it| it.is_file());
            if !is_plain {
                wrong.push(format!("{what} is missing"));
            } else if content_of(&path).ok() != Some(*content) {
                wrong.push(format!("{what} is damaged: {}", slashes(&path)));
            }
            progress.advance(1);
        }
        progress.end();
        let all = feed::contents(&found.head, found.content(), &listings);
        let all: BTreeSet<String> = all.iter().map(|it| it.blake3.to_string()).collect();
        let files = files_below(&folder.join("content"));
        let unknown = files.iter().filter(|name| !all.contains(*name)).count();
        Ok(VerifiedFeed { head: found.head, listings, wrong, unknown, read: all.len() })
    }
}

/// The names of all files two levels below a folder.
fn files_below(folder: &Path) -> Vec<String> {
    let below = |path: &Path| fs::read_dir(path).into_iter().flatten().flatten();
    let files = below(folder).flat_map(|group| below(&group.path()).collect::<Vec<_>>());
    files.map(|file| file.file_name().to_string_lossy().into_owned()).collect()
}

impl Altering<'_> {
    /// Writes a feed into a folder, or adds to the one that is there.
    ///
    /// # Errors
    /// If the existing feed is damaged or signed by another key, a named build does not exist, or the folder cannot
    /// be written to.
    pub fn make_feed(
        &self,
        folder: &Path,
        make: &FeedMake,
        signer: &Signer<'_>,
        replacing: Option<&Secret>,
        progress: &dyn Progress,
    ) -> Result<MadeFeed> {
        let _claim = Claim::take(folder)?;
        let workshop = self.workshop();
        let address = Address::new(&folder.to_string_lossy())?;
        let is_there = folder.join(feed::SIGNATURE).exists();
        let whole = is_there.then(|| feed::whole(&workshop.client, &address, None)).transpose()?;
        let (before, listings) = match whole {
            Some(Whole { found, listings }) => (Some(found.head), listings),
            None => (None, Vec::new()),
        };
        let mut publisher = Publisher { workshop, folder, make, listings, new: Vec::new() };
        let left = publisher.stock(progress)?;
        publisher.describe()?;
        publisher.advise()?;
        let Publisher { mut listings, new, .. } = publisher;
        listings.sort_by(|a, b| a.id.cmp(&b.id));

        let name = folder.file_name().map(|name| name.to_string_lossy().into_owned());
        let title = make.title.clone().or_else(|| before.as_ref().map(|head| head.title.clone()));
        let mirrors = make.mirrors.clone();
        for mirror in mirrors.iter().flatten() {
            Address::web(mirror)?;
        }
        let draft = Draft {
            title: title.or(name).unwrap_or_else(|| "Feed".to_owned()),
            mirrors: mirrors
                .or_else(|| before.as_ref().map(|head| head.mirrors.clone()))
                .unwrap_or_default(),
            fresh_for: make.fresh_for,
            listings,
            before,
        };
        let written = draft.write(folder, signer, replacing)?;
        let mut pruned = 0;
        if make.prune && written.comment.is_none() {
            let head = content_of(&written.path)?;
            let kept = feed::contents(&written.head, head, &draft.listings);
            pruned = feed::prune(folder, &kept.iter().map(|it| it.blake3).collect())?;
        }
        Ok(MadeFeed { written, new, left, pruned })
    }
}

/// A folder locked while a feed is written into it: no one else writes from another home, and a new folder is removed
/// if writing fails.
struct Claim<'a> {
    folder: &'a Path,
    is_new: bool,
    lock: Option<Lock>,
}

impl<'a> Claim<'a> {
    fn take(folder: &'a Path) -> Result<Self> {
        let is_new = !folder.exists();
        drop(Folder::make(folder)?);
        Ok(Self { folder, is_new, lock: Some(Lock::take(folder)?) })
    }
}

impl Drop for Claim<'_> {
    fn drop(&mut self) {
        self.lock = None;
        if self.is_new {
            // It stays if there is anything in it.
            let _ = fs::remove_dir(self.folder);
        }
    }
}

/// Assembles a feed.
struct Publisher<'a> {
    workshop: &'a Workshop,
    folder: &'a Path,
    make: &'a FeedMake,
    listings: Vec<Listing>,
    new: Vec<String>,
}

impl Publisher<'_> {
    /// Adds the new builds; returns those that could not be added.
    fn stock(&mut self, progress: &dyn Progress) -> Result<Vec<(PathBuf, Error)>> {
        let mut left = Vec::new();
        match &self.make.from {
            Stock::Nothing => {}
            Stock::Rack => {
                let builds = self.workshop.builds()?;
                let mut packages: BTreeMap<_, Vec<&Build>> = BTreeMap::new();
                // Only the selected families of a package are published.
                for build in builds.iter().filter(|build| self.is_meant(&build.id.family)) {
                    packages.entry(build.source.blake3).or_default().push(build);
                }
                for builds in packages.values() {
                    if !builds.iter().all(|build| self.has(build)) {
                        self.add_from_rack(builds, progress)?;
                    }
                }
            }
            Stock::Folder(from) => {
                let entries = fs::read_dir(from).map_err(Error::io("read", from))?;
                let mut files: Vec<PathBuf> = entries.flatten().map(|it| it.path()).collect();
                files.retain(|path| path.is_file());
                files.sort();
                for file in files {
                    if let Err(error) = self.add_file(&file, &file, &[], progress) {
                        left.push((file, error));
                    }
                }
            }
        }
        Ok(left)
    }

    fn is_meant(&self, family: &str) -> bool {
        let named = &self.make.families;
        named.is_empty() || named.iter().any(|name| same_name(name, family))
    }

    /// Whether a build is listed already.
    fn has(&self, build: &Build) -> bool {
        let listing = self.listings.iter().find(|it| same_name(&it.id, &build.id.family));
        let mut entries = listing.into_iter().flat_map(|listing| &listing.build);
        let is_same = |variant: &Variant| variant.library == build.file.content.blake3;
        entries.any(|entry| {
            same_name(&entry.version, &build.id.version) && entry.variant.iter().any(is_same)
        })
    }

    /// Adds the builds of one package, which is put together again.
    fn add_from_rack(&mut self, builds: &[&Build], progress: &dyn Progress) -> Result<()> {
        let store = &self.workshop.store;
        let mut files: BTreeMap<TreePath, (Content, (i64, u32))> = BTreeMap::new();
        for build in builds {
            for file in build.files() {
                files.insert(file.path.clone(), (file.content, file.modified));
            }
            for note in &build.notes {
                // Notes from another feed are not part of it.
                if let Ok(path) = TreePath::new(&note.name) {
                    files.entry(path).or_insert((note.content, build.source.modified));
                }
            }
        }
        let Some(first) = builds.first() else { return Ok(()) };
        if let (1, Some((path, (content, _)))) = (files.len(), files.first_key_value()) {
            let source = store.file(content)?;
            let named = Path::new(path.file_name());
            return self.add_file(&source, named, builds, progress);
        }

        let space = Scratch::new(&self.workshop.scratch())?;
        let path = space.folder().join("package");
        let mut packed = File::create(&path).map_err(Error::io("write", &path))?;
        zip_up(&mut packed, &path, &files, |content| Ok(store.open_content(content)?))?;
        drop(packed);
        let named = PathBuf::from(format!("{}.zip", stem(&first.source.name)));
        self.add_file(&path, &named, builds, progress)
    }

    /// Adds a file or archive under a name; `on_rack` are the builds that it was packed from.
    fn add_file(
        &mut self,
        file: &Path,
        named: &Path,
        on_rack: &[&Build],
        progress: &dyn Progress,
    ) -> Result<()> {
        let name = named.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let context = self.workshop.package_context()?;
        let options = PackageOptions {
            version: on_rack.iter().find_map(|build| build.version.clone()),
            ..PackageOptions::default()
        };
        // Read as its users will: under its published name.
        let space = Scratch::new(&self.workshop.scratch())?;
        let copy = space.folder().join(&name);
        // A copy rather than a link, through which the stored content could be changed; and without its marks, since
        // read-only files cannot be removed everywhere.
        let copied = File::open(file)
            .and_then(|mut from| std::io::copy(&mut from, &mut File::create(&copy)?));
        copied.map_err(Error::io("copy", file))?;
        let parcel = Parcel::open(&copy, &options, &context, progress)?;
        let content = content_of(file)?;
        let entries = self.entries(&parcel, &Packed::new(name, content), on_rack)?;
        for (family, entry) in entries {
            if !self.is_meant(&family) {
                continue;
            }
            if entry.page.is_none() {
                feed::copy_content(self.folder, file, &content)?;
            }
            self.list(&family, entry);
        }
        Ok(())
    }

    /// The entries of a package: one for each version of a family.
    fn entries(
        &self,
        parcel: &Parcel,
        file: &Packed,
        on_rack: &[&Build],
    ) -> Result<Vec<(String, Entry)>> {
        let mut entries: Vec<(String, Entry)> = Vec::new();
        for build in &parcel.builds {
            let known = on_rack.iter().find(|known| known.file.content == build.file.content);
            let id = known.map_or(&build.id, |known| &known.id);
            let variant = Variant {
                name: id.variant.clone(),
                library: build.file.content.blake3,
                machine: build.machine,
                edition: build.edition.clone(),
                key: build.key(),
                company: build.string("CompanyName").map(str::to_owned),
            };
            let same = |(family, entry): &&mut (String, Entry)| {
                same_name(family, &id.family) && same_name(&entry.version, &id.version)
            };
            if let Some((_, entry)) = entries.iter_mut().find(same) {
                entry.variant.push(variant);
                continue;
            }
            let date = known.map_or(build.file.modified, |known| known.file.modified);
            let name = id.release();
            let page = self.make.pages.iter().find(|(spec, _)| same_name(spec, &name));
            let entry = Entry {
                version: id.version.clone(),
                file: file.clone(),
                page: page.map(|(_, url)| url.clone()),
                variant: vec![variant],
                supports: known.and_then(|known| known.supports.clone()),
                notes: self.notes(parcel, build)?,
                date: Timestamp::from_second(date.0)
                    .ok()
                    .map(|at| at.to_zoned(TimeZone::UTC).date()),
            };
            entries.push((id.family.clone(), entry));
        }
        Ok(entries)
    }

    /// The most informative change log of a package: it is included in the feed, to be read before the download.
    fn notes(&self, parcel: &Parcel, build: &Build) -> Result<Option<Packed>> {
        const TELLING: [&str; 4] = ["change", "release", "news", "readme"];
        let rank = |name: &str| {
            let name = name.to_lowercase();
            TELLING.iter().position(|word| name.contains(word)).unwrap_or(TELLING.len())
        };
        let short = build.notes.iter().filter(|note| note.content.size <= LONGEST_NOTES);
        let Some(note) = short.min_by_key(|note| rank(&note.name)) else { return Ok(None) };
        let Some(path) = parcel.file_of(&note.content)? else { return Ok(None) };
        let bytes = fs::read(&path).map_err(Error::io("read", &path))?;
        let content = feed::write_content(self.folder, &bytes)?;
        let name = note.name.rsplit('/').next().unwrap_or(&note.name).to_owned();
        Ok(Some(Packed::new(name, content)))
    }

    /// Lists an entry, in place of one of the same file.
    fn list(&mut self, family: &str, entry: Entry) {
        let at = self.listings.iter().position(|listing| same_name(&listing.id, family));
        let at = at.unwrap_or_else(|| {
            self.listings.push(Listing { id: family.to_owned(), ..Listing::default() });
            self.listings.len() - 1
        });
        let builds = &mut self.listings[at].build;
        let same = |other: &Entry| {
            same_name(&other.version, &entry.version) && other.file.blake3 == entry.file.blake3
        };
        if let Some(known) = builds.iter_mut().find(|other| same(other)) {
            *known = entry;
        } else {
            let id = format!("{family}@{}", entry.version);
            if !self.new.contains(&id) {
                self.new.push(id);
            }
            builds.push(entry);
        }
        builds.sort_by_key(|entry| std::cmp::Reverse((entry.number(), entry.version.clone())));
    }

    /// Adds the user's catalog entries and layouts of the families, and the rack's supported versions.
    fn describe(&mut self) -> Result<()> {
        let catalog = self.workshop.own_catalog();
        let layouts = self.workshop.remembered_layouts()?;
        let builds = self.workshop.builds()?;
        // A family can be published without a build, for its description.
        for id in self.make.families.iter().filter(|id| catalog.family(id).is_some()) {
            if self.listings.iter().all(|listing| !same_name(&listing.id, id)) {
                self.listings.push(Listing { id: id.clone(), ..Listing::default() });
            }
        }
        for listing in &mut self.listings {
            if let Some(family) = catalog.family(&listing.id) {
                listing.catalog = Some(catalog_of(family)?);
            }
            if let Some(layout) = layouts.iter().find(|it| same_name(&it.family, &listing.id)) {
                listing.layout = Some(layout.to_text());
            }
            let of_family = builds.iter().filter(|it| same_name(&it.id.family, &listing.id));
            for build in of_family.filter(|build| build.supports.is_some()) {
                let is_it = |variant: &Variant| variant.library == build.file.content.blake3;
                for entry in listing.build.iter_mut().filter(|it| it.variant.iter().any(is_it)) {
                    entry.supports.clone_from(&build.supports);
                }
            }
            for entry in &mut listing.build {
                let id = format!("{}@{}", listing.id, entry.version);
                if let Some((_, url)) =
                    self.make.pages.iter().find(|(spec, _)| same_name(spec, &id))
                {
                    Address::page(url)?;
                    entry.page = Some(url.clone());
                }
            }
        }
        let is_listed = |spec: &str| {
            self.listings.iter().any(|listing| {
                let mut ids =
                    listing.build.iter().map(|it| format!("{}@{}", listing.id, it.version));
                ids.any(|id| same_name(&id, spec))
            })
        };
        match self.make.pages.iter().find(|(spec, _)| !is_listed(spec)) {
            Some((spec, _)) => Err(self.not_listed(spec)),
            None => Ok(()),
        }
    }

    /// Adds the advice against builds.
    fn advise(&mut self) -> Result<()> {
        for spec in &self.make.lifted {
            let (at, builds, _) = self.listed(spec)?;
            self.listings[at].advice.retain(|advice| advice.builds != builds);
        }
        for NewAdvice { build, what, game, program, why } in &self.make.advice {
            let (at, builds, variant) = self.listed(build)?;
            let (game, program, why) = (game.clone(), program.clone(), why.clone());
            let advice = Advice { builds, variant, what: *what, game, program, why };
            // New advice about the same builds replaces the earlier.
            let known = &mut self.listings[at].advice;
            known.retain(|other| Advice { why: advice.why.clone(), ..other.clone() } != advice);
            known.push(advice);
        }
        Ok(())
    }

    /// The place of the family of a build that is listed, its version, and its variant if one is named.
    fn listed(&self, spec: &str) -> Result<(usize, Requirement, Option<String>)> {
        let named = BuildSpec::parse(spec);
        let number: Option<Version> = named.version.as_ref().and_then(|it| it.parse().ok());
        let listing = self.listings.iter().position(|it| same_name(&it.id, &named.family));
        let of_it = listing.zip(number).and_then(|(at, number)| {
            let mut own = self.listings[at].build.iter().filter_map(Entry::number);
            Some((at, own.find(|own| *own == number)?))
        });
        let (at, number) = of_it.ok_or_else(|| self.not_listed(spec))?;
        Ok((at, Requirement::from(number), named.variant))
    }

    fn not_listed(&self, spec: &str) -> Error {
        let family = BuildSpec::parse(spec).family;
        let listing = self.listings.iter().find(|listing| same_name(&listing.id, &family));
        let entries = listing.into_iter().flat_map(|listing| {
            listing.build.iter().map(|entry| format!("{}@{}", listing.id, entry.version))
        });
        FeedError::NoBuild { spec: spec.to_owned(), known: entries.collect(), any: true }.into()
    }
}

/// Packs files into a zip: the same ones always into the same bytes.
fn zip_up(
    out: &mut File,
    at: &Path,
    files: &BTreeMap<TreePath, (Content, (i64, u32))>,
    open: impl Fn(&Content) -> Result<File>,
) -> Result<()> {
    let failed = |error: std::io::Error| Error::io("write", at)(error);
    let mut zip = zip::ZipWriter::new(&mut *out);
    for (path, (content, modified)) in files {
        let date = Timestamp::from_second(modified.0).unwrap_or_default().to_zoned(TimeZone::UTC);
        let date = zip::DateTime::try_from(date.datetime()).unwrap_or_default();
        let options = SimpleFileOptions::default()
            .compression_method(zip::CompressionMethod::Deflated)
            .large_file(content.size > u64::from(u32::MAX / 2))
            .last_modified_time(date);
        zip.start_file(path.as_str(), options).map_err(|error| failed(error.into()))?;
        std::io::copy(&mut open(content)?, &mut zip).map_err(failed)?;
    }
    zip.finish().map_err(|error| failed(error.into()))?;
    out.flush().and_then(|()| out.rewind()).map_err(failed)
}

/// A catalog with one family alone, as its file describes it.
fn catalog_of(family: &Family) -> Result<String> {
    let path = &family.from;
    let text = text_of(path, LONGEST_CATALOG).map_err(Error::io("read", path))?;
    let mut document: toml_edit::DocumentMut =
        text.parse().map_err(|error: toml_edit::TomlError| {
            Error::io("read", path)(std::io::Error::other(error))
        })?;
    if let Some(families) = document.get_mut("family").and_then(|it| it.as_array_of_tables_mut()) {
        let id = |table: &toml_edit::Table| {
            table.get("id").and_then(|it| it.as_str().map(str::to_owned))
        };
        families.retain(|table| id(table).is_some_and(|id| same_name(&id, &family.id)));
    }
    Ok(document.to_string())
}
