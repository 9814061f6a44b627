//! The rack: adding, reading and removing builds.

use std::collections::{BTreeMap, BTreeSet};
use std::fs::{self, File};
#[cfg(windows)]
use std::io::Read;
use std::path::Path;

use rayon::prelude::*;

use super::{Altering, Workshop};
use crate::content::{Content, Digest, sha256};
use crate::error::{Error, RackError, Result};
use crate::path::followed;
use crate::path::same_name;
use crate::plan::Ledger;
use crate::rack::RegistryFile;
use crate::rack::{
    self, Build, BuildId, PackageContext, PackageOptions, Parcel, Sorted, Statement, distinctive,
};
use crate::settings::Settings;
use crate::survey::GameView;
use upright_spanner_change::Progress;
use upright_spanner_image::{Requirement, Version};

/// The result of adding a build to the rack.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Added {
    /// It is on the rack now.
    New,
    /// It was there already; nothing was changed.
    Known,
}

/// The result of adding a package to the rack.
#[derive(Debug)]
pub struct Addition {
    /// Its builds.
    pub builds: Vec<(Build, Added)>,
    /// Each of its files, with its kind.
    pub sorted: Vec<Sorted>,
    /// The products that it was split into.
    pub products: Vec<String>,
    /// The supported versions of the game, as stated in one of its texts.
    pub proposal: Option<Statement>,
    /// Its download address, as the browser marked it.
    pub origin: Option<String>,
    /// The feed that knows it.
    pub feed: Option<String>,
}

/// The change log of a build since another version.
#[derive(Debug, Clone)]
pub struct ChangesSince {
    /// The version that a game has.
    pub from: Version,
    /// The sections about later versions: the text's name, and the section.
    pub texts: Vec<(String, String)>,
}

/// A damaged content of a build.
#[derive(Debug, Clone)]
pub struct DamagedContent {
    /// The build.
    pub build: String,
    /// The file of the build.
    pub file: String,
}

/// Builds that are being put on the rack.
pub(super) struct Shelving {
    /// All of them, as they will be there.
    pub builds: Vec<(Build, Added)>,
    /// Those of which the label says so far only that they will be.
    announced: Vec<Build>,
}

impl Workshop {
    /// The `.reg` files of a build, with their values.
    pub fn registry_files(&self, build: &Build) -> Vec<RegistryFile> {
        rack::registry_files(build, |content| self.store.bytes(content).ok())
    }
}

impl Workshop {
    /// One version of a family in all its variants, or in the one that a text names.
    ///
    /// # Errors
    /// [`RackError::Unknown`] if none has that name.
    pub fn variants(&self, text: &str) -> Result<Vec<Build>> {
        let builds = self.builds()?;
        Ok(rack::find_variants(&builds, text)?.into_iter().cloned().collect())
    }

    /// The SHA-256 of a build's library, to compare with what its author published.
    ///
    /// # Errors
    /// If the stored file cannot be read.
    pub fn sha256_of(&self, build: &Build) -> Result<Digest> {
        let path = self.store.file(&build.file.content)?;
        sha256(&path).map(|(digest, _)| digest).map_err(Error::io("read", &path))
    }

    pub(super) fn open_parcel(
        &self,
        path: &Path,
        options: &PackageOptions,
        progress: &dyn Progress,
    ) -> Result<Parcel> {
        Parcel::open(&followed(path), options, &self.package_context()?, progress)
    }

    pub(super) fn package_context(&self) -> Result<PackageContext> {
        let maker = |build: &Build| build.string("CompanyName").map(str::to_owned);
        let shelf = self.shelf()?;
        let families = shelf.builds.iter();
        Ok(PackageContext {
            catalog: self.catalog(),
            remembered: self.layouts()?,
            families: families.map(|build| (build.id.family.clone(), maker(build))).collect(),
            limits: Settings::read(&self.home)?.limits,
            scratch: self.scratch(),
        })
    }

