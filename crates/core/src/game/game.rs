//! One installed game.

use std::path::PathBuf;

use serde::{Deserialize, Serialize};

use super::environment::Environment;
use super::settings::GameSettings;
use crate::catalog::slug;
use crate::error::{Error, GameError};

/// One installed game.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Game {
    /// A short name to type, made from the title; stays the same in one home.
    pub id: String,
    /// Its title: the name of its folder, or the user's choice.
    pub title: String,
    /// Its folder.
    pub root: PathBuf,
    /// Whether the user named it, rather than a survey having come across it.
    pub registered: bool,
    /// The user's settings.
    pub settings: GameSettings,
}

impl Game {
    /// The message if its folder is missing.
    pub fn gone(&self) -> Error {
        Error::Game(GameError::Gone {
            title: self.title.clone(),
            id: self.id.clone(),
            root: self.root.clone(),
        })
    }

    /// The prefix: the one that the user named, otherwise the one around its folder.
    pub fn prefix(&self) -> Option<PathBuf> {
        self.settings.prefix.clone().or_else(|| Environment::around(&self.root))
    }

    /// A game that the user said nothing of.
    pub(crate) fn seen(id: &str, root: &std::path::Path) -> Self {
        let title = root.file_name().map_or_else(String::new, |n| n.to_string_lossy().into_owned());
        let (id, root) = (id.to_owned(), root.to_owned());
        Self { id, title, root, registered: false, settings: GameSettings::default() }
    }

    /// A game in `root` without settings, with a free id.
    pub(crate) fn in_folder(root: PathBuf, taken: impl Fn(&str) -> bool) -> Self {
        let title = root.file_name().map_or_else(
            || root.to_string_lossy().into_owned(),
            |name| name.to_string_lossy().into_owned(),
        );
        let base = match slug(&title) {
            empty if empty.is_empty() => "game".to_owned(),
            slug => slug,
        };
        let numbered = (2..).map(|n| format!("{base}-{n}"));
        let mut ids = std::iter::once(base.clone()).chain(numbered);
        let id = ids.find(|id| !taken(id)).unwrap_or(base);
        Self { id, title, root, registered: false, settings: GameSettings::default() }
    }
}
