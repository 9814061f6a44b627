//! Checks of what games have now.

use rayon::prelude::*;

use super::Workshop;
use super::on_disk::OnDisk;
use crate::check::{self, CheckedGame, EntryName};
use crate::error::Result;
use crate::load::{self, Graph, Scene};
use crate::situation::{Known, Situation};
use crate::survey::GameView;

impl Workshop {
    /// Checks some games as they are now, with each of their components; gives what came of each game, in order.
    ///
    /// # Errors
    /// If the home cannot be read.
    pub fn check_games(&self, views: &[GameView]) -> Result<Vec<CheckedGame>> {
        let (words, catalog) = (self.words(), self.catalog());
        let (builds, history) = (self.builds()?, self.history()?);
        let (pins, store, feeds) = (&words.pins, &self.store, self.feeds());
        let known = Known { history: &history, builds: &builds, catalog: &catalog, feeds: &feeds };
        let check_game = |view: &GameView| {
            let window = OnDisk::new(store, view, &[]);
            check::check_present(&Situation::new(view, &known, pins, &window))
        };
        // A single game reads its files in parallel.
        Ok(match views {
            [one] => vec![check_game(one)],
            views => views.par_iter().map(check_game).collect(),
        })
    }

    /// The present loading of a game.
    pub fn loads(&self, view: &GameView) -> Graph {
        let window = OnDisk::new(&self.store, view, &[]);
        load::graph(&Scene::now(view, &window))
    }

    /// The names under which a loader would be loaded by a game, the best first.
    pub fn entry_names(&self, view: &GameView) -> Vec<EntryName> {
        let window = OnDisk::new(&self.store, view, &[]);
        check::entry_names(view, &load::graph(&Scene::now(view, &window)), &window)
    }
}
