//! The user's settings of library roots and games.

use std::path::{Path, PathBuf};

use super::on_disk::OnDisk;
use super::{Altering, Workshop};
use crate::change::ExecutableMark;
use crate::error::{Error, GameError, Result};
use crate::game::version::told;
use crate::game::{Game, GameEdit, GameVersion, KnownGames};
use crate::history::History;
use crate::ledger::{Ledger, LedgerEntry};
use crate::path::{canonical, same_name, slashes};
use crate::state::{Moved, Words};
use crate::survey::{Filter, GameView};
use crate::window::Window;
use upright_spanner_change::Progress;

impl Workshop {
    /// The folders of which each sub-folder is a game.
    pub fn library_roots(&self) -> Vec<PathBuf> {
        self.words().roots.clone()
    }

    /// Every game that the user named, that changes were made to, or that a survey came across.
    ///
    /// # Errors
    /// If the journal's folder cannot be read.
    pub fn games(&self) -> Result<Vec<Game>> {
        let mut games = self.known_games()?.into_games();
        games.sort_by(|a, b| a.id.cmp(&b.id));
        Ok(games)
    }

    /// The known games, by id and by folder. The user's settings come first.
    pub(super) fn known_games(&self) -> Result<KnownGames> {
        let mut games = KnownGames::default();
        self.words().games.iter().cloned().for_each(|game| games.add(game));
        for change in self.history()?.changes.iter().rev() {
            if !games.has(change.game(), change.root()) {
                games.add(Game::seen(change.game(), change.root()));
            }
        }

        for seen in self.database.seen() {
            games.add(Game { title: seen.title, ..Game::seen(&seen.id, &seen.root) });
        }
        Ok(games)
    }

    /// The version of a game, reading its executable whole if nothing states one.
    pub fn game_version(&self, view: &GameView) -> Option<GameVersion> {
        view.executable().and_then(|executable| told(&view.game, executable))
    }

    /// The id of the game that a text names, whether its folder is still there or not.
    ///
    /// # Errors
    /// [`GameError::Unknown`] if no game has that name.
    pub fn game_id(&self, name: &str) -> Result<String> {
        match self.known_game(name)? {
            Some(game) => Ok(game.id),
            None => Err(self.unknown_game(name)?),
        }
    }

    fn unknown_game(&self, name: &str) -> Result<Error> {
        let known = self.games()?.into_iter().map(|game| game.id).collect();
        Ok(Error::Game(GameError::Unknown { name: name.to_owned(), known }))
    }

    /// The folder of the game that a text names.
    ///
    /// # Errors
    /// If no game has that name, or its folder is not there.
    fn game_folder(&self, name: &str) -> Result<PathBuf> {
        match self.known_game(name)? {
            Some(game) if game.root.is_dir() => Ok(game.root),
            Some(game) => Err(game.gone()),
            None if Path::new(name).is_dir() => Ok(PathBuf::from(name)),
            None => Err(self.unknown_game(name)?),
        }
    }

    /// Surveys the one game that a text names: by id, by title, or by its folder.
    ///
    /// # Errors
    /// If no game has that name, its folder is not there, or it is not one game.
    pub fn game(&self, name: &str, progress: &dyn Progress) -> Result<GameView> {
        let root = self.game_folder(name)?;
        let mut survey = self.survey(std::slice::from_ref(&root), &Filter::default(), progress)?;
        self.remember(&survey)?;
        match survey.games.len() {
            0 => Err(Error::Game(GameError::NotAGame { path: root })),
            1 => Ok(survey.games.remove(0)),
            _ => {
                let titles = survey.games.into_iter().map(|view| view.game.title).collect();
                Err(Error::Game(GameError::Several { path: root, titles }))
            }
        }
    }

    /// The games whose folder is missing: a drive is not connected, or the folder was moved.
    ///
    /// # Errors
    /// If the journal's folder cannot be read.
    pub fn games_gone(&self) -> Result<Vec<Game>> {
        let words = self.words();
        let history = self.history()?;
        let matters = |game: &Game| {
            words.games.contains(game) || history.changes.iter().any(|c| c.game() == game.id)
        };
        let mut games = self.games()?;
        games.retain(|game| matters(game) && !game.root.is_dir());
        Ok(games)
    }

    /// The game that was probably moved to a folder: one whose folder is missing, with the same executable and a file
    /// that a change put there.
    ///
    /// # Errors
    /// If the journal's folder cannot be read.
    pub fn moved_from(&self, view: &GameView) -> Result<Option<Game>> {
        let gone = self.games_gone()?;
        let Some(mark) = view.mark().filter(|_| !gone.is_empty()) else {
            return Ok(None);
        };
        let history = self.history()?;
        let window = OnDisk::new(&self.store, view, &[]);
        Ok(gone.into_iter().find(|game| is_same(game, &history, &mark, &window)))
    }

    /// The game that a text names: by id, title, or folder, even a missing one.
    ///
    /// # Errors
    /// If the journal's folder cannot be read.
    pub fn known_game(&self, name: &str) -> Result<Option<Game>> {
        let games = self.games()?;
        let by_id = games.iter().find(|game| same_name(&game.id, name));
        let by_title = || games.iter().find(|game| same_name(&game.title, name));
        let folder = canonical(Path::new(name)).or_else(|_| std::path::absolute(name)).ok();
        let by_folder = || games.iter().find(|game| Some(&game.root) == folder.as_ref());
        Ok(by_id.or_else(by_title).or_else(by_folder).cloned())
    }
}