    /// Which games have a build in place now, by the content of its library.
    ///
    /// # Errors
    /// If the journal's folder cannot be read.
    pub fn users_of_builds(&self) -> Result<BTreeMap<Content, BTreeSet<String>>> {
        let history = self.history()?;
        let mut users: BTreeMap<Content, BTreeSet<String>> = BTreeMap::new();
        let games: BTreeMap<_, _> =
            history.changes.iter().map(|change| (change.root(), change.game())).collect();
        for (root, game) in games {
            let ledger = Ledger::of(root, history.around(root));
            let held = ledger.files().map(|(_, entry)| entry).filter(|entry| entry.in_force());
            for content in held.filter_map(|entry| entry.last.state.content()) {
                users.entry(content).or_default().insert(game.to_owned());
            }
        }

        Ok(users)
    }

    /// The change log of a build since the version in a game.
    ///
    /// # Errors
    /// If a stored text cannot be read.
    pub fn changes_since(&self, build: &Build, view: &GameView) -> Result<Option<ChangesSince>> {
        let in_game = view.libraries.iter().filter(|library| !library.put_aside);
        let versions = in_game
            .filter(|library| same_name(&library.family, &build.id.family))
            .filter_map(|library| library.facts.version());
        let Some((from, to)) = versions.min().zip(build.version.clone()) else {
            return Ok(None);
        };
        let sections = self.notes(build)?.into_iter().filter_map(|(name, text)| {
            Some((name, rack::since(&rack::decoded(&text), &from, &to)?))
        });
        let texts: Vec<(String, String)> = sections.collect();
        Ok(Some(ChangesSince { from, texts }))
    }

    /// The texts that came with a build: name and content.
    ///
    /// # Errors
    /// If a stored text cannot be read.
    pub fn notes(&self, build: &Build) -> Result<Vec<(String, Vec<u8>)>> {
        let read = |note: &rack::Note| Ok((note.name.clone(), self.store.bytes(&note.content)?));
        build.notes.iter().map(read).collect()
    }

    /// Reads every stored byte of the rack and verifies it.
    ///
    /// # Errors
    /// If the labels of the rack cannot be read.
    pub fn verify_rack(&self, progress: &dyn Progress) -> Result<Vec<DamagedContent>> {
        let shelf = self.shelf()?;
        let files: Vec<(String, String, Content)> = shelf
            .builds
            .iter()
            .flat_map(|build| {
                let id = build.id.to_string();
                let note_id = id.clone();
                let files = build.files().map(move |f| (id.clone(), f.path.to_string(), f.content));
                let notes = build.notes.iter();
                let notes =
                    notes.map(move |note| (note_id.clone(), note.name.clone(), note.content));
                files.chain(notes)
            })
            .collect();

        let store = &self.store;
        progress.begin("reading the rack", Some(files.len() as u64));
        let damaged = files
            .into_par_iter()
            .filter_map(|(build, file, content)| {
                let whole = store.is_whole(&content);
                progress.advance(1);
                (!whole).then_some(DamagedContent { build, file })
            })
            .collect();

        progress.end();
        Ok(damaged)
    }
}

