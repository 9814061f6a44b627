//! Settings of a game.

use schemars::JsonSchema;
use serde::Serialize;
use upright_spanner_core::change::Target;
use upright_spanner_core::tune::{self, Mode, Tunable, Tuning};

use super::SchemaNumber;
use super::change::{Place, RegistryValue, registry_value};

/// The settings of a game's components.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Tuned {
    schema: SchemaNumber,
    /// The game's id.
    game: String,
    settings: Vec<Setting>,
    presets: Vec<Preset>,
    files: Vec<SettingsFile>,
    programs: Vec<Program>,
}

/// The compatibility modes that there are, and those of a game's programs.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Modes {
    schema: SchemaNumber,
    /// The game's id.
    game: String,
    /// The names of the modes.
    modes: Vec<&'static str>,
    programs: Vec<Program>,
}

/// A setting.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Setting {
    family: String,
    /// Its name on the command line.
    name: String,
    title: Option<String>,
    /// Its effect, or the comments above it.
    about: Option<String>,
    /// The people or things it affects, if not only this game.
    affects: Option<String>,
    /// The present value; null if it is not set.
    now: Option<String>,
    /// The build's or the game's own value; null if it is unknown or was not set.
    brought: Option<String>,
    /// Whether it differs from the build's or the game's own value.
    differs: bool,
    /// The allowed values, in words.
    can_be: String,
    /// The values that it can be, if these are few.
    values: Vec<String>,
    /// The settings file; null if it is in the registry, or not known.
    file: Option<Place>,
    /// The key in the file, from outside to inside.
    key: Option<Vec<String>>,
    /// The value of the registry.
    value: Option<RegistryValue>,
    /// The reason why its location or value is unknown.
    problem: Option<String>,
    /// Whether a catalog describes it.
    described: bool,
}

/// A named set of settings.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Preset {
    family: String,
    name: String,
    title: Option<String>,
    /// The settings with other values now.
    differing: Vec<String>,
}

/// A settings file.
#[derive(Debug, Serialize, JsonSchema)]
pub struct SettingsFile {
    family: String,
    #[serde(flatten)]
    place: Place,
    /// Whether it is marked read-only.
    locked: bool,
}

/// A program that is started.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Program {
    /// Relative to the game's folder.
    path: String,
    /// The compatibility mode; null if none is set.
    compat: Option<&'static str>,
    /// The value of the registry that holds it; null without a registry.
    value: Option<RegistryValue>,
}

impl Tuned {
    pub fn new(game: &str, tuning: &Tuning) -> Self {
        let preset = |state: &tune::PresetState| Preset {
            family: state.family.clone(),
            name: state.preset.name.clone(),
            title: state.preset.title.clone(),
            differing: state.differing.clone(),
        };
        let file = |file: &tune::SettingsFile| SettingsFile {
            family: file.family.clone(),
            place: (&file.place).into(),
            locked: file.is_locked(),
        };
        Self {
            schema: SchemaNumber,
            game: game.to_owned(),
            settings: tuning.settings.iter().map(Setting::from).collect(),
            presets: tuning.presets.iter().map(preset).collect(),
            files: tuning.files.iter().map(file).collect(),
            programs: programs(tuning),
        }
    }
}

impl Modes {
    pub fn new(game: &str, tuning: &Tuning) -> Self {
        Self {
            schema: SchemaNumber,
            game: game.to_owned(),
            modes: Mode::all().iter().map(|mode| mode.name).collect(),
            programs: programs(tuning),
        }
    }
}

fn programs(tuning: &Tuning) -> Vec<Program> {
    let program = |program: &tune::ProgramMode| Program {
        path: program.program.to_string(),
        compat: program.mode.map(|mode| mode.name),
        value: program.spot.as_ref().and_then(registry_value),
    };
    tuning.programs.iter().map(program).collect()
}

impl From<&Tunable> for Setting {
    fn from(setting: &Tunable) -> Self {
        let key = match &setting.spot {
            Ok(Target::Setting(key)) => Some(key),
            _ => None,
        };
        let problem = setting.spot.as_ref().err().or(setting.unreadable.as_ref());
        Self {
            family: setting.family.clone(),
            name: setting.name.clone(),
            title: setting.title.clone(),
            about: setting.about.clone(),
            affects: setting.affects.clone(),
            now: setting.shown(&setting.now),
            brought: setting.brought.as_ref().and_then(|brought| setting.shown(brought)),
            differs: setting.differs(),
            can_be: setting.allowed.to_string(),
            values: setting.allowed.names(),
            file: key.map(|key| (&key.place).into()),
            key: key.map(|key| key.path.names().to_vec()),
            value: setting.spot.as_ref().ok().and_then(registry_value),
            problem: problem.cloned(),
            described: setting.is_described,
        }
    }
}
