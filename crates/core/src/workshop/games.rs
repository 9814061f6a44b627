//! What the user says of library roots and games.

use std::path::{Path, PathBuf};

use super::Workshop;
use crate::error::{Error, Result};
use crate::game::version::told;
use crate::game::{Game, GameEdit, GameVersion};
use crate::path::same_name;
use crate::progress::Progress;
use crate::survey::{self, GameView};

impl Workshop {
    /// The folders of which each sub-folder is a game.
    pub fn library_roots(&self) -> Result<Vec<PathBuf>> {
        self.database.library_roots()
    }

    /// Remembers a folder of which each sub-folder is a game; gives it as the system spells it.
    pub fn add_library_root(&self, path: &Path) -> Result<PathBuf> {
        let root = folder(path)?;
        self.database.add_library_root(&root)?;
        Ok(root)
    }

    /// Forgets a library root, whether it is still there or not. Nothing on disk is touched.
    pub fn forget_library_root(&self, path: &Path) -> Result<PathBuf> {
        let known = self.database.library_roots()?;
        let absolute = std::path::absolute(path).unwrap_or_else(|_| path.to_owned());
        let root = survey::canonical(path).unwrap_or(absolute);
        if !known.contains(&root) {
            let known = known.iter().map(|root| root.display().to_string()).collect();
            return Err(Error::UnknownRoot { path: root, known });
        }
        self.database.forget_library_root(&root)?;
        Ok(root)
    }

    /// Every game that the user named or a survey came across.
    pub fn games(&self) -> Result<Vec<Game>> {
        self.database.games()
    }

    /// Remembers a folder as a game, with what the user says of it.
    pub fn add_game(&self, path: &Path, edit: &GameEdit) -> Result<Game> {
        let root = folder(path)?;
        let mut game = Game::in_folder(root, &self.database.games()?);
        edit.apply(&mut game)?;
        game.registered = true;
        self.database.remember_game(&game)?;
        Ok(game)
    }

    /// Changes what the user says of a game; a folder that is not known yet is remembered.
    pub fn set_game(&self, name: &str, edit: &GameEdit) -> Result<Game> {
        let id = match self.game_id(name) {
            Err(Error::UnknownGame { .. }) if Path::new(name).is_dir() => {
                return self.add_game(Path::new(name), edit);
            }
            id => id?,
        };
        let games = self.database.games()?;
        let mut game = games
            .into_iter()
            .find(|game| game.id == id)
            .ok_or_else(|| Error::UnknownGame { name: name.to_owned(), known: Vec::new() })?;
        edit.apply(&mut game)?;
        self.database.remember_game(&game)?;
        Ok(game)
    }

    /// Forgets a game and what the user said of it. Its history, its files and the kept originals
    /// stay.
    pub fn forget_game(&self, name: &str) -> Result<String> {
        let id = self.game_id(name)?;
        self.database.forget_game(&id)?;
        Ok(id)
    }

    /// The version of a game, reading its executable whole where nothing states one.
    pub fn game_version(&self, view: &GameView) -> Option<GameVersion> {
        view.executable().and_then(|executable| told(&view.game, executable))
    }

    /// The id of the game that a text names, whether its folder is still there or not.
    pub fn game_id(&self, name: &str) -> Result<String> {
        if let Some(game) = self.known_game(name)? {
            return Ok(game.id);
        }
        let games = self.database.games()?;
        let root = survey::canonical(Path::new(name)).ok();
        let by_root = games.iter().find(|game| Some(&game.root) == root.as_ref());
        by_root.map(|game| game.id.clone()).ok_or_else(|| Error::UnknownGame {
            name: name.to_owned(),
            known: games.iter().map(|game| game.id.clone()).collect(),
        })
    }

    /// Surveys the one game that a text names: by id, by title, or by its folder.
    pub fn game(&self, name: &str, progress: &dyn Progress) -> Result<GameView> {
        let root = match self.known_game(name)? {
            Some(game) => game.root,
            None => PathBuf::from(name),
        };
        if !root.is_dir() {
            let known = self.database.games()?.into_iter().map(|game| game.id).collect();
            return Err(Error::UnknownGame { name: name.to_owned(), known });
        }
        let mut survey = self.survey(std::slice::from_ref(&root), progress)?;
        match survey.games.len() {
            0 => Err(Error::NoGame { path: root }),
            1 => Ok(survey.games.remove(0)),
            _ => {
                let titles = survey.games.into_iter().map(|view| view.game.title).collect();
                Err(Error::SeveralGames { path: root, titles })
            }
        }
    }

    fn known_game(&self, name: &str) -> Result<Option<Game>> {
        let games = self.database.games()?;
        let by_id = games.iter().find(|game| same_name(&game.id, name));
        let by_title = || games.iter().find(|game| same_name(&game.title, name));
        Ok(by_id.or_else(by_title).cloned())
    }
}

/// A folder as the system spells it.
fn folder(path: &Path) -> Result<PathBuf> {
    let root = survey::canonical(path).map_err(Error::io("look at", path))?;
    if root.is_dir() && root.to_str().is_some() {
        return Ok(root);
    }
    Err(Error::Setting {
        what: format!("{} is no folder that can be remembered", root.display()),
        advice: "Give a folder whose name is Unicode.",
    })
}