impl Altering<'_> {
    /// Adds the package at `path` to the rack: a library, a folder, a zip or a 7z. Everything that belongs together
    /// becomes a build, in each variant.
    ///
    /// The user's family, version and layout override the files' statements, and a named family is learned. A layout
    /// is remembered for the family's next version.
    ///
    /// # Errors
    /// If it cannot be read, is refused, or the home cannot be written to.
    pub fn add_to_rack(
        &self,
        path: &Path,
        options: &PackageOptions,
        progress: &dyn Progress,
    ) -> Result<Addition> {
        let workshop = self.workshop();
        let told = workshop.told_of(path);
        let stated = options.version.clone();
        let version = stated.or_else(|| told.as_ref().and_then(|told| told.version.clone()));
        let options = &PackageOptions { version, ..options.clone() };
        let mut parcel = workshop.open_parcel(path, options, progress)?;
        if let Some(told) = &told {
            told.tell(&mut parcel, &workshop.scratch())?;
        }
        if let Some(layout) = &options.layout {
            workshop.remember_layout(&parcel, &layout.layout)?;
        }
        if let Some(family) = &options.family {
            workshop.learn_family_of(&parcel, family)?;
        }

        let builds = self.shelve(&parcel)?;
        if let Some(layout) = &options.layout {
            self.lay_out_family(&layout.layout.family)?;
        }
        let (proposal, origin) = (proposal(&parcel), origin_mark(path));
        let Parcel { sorted, products, .. } = parcel;
        let feed = told.map(|told| told.feed);
        Ok(Addition { builds, sorted, products, proposal, origin, feed })
    }

    /// Notes which versions of the game some builds support.
    ///
    /// # Errors
    /// If a label cannot be written.
    pub fn set_supports(&self, builds: &[BuildId], supports: &Requirement) -> Result<()> {
        for mut build in self.workshop().shelf()?.builds.clone() {
            if builds.contains(&build.id) {
                build.supports = Some(supports.clone());
                self.workshop().labels.replace(&build.id.clone(), &build)?;
            }
        }
        Ok(())
    }

    /// Gives each build of a family that is on the rack the places that the remembered layout says.
    fn lay_out_family(&self, family: &str) -> Result<()> {
        let workshop = self.workshop();
        let layouts = workshop.remembered_layouts()?;
        let Some(layout) = layouts.iter().find(|layout| layout.family == family) else {
            return Ok(());
        };
        for build in workshop.shelf()?.builds.iter().filter(|b| b.id.family == family) {
            let mut new = build.clone();
            layout.lay_out(&mut new);
            if new != *build {
                workshop.labels.replace(&build.id, &new)?;
            }
        }
        Ok(())
    }

    /// Puts the builds of a parcel on the rack: the label of each before its contents.
    pub(super) fn shelve(&self, parcel: &Parcel) -> Result<Vec<(Build, Added)>> {
        let shelving = self.announce(parcel)?;
        self.store(parcel)?;
        self.arrive(&shelving)?;
        Ok(shelving.builds)
    }

    /// Writes the labels of builds of which the contents are about to be stored.
    pub(super) fn announce(&self, parcel: &Parcel) -> Result<Shelving> {
        let labels = &self.workshop().labels;
        let mut known = self.workshop().shelf()?.builds.clone();
        let mut out = Vec::new();
        let mut announced = Vec::new();

        for build in &parcel.builds {
            let content = build.file.content;
            let same = |other: &Build| {
                other.file.content == content && same_name(&other.id.family, &build.id.family)
            };
            if let Some(there) = known.iter_mut().find(|other| same(other)) {
                let old = there.clone();
                there.layout.clone_from(&build.layout);
                there.parts.clone_from(&build.parts);
                if build.told.is_some() {
                    there.told.clone_from(&build.told);
                    there.notes.clone_from(&build.notes);
                }
                if there.version.is_none() && build.version.is_some() {
                    there.version.clone_from(&build.version);
                    there.id.version.clone_from(&build.id.version);
                }
                if *there != old {
                    labels.replace(&old.id, there)?;
                }
                let (id, supports) = (there.id.clone(), there.supports.clone());
                let added = there.added;
                out.push((Build { id, supports, added, ..build.clone() }, Added::Known));
                continue;
            }
            let mut build = build.clone();
            if let Some(other) = known.iter_mut().find(|other| other.id == build.id) {
                self.tell_apart(&mut build, other)?;
            }
            labels.announce(&build)?;
            announced.push(build.clone());
            known.push(build.clone());
            out.push((build, Added::New));
        }

        Ok(Shelving { builds: out, announced })
    }

    /// Gives two builds of one name variants: the words by which the names of their packages differ, else the start
    /// of a digest.
    fn tell_apart(&self, new: &mut Build, other: &mut Build) -> Result<()> {
        let (own, theirs) = (&new.source.name, &other.source.name);
        let words = distinctive(own, theirs, &new.id.family);
        let theirs = distinctive(theirs, own, &new.id.family);
        let joined = |variant: Option<&String>, word: String| match variant {
            Some(variant) => format!("{variant}-{word}"),
            None => word,
        };
        if let Some(word) = theirs {
            let old = other.id.clone();
            other.id.variant = Some(joined(old.variant.as_ref(), word));
            self.workshop().labels.replace(&old, other)?;
        }
        if let Some(word) = words {
            new.id.variant = Some(joined(new.id.variant.as_ref(), word));
        }
        if new.id == other.id {
            let digest = new.file.content.blake3.short();
            new.id.variant = Some(joined(new.id.variant.as_ref(), digest));
        }
        Ok(())
    }

    /// Stores the contents of a parcel, even known ones: that repairs a damaged copy.
    pub(super) fn store(&self, parcel: &Parcel) -> Result<()> {
        let store = &self.workshop().store;
        parcel.contents()?.into_par_iter().try_for_each(|(path, content)| {
            let file = File::open(&path).map_err(Error::io("read", &path))?;
            store.keep(&file, &content, &path).map_err(Error::from)
        })
    }

    /// Notes that the contents of builds are stored.
    pub(super) fn arrive(&self, shelving: &Shelving) -> Result<()> {
        shelving.announced.iter().try_for_each(|build| self.workshop().labels.arrived(build))
    }

    /// Takes a build off the rack, in all its variants or in the one that is named. Refused while a game has it or
    /// could be rolled back to it, unless `anyway`; content that anything else needs stays in the store, and all of
    /// it if it is not sure what else does.
    ///
    /// # Errors
    /// [`RackError::Needed`] if it is refused.
    pub fn drop_build(&self, text: &str, anyway: bool) -> Result<Vec<Build>> {
        let workshop = self.workshop();
        let shelf = workshop.shelf()?;
        let going: Vec<Build> =
            rack::find_variants(&shelf.builds, text)?.into_iter().cloned().collect();
        let history = workshop.history()?;
        let mut needed: BTreeSet<Content> = BTreeSet::new();
        let mut users = BTreeSet::new();

        for change in &history.changes {
            for content in change.contents() {
                needed.insert(content);
                if going.iter().any(|build| build.file.content == content) {
                    users.insert(format!("change {} of {}", change.number(), change.game()));
                }
            }
        }

        if !users.is_empty() && !anyway {
            let (users, build) = (users.into_iter().collect(), text.to_owned());
            let build = going.first().map_or(build, |build| build.id.release());
            return Err(Error::Rack(RackError::Needed { build, users }));
        }
        let stays = |build: &&Build| going.iter().all(|other| other.id != build.id);
        needed.extend(shelf.builds.iter().filter(stays).flat_map(Build::contents));
        needed.extend(shelf.passing.iter().flat_map(|label| label.contents.iter().copied()));

        let is_sure = history.faults.is_empty() && shelf.faults.is_empty();
        for build in &going {
            workshop.labels.dismiss(&build.id)?;
        }
        let contents: BTreeSet<Content> = going.iter().flat_map(Build::contents).collect();
        for content in contents.iter().filter(|content| is_sure && !needed.contains(content)) {
            workshop.store.drop_content(content)?;
        }
        // If it is not sure, the labels stay: they say that the contents were a build's.
        for build in going.iter().filter(|_| is_sure) {
            workshop.labels.remove(&workshop.labels.path_of(&build.id))?;
        }
        Ok(going)
    }
}

