//! Checks of what games have now.

use rayon::prelude::*;

use super::Workshop;
use super::on_disk::OnDisk;
use crate::check::{self, CheckedFamily, EntryName};
use crate::error::Result;
use crate::situation::Situation;
use crate::survey::GameView;

impl Workshop {
    /// Checks each component of some games as it is now; gives what came of each game, in order.
    ///
    /// # Errors
    /// Where the home cannot be read.
    pub fn check_games(&self, views: &[GameView]) -> Result<Vec<Vec<CheckedFamily>>> {
        let (words, catalog) = (self.words(), self.catalog());
        let (builds, history) = (self.builds()?, self.history()?);
        let (pins, store) = (&words.pins, &self.store);
        let check_game = |view: &GameView| {
            let window = OnDisk::new(store, view, None);
            check::check_present(&Situation::new(view, &history, &builds, &catalog, pins, &window))
        };
        Ok(views.par_iter().map(check_game).collect())
    }

    /// The names under which a loader would be loaded by a game, the best first.
    pub fn entry_names(&self, view: &GameView) -> Vec<EntryName> {
        check::entry_names(view, &OnDisk::new(&self.store, view, None))
    }
}