impl Altering<'_> {
    /// Remembers a folder of which each sub-folder is a game; gives it as the system spells it.
    ///
    /// # Errors
    /// If it is not a folder, or the settings cannot be written.
    pub fn add_library_root(&self, path: &Path) -> Result<PathBuf> {
        let root = folder(path)?;
        self.edit(|words| {
            if !words.roots.contains(&root) {
                words.roots.push(root.clone());
                words.roots.sort();
            }
            Ok(())
        })?;
        Ok(root)
    }

    /// Forgets a library root, whether it is still there or not. Nothing on disk is touched.
    ///
    /// # Errors
    /// [`GameError::UnknownRoot`] if it is not a library root.
    pub fn forget_library_root(&self, path: &Path) -> Result<PathBuf> {
        let absolute = std::path::absolute(path).unwrap_or_else(|_| path.to_owned());
        let root = canonical(path).unwrap_or(absolute);
        self.edit(|words| {
            if !words.roots.contains(&root) {
                let known = words.roots.iter().map(|root| slashes(root)).collect();
                return Err(Error::Game(GameError::UnknownRoot { path: root.clone(), known }));
            }
            words.roots.retain(|other| *other != root);
            Ok(())
        })?;

        Ok(root)
    }

    /// Registers a folder as a game, with the user's settings.
    ///
    /// # Errors
    /// If it is not a folder, or a setting cannot be.
    pub fn add_game(&self, path: &Path, edit: &GameEdit) -> Result<Game> {
        let root = folder(path)?;
        let game = self.workshop().known_games()?.in_folder(root);
        self.edit_game(game, edit)
    }

    /// Changes the settings of a game; a new folder is registered. A game that was moved keeps its history, and so
    /// does a bay.
    ///
    /// # Errors
    /// If no game has that name, or a setting cannot be.
    pub fn set_game(&self, name: &str, edit: &GameEdit) -> Result<Game> {
        let id = match self.workshop().game_id(name) {
            Err(Error::Game(GameError::Unknown { .. })) if Path::new(name).is_dir() => {
                return self.add_game(Path::new(name), edit);
            }
            id => id?,
        };

        let games = self.workshop().games()?;
        let game = games.into_iter().find(|game| game.id == id);
        let unknown =
            || Error::Game(GameError::Unknown { name: name.to_owned(), known: Vec::new() });
        self.edit_game(game.ok_or_else(unknown)?, edit)
    }

    fn edit_game(&self, mut game: Game, edit: &GameEdit) -> Result<Game> {
        let before = game.clone();
        if let Some(root) = &edit.root {
            game.root = folder(root)?;
            let games = self.workshop().games()?;
            let taken = |other: &&Game| other.root == game.root && other.id != game.id;
            let other = games.iter().find(taken);
            // The survey found the same game there under an id of its own.
            match other.filter(|other| other.registered) {
                Some(other) => {
                    return Err(Error::Game(GameError::Taken {
                        what: "a game in that folder:",
                        name: other.id.clone(),
                    }));
                }
                None => other.iter().for_each(|other| self.workshop().database.forget(&other.id)),
            }
        }

        edit.apply(&mut game)?;
        game.registered = true;
        self.edit(|words| {
            let moved = |from: &Path, to: &Path| Moved {
                game: game.id.clone(),
                from: from.to_owned(),
                to: to.to_owned(),
            };
            if before.root != game.root {
                words.moved.push(moved(&before.root, &game.root));
            }
            for (name, old) in &before.settings.bays {
                let now = game.settings.bays.get(name);
                if let Some(new) = now.filter(|new| *new != old && !old.is_dir()) {
                    words.moved.push(moved(old, new));
                }
            }
            words.games.retain(|other| other.id != game.id);
            words.games.push(game.clone());
            words.games.sort_by(|a, b| a.id.cmp(&b.id));
            Ok(())
        })?;

        Ok(game)
    }

    /// Removes a game and its settings. Its history, its files and the stored originals stay.
    ///
    /// # Errors
    /// If no game has that name.
    pub fn forget_game(&self, name: &str) -> Result<String> {
        let id = self.workshop().game_id(name)?;
        self.edit(|words| {
            words.games.retain(|game| game.id != id);
            Ok(())
        })?;
        self.workshop().database.forget(&id);
        Ok(id)
    }

    /// Changes the user's settings. A file that cannot be read is not overwritten.
    pub(super) fn edit(&self, change: impl FnOnce(&mut Words) -> Result<()>) -> Result<()> {
        let mut words = self.workshop().words.read()?;
        change(&mut words)?;
        self.workshop().words.write(&words)
    }
}

/// A folder as the system spells it.
fn folder(path: &Path) -> Result<PathBuf> {
    let root = canonical(path).map_err(Error::io("look at", path))?;
    if root.is_dir() && root.to_str().is_some() {
        return Ok(root);
    }
    Err(Error::Invalid {
        what: format!("{} is not a folder that can be remembered", slashes(&root)),
        remedy: "Give a folder whose name is Unicode.".into(),
    })
}

/// Whether another folder contains a missing game: its executable is the recorded one, and a file that a change put
/// there is present.
fn is_same(game: &Game, history: &History, mark: &ExecutableMark, window: &OnDisk<'_>) -> bool {
    let own = || history.changes.iter().filter(|change| change.game() == game.id);
    let same_program = own().any(|change| {
        change.executable.as_ref().is_some_and(|then| {
            (&then.path, then.size, then.stamp) == (&mark.path, mark.size, mark.stamp)
        })
    });
    let ledger = Ledger::of(&game.root, own());
    let holds = |(place, entry): (&upright_spanner_change::Place, &LedgerEntry)| {
        place.bay().is_none() && window.file(place).is_ok_and(|now| now.same_as(&entry.last))
    };
    same_program && ledger.files().any(holds)
}
