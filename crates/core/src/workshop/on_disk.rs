//! The disk and the store, as planners look at them.

use std::cell::{OnceCell, RefCell};
use std::collections::{BTreeMap, HashMap};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use rayon::prelude::*;

use crate::change::{Side, Target};
use crate::content::{Content, Stamp};
use crate::error::{Error, Result};
use crate::path::{TreePath, extension, fold, same_name, stem};
use crate::plan::{LONGEST_SETTINGS, Place};
use crate::rack::Parcel;
use crate::survey::GameView;
use crate::window::{ImageAt, Window};
use crate::workshop::in_use::used_by;
use upright_spanner_change::carrier::{self, Carriers};
use upright_spanner_change::{Moment, Registry, Scope, Store, Territory, Tree};
use upright_spanner_image::{
    Export, Facts, Import, Offer, Version, exports_of, imports_of, offer_of,
};
use upright_spanner_settings::registry::ValueName;

/// A game's folder with the store, and the packages of the builds to fit. Everything is read once: nothing changes
/// while a plan is made.
pub(super) struct OnDisk<'a> {
    root: PathBuf,
    bays: Vec<PathBuf>,
    run_with: Option<Vec<String>>,
    territory: Result<Territory, upright_spanner_change::Error>,
    store: &'a Store,
    parcels: &'a [Parcel],
    /// Where contents are that come from neither.
    sources: BTreeMap<Content, PathBuf>,
    held: RefCell<HashMap<Target, Side>>,
    imports: RefCell<HashMap<PathBuf, Option<Arc<Vec<Import>>>>>,
    offers: RefCell<HashMap<PathBuf, Option<Arc<Offer>>>>,
    /// Every file of the game by its name, once someone asked.
    names: OnceCell<HashMap<String, Vec<TreePath>>>,
}

impl<'a> OnDisk<'a> {
    pub fn new(store: &'a Store, view: &GameView, parcels: &'a [Parcel]) -> Self {
        let root = view.game.root.clone();
        let bays: Vec<PathBuf> = view.game.settings.bays.values().cloned().collect();
        let scope = Scope { root: root.clone(), bays: bays.clone(), ..Scope::default() };

        Self {
            territory: Territory::open(&scope),
            root,
            bays,
            run_with: None,
            store,
            parcels,
            sources: BTreeMap::new(),
            held: RefCell::default(),
            imports: RefCell::default(),
            offers: RefCell::default(),
            names: OnceCell::new(),
        }
    }

    /// Looks at the libraries of a name before anyone asks: they can be read while something else is.
    pub fn ahead(store: &Store, view: &GameView, name: &str) -> HashMap<Target, Side> {
        let window = OnDisk::new(store, view, &[]);
        let named = view
            .libraries
            .iter()
            .filter(|library| !library.put_aside && same_name(library.path.file_name(), name));
        let targets = named.map(|library| Target::File(library.path.clone().into()));
        targets.filter_map(|target| Some((target.clone(), window.look(&target).ok()?))).collect()
    }

    /// The same window to plan what alters the game: through the program that the user named for its prefix, if
    /// programs of that run.
    pub fn for_altering(mut self, view: &GameView) -> Self {
        let command = view.game.settings.run_with.as_ref();
        let runs = |prefix: &PathBuf| used_by(prefix).is_some();
        let is_in_use = command.is_some() && view.game.prefix().as_ref().is_some_and(runs);
        if let Some(command) = command.filter(|_| is_in_use) {
            self.run_with = Some(command.clone());
            let (root, bays) = (self.root.clone(), self.bays.clone());
            let run_with = self.run_with.clone();
            self.territory = Territory::open(&Scope { root, bays, run_with, ..Scope::default() });
        }
        self
    }

    /// The same window with targets that were read already.
    pub fn having_seen(mut self, seen: HashMap<Target, Side>) -> Self {
        self.held.get_mut().extend(seen);
        self
    }

    /// The same window with further contents to be seen.
    pub fn with_sources(mut self, sources: &BTreeMap<Content, PathBuf>) -> Self {
        self.sources.clone_from(sources);
        self
    }

    fn territory(&self) -> Result<&Territory> {
        self.territory
            .as_ref()
            .map_err(|_| Error::io("open", &self.root)(std::io::ErrorKind::NotFound.into()))
    }

    fn unpacked(&self, content: &Content) -> Result<Option<PathBuf>> {
        if let Some(path) = self.sources.get(content) {
            return Ok(Some(path.clone()));
        }
        for parcel in self.parcels {
            if let Some(path) = parcel.file_of(content)? {
                return Ok(Some(path));
            }
        }
        Ok(None)
    }

    /// The file of a build: in the package that it is not yet stored from, else in the store.
    fn path_of(&self, content: &Content) -> Result<PathBuf> {
        match self.unpacked(content)? {
            Some(path) => Ok(path),
            None => Ok(self.store.file(content)?),
        }
    }

