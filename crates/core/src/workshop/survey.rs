//! Surveys: the games below some paths, and the components in each.

use std::path::PathBuf;

use super::Workshop;
use crate::error::Result;
use crate::path::canonical;
use crate::rack::RackIndex;
use crate::survey::{self, Filter, Knowledge, LookError, NamedFile, Survey};
use upright_spanner_change::Progress;

impl Workshop {
    /// Surveys everything below some paths. It writes to nothing but the cache of facts, and reads no file
    /// of a game that the filter does not keep; what else the filter says is left to [`Filter::apply`].
    ///
    /// # Errors
    /// If the home cannot be read.
    pub fn survey(
        &self,
        paths: &[PathBuf],
        filter: &Filter,
        progress: &dyn Progress,
    ) -> Result<Survey> {
        let (words, catalog) = (self.words(), self.catalog());
        let (builds, history) = (self.builds()?, self.history()?);
        let (proofs, feeds) = (self.proofs(), self.feeds());
        let folders: Vec<PathBuf> = paths.iter().filter_map(|path| canonical(path).ok()).collect();
        let records = self.launcher_records(&folders);
        let mut knowledge = Knowledge {
            games: self.known_games()?,
            library_roots: &words.roots,
            rack: RackIndex::new(&builds),
            history: &history,
            catalog: &catalog,
            feeds: &feeds,
            pins: &words.pins,
            proofs: &proofs,
            records: &records,
        };
        let mut found = survey::survey(paths, filter, &mut knowledge, &self.database, progress)?;
        found.errors.extend(self.launchers().errors.iter().map(LookError::from));
        Ok(found)
    }

    /// Every file below some paths that the filter seeks by its name, in games or not.
    pub fn files_named(
        &self,
        paths: &[PathBuf],
        filter: &Filter,
        progress: &dyn Progress,
    ) -> Vec<NamedFile> {
        let paths: Vec<PathBuf> = paths.iter().filter_map(|path| canonical(path).ok()).collect();
        let sought = filter.sought().map(|pattern| survey::named(&paths, pattern, progress));
        sought.unwrap_or_default()
    }

    /// Remembers the games that a survey found, so that they can be named by their ids; in the index
    /// alone.
    ///
    /// # Errors
    /// If the home cannot be read.
    pub fn remember(&self, survey: &Survey) -> Result<()> {
        let known = self.known_games()?;
        for view in survey.games.iter().filter(|view| known.at(&view.game.root).is_none()) {
            let game = &view.game;
            self.database.remember(&game.id, &game.title, &game.root);
        }
        Ok(())
    }
}
