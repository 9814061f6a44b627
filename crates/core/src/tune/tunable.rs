//! A setting of a game, with its known facts.

use crate::catalog::{Allowed, Preset};
use crate::change::{State, Target};
use crate::path::TreePath;
use upright_spanner_change::Place;
use upright_spanner_settings::document;

use super::compat::Mode;

/// A setting of a game, as it is now.
#[derive(Debug, Clone)]
pub struct Tunable {
    /// The family that it is of.
    pub family: String,
    /// Its name on the command line.
    pub name: String,
    /// Its title, from the catalog.
    pub title: Option<String>,
    /// Its effect: the catalog's words, otherwise the comments above it.
    pub about: Option<String>,
    /// The people or things it affects, if not only this game.
    pub affects: Option<String>,
    /// Its allowed values.
    pub allowed: Allowed,
    /// Its location, or the reason why it is unknown.
    pub spot: Result<Target, String>,
    /// The same setting of further copies of the component, which are set with it.
    pub copies: Vec<Target>,
    /// The type of a value of the registry.
    pub kind: Option<u32>,
    /// The present state.
    pub now: State,
    /// The build's or the game's own value, if it is known.
    pub brought: Option<State>,
    /// Why it cannot be read, if it cannot.
    pub unreadable: Option<String>,
    /// Whether the catalog describes it.
    pub is_described: bool,
    /// Whether it is something that the game is started with.
    pub is_at_start: bool,
}

impl Tunable {
    /// A state of it as people read it; nothing if it is not set.
    pub fn shown(&self, state: &State) -> Option<String> {
        let plain = match (state, &self.spot) {
            (State::Setting(value), Ok(Target::Setting(key))) => document::plain(key.format, value),
            (State::Value(value), _) => value.to_string(),
            _ => return None,
        };
        Some(if plain.is_empty() { "(empty)".to_owned() } else { self.allowed.label_of(&plain) })
    }

    /// Whether it differs from the build's or the game's own value.
    pub fn differs(&self) -> bool {
        self.brought.as_ref().is_some_and(|brought| !brought.same_as(&self.now))
    }
}

/// The settings of a game.
#[derive(Debug, Default)]
pub struct Tuning {
    /// Each setting; those of a family together.
    pub settings: Vec<Tunable>,
    /// The presets that there are for each family, with those that are set now.
    pub presets: Vec<PresetState>,
    /// Settings files of the components, and whether each is locked.
    pub files: Vec<SettingsFile>,
    /// The programs of the game that are started, with the compatibility mode of each.
    pub programs: Vec<ProgramMode>,
}

/// The compatibility mode of a program.
#[derive(Debug, Clone)]
pub struct ProgramMode {
    /// The program.
    pub program: TreePath,
    /// The value of the registry that has it; `None` without a registry.
    pub spot: Option<Target>,
    /// The present state.
    pub now: State,
    /// The mode that this is, if it is one.
    pub mode: Option<&'static Mode>,
}

/// A preset of a family.
#[derive(Debug, Clone)]
pub struct PresetState {
    /// The family.
    pub family: String,
    /// The preset.
    pub preset: Preset,
    /// The settings of it with other values now.
    pub differing: Vec<String>,
}

/// A settings file of a component.
#[derive(Debug, Clone)]
pub struct SettingsFile {
    /// The family.
    pub family: String,
    /// Its location.
    pub place: Place,
    /// Whether it is marked read-only.
    pub mark: State,
}

impl SettingsFile {
    /// Whether it is marked read-only.
    pub fn is_locked(&self) -> bool {
        self.mark.is_marked()
    }
}
