//! What the home's files say, read when it is first asked for and once a command.
//!
//! A process that alters something forgets it and reads again. What another process does meanwhile is
//! met by what each step expects to find.

use std::cell::RefCell;
use std::sync::Arc;

use super::{OnDisk, Workshop};
use crate::catalog::Catalog;
use crate::error::Result;
use crate::history::History;
use crate::rack::Build;
use crate::situation::Situation;
use crate::state::{Shelf, Words};
use crate::survey::GameView;

/// What was read so far.
#[derive(Debug, Default)]
pub(super) struct Records {
    words: Kept<Words>,
    catalog: Kept<Catalog>,
    shelf: Kept<Shelf>,
    builds: Kept<Vec<Build>>,
    history: Kept<History>,
}

/// Something that is read once.
#[derive(Debug)]
struct Kept<T>(RefCell<Option<Arc<T>>>);

impl<T> Default for Kept<T> {
    fn default() -> Self {
        Self(RefCell::new(None))
    }
}

impl<T> Kept<T> {
    fn get_or_read(&self, read: impl FnOnce() -> Result<T>) -> Result<Arc<T>> {
        if let Some(known) = &*self.0.borrow() {
            return Ok(known.clone());
        }
        let fresh = Arc::new(read()?);
        *self.0.borrow_mut() = Some(fresh.clone());
        Ok(fresh)
    }

    fn forget(&self) {
        *self.0.borrow_mut() = None;
    }
}

impl Workshop {
    /// What the user said, as far as it can be read; [`Workshop::words_fault`] says what cannot.
    pub(super) fn words(&self) -> Arc<Words> {
        let read = || Ok(self.words.read().unwrap_or_default());
        self.records.words.get_or_read(read).unwrap_or_default()
    }

    /// The families that the catalog files of the home folder describe.
    pub fn catalog(&self) -> Arc<Catalog> {
        let read = || Ok(Catalog::read_folder(&self.home.join("catalog")));
        self.records.catalog.get_or_read(read).unwrap_or_default()
    }

    /// What the labels of the rack say.
    pub(super) fn shelf(&self) -> Result<Arc<Shelf>> {
        self.records.shelf.get_or_read(|| self.read_shelf())
    }

    /// The builds on the rack, in the order in which they were added. Which versions of the game they
    /// support is what the user says, else what the catalog does.
    ///
    /// # Errors
    /// Where the rack's folder cannot be read.
    pub fn builds(&self) -> Result<Arc<Vec<Build>>> {
        self.records.builds.get_or_read(|| {
            let mut builds = self.shelf()?.builds.clone();
            let catalog = self.catalog();
            for build in builds.iter_mut().filter(|build| build.supports.is_none()) {
                let family = catalog.family(&build.id.family);
                let version = build.version.as_ref();
                let known = family.zip(version).and_then(|(family, v)| family.supported(v));
                build.supports = known.cloned();
            }
            Ok(builds)
        })
    }

    /// Every change of every game. One that cannot be understood is among the faults, and so is a file
    /// of which not everything could be read.
    ///
    /// # Errors
    /// Where the journal's folder cannot be read.
    pub fn history(&self) -> Result<Arc<History>> {
        self.records.history.get_or_read(|| self.read_history())
    }

    /// Reads everything again when it is next asked for, as one who watches has to.
    pub fn refresh(&self) {
        let Records { words, catalog, shelf, builds, history } = &self.records;
        words.forget();
        catalog.forget();
        shelf.forget();
        builds.forget();
        history.forget();
    }

    /// Decides something about a game, with all that is known of it.
    pub(super) fn decide<T>(
        &self,
        view: &GameView,
        decide: impl FnOnce(&Situation<'_>) -> Result<T>,
    ) -> Result<T> {
        let window = OnDisk::new(&self.store, view, None);
        self.decide_with(view, &window, decide)
    }

    /// The same, with a window through which more can be seen.
    pub(super) fn decide_with<T>(
        &self,
        view: &GameView,
        window: &OnDisk<'_>,
        decide: impl FnOnce(&Situation<'_>) -> Result<T>,
    ) -> Result<T> {
        let (words, catalog) = (self.words(), self.catalog());
        let (builds, history) = (self.builds()?, self.history()?);
        let situation = Situation::new(view, &history, &builds, &catalog, &words.pins, window);
        decide(&situation)
    }
}