    fn file_of(&self, image: ImageAt<'_>) -> Option<PathBuf> {
        match image {
            ImageAt::Game(path) => Some(path.on(&self.root)),
            ImageAt::Stored(content) => self.path_of(content).ok(),
        }
    }

    /// Reads a target through the game's folders, or through another folder with a setting.
    fn within<T>(
        &self,
        place: Option<&Place>,
        look: impl FnOnce(&Territory) -> Result<T>,
    ) -> Result<T> {
        match place.and_then(Place::bay).filter(|bay| !self.bays.iter().any(|own| own == bay)) {
            None => look(self.territory()?),
            Some(bay) => {
                let bays = vec![bay.to_owned()];
                let (root, run_with) = (self.root.clone(), self.run_with.clone());
                let scope = Scope { root, bays, run_with, ..Scope::default() };
                look(&Territory::open(&scope)?)
            }
        }
    }

    fn look(&self, target: &Target) -> Result<Side> {
        self.within(target.place(), |territory| look_in(territory, self.store, target))
    }
}

fn look_in(territory: &Territory, store: &Store, target: &Target) -> Result<Side> {
    let state = carrier::OnDisk::new(territory, store, false).of(target).look(target)?;
    let version = || Facts::read(&territory.path(target.file()?)).ok()?.version();
    let label = state.file().and_then(|_| version()).map(|version| version.to_string());
    Ok(Side { state, label })
}

impl Window for OnDisk<'_> {
    fn read_ahead(&self, importing: &[ImageAt<'_>], offering: &[ImageAt<'_>]) {
        // When games are examined in parallel, each reads its own files.
        if rayon::current_thread_index().is_some() {
            return;
        }
        let files = |images: &[ImageAt<'_>], is_known: &dyn Fn(&PathBuf) -> bool| -> Vec<PathBuf> {
            let files = images.iter().filter_map(|image| self.file_of(*image));
            files.filter(|file| !is_known(file)).collect()
        };
        let importing = files(importing, &|file| self.imports.borrow().contains_key(file));
        let offering = files(offering, &|file| self.offers.borrow().contains_key(file));
        let (imports, offers) = rayon::join(
            || importing.par_iter().map(|file| imports_of(file).ok().map(Arc::new)).collect(),
            || offering.par_iter().map(|file| offer_of(file).ok().map(Arc::new)).collect(),
        );
        let (imports, offers): (Vec<_>, Vec<_>) = (imports, offers);
        self.imports.borrow_mut().extend(importing.into_iter().zip(imports));
        self.offers.borrow_mut().extend(offering.into_iter().zip(offers));
    }

    fn facts(&self, image: ImageAt<'_>) -> Option<Facts> {
        Facts::read(&self.file_of(image)?).ok()
    }

    fn imports(&self, image: ImageAt<'_>) -> Option<Arc<Vec<Import>>> {
        let read = |path: &PathBuf| imports_of(path).ok().map(Arc::new);
        let mut known = self.imports.borrow_mut();
        known.entry(self.file_of(image)?).or_insert_with_key(read).clone()
    }

    fn offer(&self, image: ImageAt<'_>) -> Option<Arc<Offer>> {
        let read = |path: &PathBuf| offer_of(path).ok().map(Arc::new);
        let mut known = self.offers.borrow_mut();
        known.entry(self.file_of(image)?).or_insert_with_key(read).clone()
    }

    fn exports(&self, image: ImageAt<'_>) -> Option<Vec<Export>> {
        exports_of(&self.file_of(image)?).ok()
    }

    fn now(&self, target: &Target) -> Result<Side> {
        if let Some(known) = self.held.borrow().get(target) {
            return Ok(known.clone());
        }
        let side = self.look(target)?;
        self.held.borrow_mut().insert(target.clone(), side.clone());
        Ok(side)
    }

    fn look_ahead(&self, files: &[&Place]) {
        let Ok(territory) = self.territory() else { return };
        let is_own =
            |place: &Place| place.bay().is_none_or(|bay| self.bays.iter().any(|own| own == bay));
        let targets: Vec<Target> = {
            let held = self.held.borrow();
            let own = files.iter().filter(|place| is_own(place));
            own.map(|place| Target::File((*place).clone()))
                .filter(|t| !held.contains_key(t))
                .collect()
        };
        let store = self.store;
        let look = |target: Target| {
            let side = look_in(territory, store, &target).ok()?;
            Some((target, side))
        };
        let seen: Vec<(Target, Side)> = targets.into_par_iter().filter_map(look).collect();
        self.held.borrow_mut().extend(seen);
    }

    fn tree(&self, place: &Place) -> Result<Option<(Tree, String)>> {
        self.within(Some(place), |territory| Ok(carrier::listing(territory, place)?))
    }

    fn at_a_glance(&self, place: &Place) -> Option<(u64, Moment)> {
        let metadata = place.on(&self.root).symlink_metadata().ok()?;
        let stamp = Stamp::of(&metadata);
        metadata.is_file().then_some((metadata.len(), stamp.modified))
    }

    fn is_in_cloud(&self, place: &Place) -> bool {
        is_placeholder(&place.on(&self.root))
    }

    fn bytes(&self, place: &Place) -> Result<Vec<u8>> {
        let read = |territory: &Territory| Ok(territory.bytes(place, LONGEST_SETTINGS)?);
        self.within(Some(place), read)
    }

    fn spelled(&self, place: Place) -> Place {
        let spelled = self.within(Some(&place), |territory| Ok(territory.spelled(&place)?));
        spelled.unwrap_or(place)
    }

    fn missing_folders(&self, place: &Place) -> Result<Vec<Place>> {
        if place.bay().is_some_and(|bay| !bay.exists()) {
            let mut folders = place.folders();
            folders.reverse();
            return Ok(folders);
        }
        self.within(Some(place), |territory| Ok(territory.missing_folders(place)?))
    }

    fn folders_in(&self, folder: &Path) -> Vec<PathBuf> {
        let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
        let folders = entries.filter(|entry| entry.file_type().is_ok_and(|kind| kind.is_dir()));
        folders.map(|entry| entry.path()).collect()
    }

    fn files_below(&self, folder: &Path, most: usize) -> Vec<PathBuf> {
        let mut walk = ignore::WalkBuilder::new(folder);
        walk.standard_filters(false).follow_links(false);
        let is_file =
            |entry: &ignore::DirEntry| entry.file_type().is_some_and(|kind| kind.is_file());
        let files = walk.build().flatten().filter(is_file);
        files.map(ignore::DirEntry::into_path).take(most).collect()
    }

    fn entries(&self, folder: &Place) -> Result<(Vec<Place>, usize)> {
        self.within(Some(folder), |territory| Ok(territory.entries(folder)?))
    }

    fn named(&self, name: &str) -> Result<Vec<TreePath>> {
        let names = self.names.get_or_init(|| files_by_name(&self.root));
        let exact = names.get(&fold(name));
        let found = exact.or_else(|| names.get(&without_version(name)?));
        Ok(found.cloned().unwrap_or_default())
    }

    fn home(&self) -> PathBuf {
        self.store.folder().parent().unwrap_or(Path::new("")).to_owned()
    }

    fn values_below(&self, registry: &Registry, key: &str, most: usize) -> Result<Vec<ValueName>> {
        let place = match registry {
            Registry::Windows => None,
            Registry::Prefix(place) => Some(place),
        };
        self.within(place, |territory| Ok(carrier::values_below(territory, registry, key, most)?))
    }

    fn has(&self, content: &Content) -> bool {
        self.path_of(content).is_ok()
    }

    fn stored(&self, content: &Content) -> Result<Vec<u8>> {
        match self.unpacked(content)? {
            Some(path) => std::fs::read(&path).map_err(Error::io("read", &path)),
            None => Ok(self.store.bytes(content)?),
        }
    }
}

