//! Everything there is to decide about one game: read once, and passed to planners and checks.

use std::borrow::Cow;
use std::cell::OnceCell;
use std::collections::HashSet;

use crate::catalog::Catalog;
use crate::change::{Change, Owner};
use crate::feed::Feeds;
use crate::game::{Game, Pin};
use crate::history::History;
use crate::ledger::Ledger;
use crate::load::{Graph, Scene, graph};
use crate::path::fold;
use crate::rack::{Build, Placement, Policy, is_settings_name};
use crate::survey::GameView;
use crate::window::Window;
use upright_spanner_change::Place;
use upright_spanner_image::Version;

/// The home's data that is not about one game.
pub(crate) struct Known<'a> {
    pub history: &'a History,
    /// The builds on the rack.
    pub builds: &'a [Build],
    pub catalog: &'a Catalog,
    pub feeds: &'a Feeds,
}

/// A game with all known facts.
pub(crate) struct Situation<'a> {
    /// The survey's result.
    pub view: &'a GameView,
    /// The changes that touched its folder, or were made for it, oldest first.
    pub changes: Vec<&'a Change>,
    /// What these did to each target.
    pub ledger: Ledger,
    /// The builds on the rack.
    pub builds: &'a [Build],
    /// The user's catalog, and the one beside the game.
    pub catalog: Cow<'a, Catalog>,
    /// The feeds' builds and statements.
    pub feeds: &'a Feeds,
    /// The pins of this game.
    pub pins: Vec<&'a Pin>,
    /// The disk and the store.
    pub window: &'a dyn Window,
    /// The present loading of the game, computed on first use.
    loads: OnceCell<Graph>,
    /// Families, each with the name of a file of its builds that stays the user's: likewise.
    kept: OnceCell<HashSet<(String, String)>>,
}

impl<'a> Situation<'a> {
    /// Selects the data about one game.
    pub fn new(
        view: &'a GameView,
        known: &Known<'a>,
        pins: &'a [Pin],
        window: &'a dyn Window,
    ) -> Self {
        let Known { history, builds, catalog, feeds } = *known;
        let root = &view.game.root;
        let changes = history.around(root);
        let ledger = Ledger::of(root, changes.iter().copied());
        let pins = pins.iter().filter(|pin| pin.game == view.game.id).collect();
        Self {
            view,
            changes,
            ledger,
            builds,
            catalog: catalog.beside(root),
            feeds,
            pins,
            window,
            loads: OnceCell::new(),
            kept: OnceCell::new(),
        }
    }

    /// The game.
    pub fn game(&self) -> &'a Game {
        &self.view.game
    }

    /// Whether a file of an owner is the user's own from the day on that it came: settings, by its name or since a
    /// build's layout says that the user's stay.
    pub fn is_users(&self, place: &Place, owner: &Owner) -> bool {
        let name = place.path().file_name();
        let stays = |place: &&Placement| matches!(place.policy, Policy::Keep | Policy::Merge);
        let kept = self.kept.get_or_init(|| {
            let of_build = |build: &'a Build| {
                let places = build.layout.places.iter().filter(stays);
                places.map(|place| (fold(&build.id.family), fold(place.to.file_name())))
            };
            self.builds.iter().flat_map(of_build).collect()
        });
        is_settings_name(name)
            || owner.family().is_some_and(|family| kept.contains(&(fold(family), fold(name))))
    }

    /// The images to load.
    pub fn scene(&self) -> Scene<'a> {
        Scene::now(self.view, self.window)
    }

    /// The present loading of the game.
    pub fn loads(&self) -> &Graph {
        self.loads.get_or_init(|| graph(&self.scene()))
    }

    /// The version of the game.
    pub fn game_version(&self) -> Option<&'a Version> {
        self.view.version.as_ref().and_then(|known| known.version.as_ref())
    }
}