/// The address of a download, as the browser marked it. Stored and fitted files do not have the mark.
fn origin_mark(path: &Path) -> Option<String> {
    /// Longer than any address that a browser notes.
    const LONGEST: u64 = 16 << 10;
    #[cfg(windows)]
    {
        let mut stream = path.as_os_str().to_owned();
        stream.push(":Zone.Identifier");
        let mut text = String::new();
        File::open(stream).ok()?.take(LONGEST).read_to_string(&mut text).ok()?;
        let host = text.lines().find_map(|line| line.strip_prefix("HostUrl="));
        Some(host.unwrap_or("the internet").to_owned())
    }

    #[cfg(target_os = "linux")]
    {
        let mut value = vec![0; LONGEST as usize];
        let size = rustix::fs::getxattr(path, "user.xdg.origin.url", &mut value[..]).ok()?;
        value.truncate(size);
        String::from_utf8(value).ok()
    }

    #[cfg(not(any(windows, target_os = "linux")))]
    {
        let _ = (path, LONGEST);
        None
    }
}

/// Looks for a line in the texts of a package that says which versions of the game it is for.
fn proposal(parcel: &Parcel) -> Option<Statement> {
    let notes = parcel.builds.first()?.notes.iter();
    let mut texts = notes.filter_map(|note| fs::read(parcel.file_of(&note.content).ok()??).ok());
    texts.find_map(|text| rack::stated_support(&rack::decoded(&text)))
}
