//! Reads the home's files and hands them out.

use std::sync::Arc;

use super::Workshop;
use super::on_disk::OnDisk;
use crate::catalog::Catalog;
use crate::content::Content;
use crate::error::Result;
use crate::history::History;
use crate::rack::Build;
use crate::situation::{Known, Situation};
use crate::state::{Shelf, Words};
use crate::survey::GameView;
use upright_spanner_change::Marks;
use upright_spanner_image::Facts;

impl Workshop {
    /// The user's settings, empty if they cannot be read; [`Workshop::words_fault`] has the reason.
    pub(super) fn words(&self) -> Arc<Words> {
        let read = || Ok(self.words.read().unwrap_or_default());
        self.records.words.get_or_read(read).unwrap_or_default()
    }

    /// Fails if the user's settings cannot be read: a plan could break a pin. Going back needs no pins.
    pub(super) fn expect_words(&self) -> Result<()> {
        self.words.read().map(drop)
    }

    /// The families that the catalog files of the home folder describe.
    pub(super) fn own_catalog(&self) -> Arc<Catalog> {
        let read = || Ok(Catalog::read_folder(&self.home.join("catalog")));
        self.records.own_catalog.get_or_read(read).unwrap_or_default()
    }

    /// The families that the catalog files of the home folder describe, and behind them those of feeds.
    pub fn catalog(&self) -> Arc<Catalog> {
        let read = || {
            let own = self.own_catalog();
            Ok(Catalog::clone(&own).completed_by(self.feeds().families()))
        };
        self.records.catalog.get_or_read(read).unwrap_or_default()
    }

    /// The rack's labels.
    pub(super) fn shelf(&self) -> Result<Arc<Shelf>> {
        self.records.shelf.get_or_read(|| self.read_shelf())
    }

    /// The rack's labels.
    fn read_shelf(&self) -> Result<Shelf> {
        let facts = |content: &Content| self.facts_of(content);
        self.labels.read(facts, |content| self.store.has(content))
    }

    /// The facts of a stored image, read once and kept in the index.
    fn facts_of(&self, content: &Content) -> Option<Facts> {
        self.database.image(content).or_else(|| {
            let facts = Facts::read(&self.store.file(content).ok()?).ok()?;
            self.database.keep_image(content, &facts);
            Some(facts)
        })
    }

    /// The builds on the rack, in the order of addition. Their supported versions come from the user, otherwise from
    /// the user's catalog, otherwise from a feed.
    ///
    /// # Errors
    /// If the rack's folder cannot be read.
    pub fn builds(&self) -> Result<Arc<Vec<Build>>> {
        self.records.builds.get_or_read(|| {
            let mut builds = self.shelf()?.builds.clone();
            let (own, all, feeds) = (self.own_catalog(), self.catalog(), self.feeds());
            for build in builds.iter_mut().filter(|build| build.supports.is_none()) {
                let by = |catalog: &Catalog| {
                    let family = catalog.family(&build.id.family)?;
                    family.supported(build.version.as_ref()?).cloned()
                };
                let told = || feeds.supported(build).or_else(|| build.told.clone());
                build.supports = by(&own).or_else(told).or_else(|| by(&all));
            }
            Ok(builds)
        })
    }

    /// Every change of every game. One that cannot be understood is among the faults, and so is a file
    /// of which not everything could be read.
    ///
    /// # Errors
    /// If the journal's folder cannot be read.
    pub fn history(&self) -> Result<Arc<History>> {
        self.records.history.get_or_read(|| self.read_history())
    }

    /// How the journal's files are.
    pub(super) fn marks(&self) -> Result<Arc<Marks>> {
        self.records.marks.get_or_read(|| Ok(self.journal.marks()?))
    }

    /// Reads everything again when it is next asked for, as one who watches has to.
    pub fn refresh(&self) {
        self.records.forget();
    }

    /// Decides something about a game, with all known facts.
    pub(super) fn decide<T>(
        &self,
        view: &GameView,
        decide: impl FnOnce(&Situation<'_>) -> Result<T>,
    ) -> Result<T> {
        let window = OnDisk::new(&self.store, view, &[]);
        self.decide_with(view, &window, decide)
    }

    /// The same for a plan: if programs of the game's prefix run, its registry is in their memory, and is read
    /// through the command that the user named.
    pub(super) fn decide_change<T>(
        &self,
        view: &GameView,
        decide: impl FnOnce(&Situation<'_>) -> Result<T>,
    ) -> Result<T> {
        let window = OnDisk::new(&self.store, view, &[]).for_altering(view);
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
        let feeds = self.feeds();
        let known = Known { history: &history, builds: &builds, catalog: &catalog, feeds: &feeds };
        let situation = Situation::new(view, &known, &words.pins, window);
        decide(&situation)
    }
}