/// Whether a file's content is stored elsewhere, and fetched when it is read.
#[cfg(windows)]
fn is_placeholder(path: &Path) -> bool {
    use std::os::windows::fs::MetadataExt;
    const OFFLINE: u32 = 0x1000;
    const RECALL_ON_OPEN: u32 = 0x4_0000;
    const RECALL_ON_READ: u32 = 0x40_0000;
    let found = path.symlink_metadata();
    found.is_ok_and(|found| {
        found.file_attributes() & (OFFLINE | RECALL_ON_OPEN | RECALL_ON_READ) != 0
    })
}

#[cfg(not(windows))]
fn is_placeholder(_: &Path) -> bool {
    false
}

/// A name with a sign that no name has for the version in it, so that those of two releases are alike; nothing if it
/// has none.
fn without_version(name: &str) -> Option<String> {
    let (before, _) = Version::find_in(stem(name), 2)?;
    (!before.is_empty()).then(|| fold(&format!("{before}*.{}", extension(name))))
}

/// Every file below a folder by its name, and by its name but for the version. Links are not followed, and what cannot be looked into is passed over.
fn files_by_name(root: &Path) -> HashMap<String, Vec<TreePath>> {
    let mut names: HashMap<String, Vec<TreePath>> = HashMap::new();
    let mut walk = ignore::WalkBuilder::new(root);
    walk.standard_filters(false).follow_links(false);
    let is_file = |entry: &ignore::DirEntry| entry.file_type().is_some_and(|kind| kind.is_file());
    for entry in walk.build().flatten().filter(is_file) {
        if let Ok(path) = TreePath::below(root, entry.path()) {
            if let Some(name) = without_version(path.file_name()) {
                names.entry(name).or_default().push(path.clone());
            }
            names.entry(fold(path.file_name())).or_default().push(path);
        }
    }
    for paths in names.values_mut() {
        paths.sort();
    }
    names
}
