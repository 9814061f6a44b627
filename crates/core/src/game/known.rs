//! The known games, by id and by folder.

use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};

use super::game::Game;

/// Games of one home, each with an id and its own folder.
#[derive(Debug, Clone, Default)]
pub(crate) struct KnownGames {
    games: Vec<Game>,
    by_root: HashMap<PathBuf, usize>,
    ids: HashSet<String>,
}

impl KnownGames {
    /// Adds a game, unless its id or its folder is known already.
    pub fn add(&mut self, game: Game) {
        if self.has(&game.id, &game.root) {
            return;
        }
        self.ids.insert(game.id.clone());
        self.by_root.insert(game.root.clone(), self.games.len());
        self.games.push(game);
    }

    /// Whether a game with this id or folder exists.
    pub fn has(&self, id: &str, root: &Path) -> bool {
        self.ids.contains(id) || self.by_root.contains_key(root)
    }

    /// The game in a folder.
    pub fn at(&self, root: &Path) -> Option<&Game> {
        self.by_root.get(root).map(|&at| &self.games[at])
    }

    /// The game that a place is in.
    pub fn around(&self, place: &Path) -> Option<&Game> {
        place.ancestors().find_map(|folder| self.at(folder))
    }

    /// The game in a folder: the known one, otherwise a new one with a free id.
    pub fn in_folder(&mut self, root: PathBuf) -> Game {
        if let Some(game) = self.at(&root) {
            return game.clone();
        }
        let game = Game::in_folder(root, |id| self.ids.contains(id));
        self.add(game.clone());
        game
    }

    /// Every game.
    pub fn into_games(self) -> Vec<Game> {
        self.games
    }
}
