//! Narrows a survey to the requested rows.

use super::{Library, Survey};
use crate::catalog::{Pattern, Role};
use crate::error::{Error, Result};
use crate::game::Game;

/// The rows of a survey to keep; the default keeps everything.
#[derive(Debug, Clone, Default)]
pub struct Filter {
    families: Option<Pattern>,
    games: Option<Pattern>,
    names: Option<Pattern>,
    role: Option<Role>,
    outdated: bool,
}

impl Filter {
    /// Keeps families, or groups of families, whose id matches a pattern.
    ///
    /// # Errors
    /// If the pattern is not valid.
    pub fn family(self, pattern: Option<&str>) -> Result<Self> {
        Ok(Self { families: pattern.map(compile).transpose()?, ..self })
    }

    /// Keeps games whose id or title matches a pattern.
    ///
    /// # Errors
    /// If the pattern is not valid.
    pub fn game(self, pattern: Option<&str>) -> Result<Self> {
        Ok(Self { games: pattern.map(compile).transpose()?, ..self })
    }

    /// Keeps files whose name matches a pattern, components or not.
    ///
    /// # Errors
    /// If the pattern is not valid.
    pub fn name(self, pattern: Option<&str>) -> Result<Self> {
        Ok(Self { names: pattern.map(compile).transpose()?, ..self })
    }

    /// The pattern that names are sought by.
    pub fn sought(&self) -> Option<&Pattern> {
        self.names.as_ref()
    }

    /// Keeps components of a role.
    #[must_use]
    pub fn role(self, role: Option<Role>) -> Self {
        Self { role, ..self }
    }

    /// Keeps components of which the rack or a feed has a newer build.
    #[must_use]
    pub fn outdated(self, outdated: bool) -> Self {
        Self { outdated, ..self }
    }

    /// Whether it keeps everything.
    pub fn is_open(&self) -> bool {
        let patterns = [&self.families, &self.games, &self.names];
        patterns.iter().all(|pattern| pattern.is_none()) && self.role.is_none() && !self.outdated
    }

    /// Removes other rows, and games without rows.
    pub fn apply(&self, survey: &mut Survey) {
        if self.is_open() {
            return;
        }
        survey.games.retain(|view| self.keeps_game(&view.game));
        for view in &mut survey.games {
            view.libraries.retain(|library| self.keeps(library));
        }

        let about_components = Self { games: None, ..self.clone() };
        if !about_components.is_open() {
            survey.games.retain(|view| !view.libraries.is_empty());
        }
        survey.stray = 0;
    }

    /// Whether it keeps only certain games, so that the files of others need not be read.
    pub(super) fn narrows(&self) -> bool {
        self.games.is_some()
    }

    /// Whether it keeps a game, by its id or its title.
    pub fn keeps_game(&self, game: &Game) -> bool {
        self.games
            .as_ref()
            .is_none_or(|games| games.is_match(&game.id) || games.is_match(&game.title))
    }

    fn keeps(&self, library: &Library) -> bool {
        let group = library.group.as_deref();
        // A search by name is for copies anywhere; the other filters are about components.
        let sought = match &self.names {
            Some(names) => names.is_match(library.path.file_name()),
            None => library.is_component || self.games.is_some(),
        };
        sought
            && self.role.is_none_or(|role| library.role == role)
            && (!self.outdated || library.newer.is_some() || library.offered.is_some())
            && self.families.as_ref().is_none_or(|families| {
                families.is_match(&library.family)
                    || group.is_some_and(|group| families.is_match(group))
            })
    }
}

fn compile(pattern: &str) -> Result<Pattern> {
    Pattern::new(pattern).map_err(|what| Error::Invalid {
        what,
        remedy: "Use `*` for any text and `?` for any character.".into(),
    })
}
