//! How a game is started: the program, the folder and the environment, decided from the user's settings, the builds'
//! layouts and the main executable. Nothing is started here.

mod starter;

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use crate::catalog::{ARGUMENTS, ENVIRONMENT};
use crate::error::{Error, GameError, Result};
use crate::game::command_line::{self, StartSetting, program_of};
use crate::path::{TreePath, extension, slashes};
use crate::remedy::Action;
use crate::situation::Situation;
use crate::tune;
use starter::starter;
use upright_spanner_image::{Kind, Rights};
use upright_spanner_settings::{Format, document};

/// The variable that selects a prefix.
pub(crate) const PREFIX_VARIABLE: &str = "WINEPREFIX";

/// The start of a game.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Start {
    /// The id of the game.
    pub game: String,
    /// The program or address.
    pub run: Run,
    /// Why it is this.
    pub chosen: Chosen,
    /// The folder that it is run in.
    pub folder: PathBuf,
    /// Its arguments.
    pub arguments: Vec<String>,
    /// Variables of its environment.
    pub environment: BTreeMap<String, String>,
    /// The command that starts it if it is a program of Windows and this is not, as the user named it.
    pub run_with: Vec<String>,
    /// Whether it needs such a command.
    needs_command: bool,
    /// The rights that it asks for, once its file was read.
    pub rights: Rights,
}

/// A program or address to start.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Run {
    /// A program of the game.
    Program {
        /// Its place in the game.
        path: TreePath,
        /// Its path on disk.
        file: PathBuf,
    },
    /// A command: its program and its arguments.
    Command(Vec<String>),
    /// An address for the system's opener.
    Address(String),
}

/// The reason for a choice of program.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Chosen {
    /// It was named this time.
    Once,
    /// The user set it.
    Setting,
    /// A component brought it.
    Starter {
        /// The component's family.
        family: String,
    },
    /// A launcher that is described starts the game, which it has a record of.
    Launcher {
        /// The launcher's name.
        name: String,
    },
    /// It is the executable that counts.
    Executable,
}

impl Start {
    /// The program or address in short: a path in the game, a command or an address.
    pub fn what(&self) -> String {
        match &self.run {
            Run::Program { path, .. } => path.to_string(),
            Run::Command(words) => command_line::typed(words),
            Run::Address(address) => address.clone(),
        }
    }

    /// The whole command, from the program that the system starts to the last argument; nothing for an
    /// address.
    ///
    /// # Errors
    /// If it is a Windows program and nothing says how to run it here, or if it does not exist.
    pub fn command(&self) -> Result<Option<Vec<String>>> {
        let mut words = match &self.run {
            Run::Address(_) => return Ok(None),
            Run::Program { path, .. } if self.needs_command => {
                let game = self.game.clone();
                return Err(GameError::NeedsCommand { program: path.to_string(), game }.into());
            }
            Run::Program { file, .. } => {
                let file = file.to_string_lossy().into_owned();
                self.run_with.iter().cloned().chain([file]).collect()
            }
            Run::Command(words) => words.clone(),
        };
        if program_of(&words).is_none() {
            return Err(self.missing(words.first().map_or("", String::as_str)));
        }
        words.extend(self.arguments.iter().cloned());
        Ok(Some(words))
    }

    fn missing(&self, program: &str) -> Error {
        let game = self.game.clone().into();
        let remedy = if self.run_with.is_empty() {
            ("Name the program to start.", Action::NameStart { game })
        } else {
            ("Name the command that runs Windows programs here.", Action::NameRunWith { game })
        };
        let what = format!("no program {program} was found to start {} with", self.game);
        Error::Invalid { what, remedy: remedy.into() }
    }
}

/// Decides how a game is started; `once` is a program for this time, and `arguments` are additional ones.
///
/// # Errors
/// If the game has no program, or the named one does not exist.
pub(crate) fn start(
    situation: &Situation<'_>,
    once: Option<&str>,
    arguments: &[String],
) -> Result<Start> {
    let game = situation.game();
    let (run, chosen) = if let Some(named) = once {
        (of_setting(situation, named)?, Chosen::Once)
    } else if let Some(set) = &game.settings.start {
        (of_setting(situation, set)?, Chosen::Setting)
    } else if let Some((path, family)) = starter(situation) {
        (program(&game.root, path), Chosen::Starter { family })
    } else if let Some((start, name)) = launchers_way(situation) {
        (of_setting(situation, &start)?, Chosen::Launcher { name })
    } else if let Some(executable) = situation.view.executable() {
        (program(&game.root, executable.path.clone()), Chosen::Executable)
    } else {
        return Err(GameError::NotAGame { path: game.root.clone() }.into());
    };

    let is_windows = match &run {
        Run::Program { path, .. } => is_windows_program(situation, path),
        _ => false,
    };
    let tuned = Tuned::of(situation);
    let run_with = game.settings.run_with.clone().filter(|_| is_windows && !cfg!(windows));
    let mut environment = tuned.environment;
    environment.extend(game.settings.environment.clone());
    if let Some(prefix) = game.prefix().filter(|_| run_with.is_some()) {
        let prefix = prefix.to_string_lossy().into_owned();
        environment.entry(PREFIX_VARIABLE.to_owned()).or_insert(prefix);
    }
    let settings = game.settings.arguments.iter().cloned();
    Ok(Start {
        game: game.id.clone(),
        folder: folder_of(&run, &game.root),
        run,
        chosen,
        arguments: settings.chain(tuned.arguments).chain(arguments.iter().cloned()).collect(),
        environment,
        needs_command: is_windows && !cfg!(windows) && run_with.is_none(),
        run_with: run_with.unwrap_or_default(),
        rights: Rights::Starter,
    })
}

/// A launcher's address or command for a game, and its name.
fn launchers_way(situation: &Situation<'_>) -> Option<(String, String)> {
    let mut records = situation.view.records.iter();
    records.find_map(|record| Some((record.start.clone()?, record.launcher.clone())))
}

fn program(root: &Path, path: TreePath) -> Run {
    let file = path.on(root);
    Run::Program { path, file }
}

/// A program looks for its files beside itself; for a command the game's folder is as good as any.
fn folder_of(run: &Run, root: &Path) -> PathBuf {
    match run {
        Run::Program { file, .. } => file.parent().unwrap_or(root).to_owned(),
        _ => root.to_owned(),
    }
}

fn of_setting(situation: &Situation<'_>, text: &str) -> Result<Run> {
    let game = situation.game();
    let wrong = |what: String| Error::Invalid {
        what,
        remedy: ("Name the program to start.", Action::NameStart { game: game.id.clone().into() })
            .into(),
    };
    match StartSetting::of(&game.root, text) {
        Ok(StartSetting::File(path)) => Ok(program(&game.root, path)),
        Ok(StartSetting::Address(address)) => Ok(Run::Address(address)),
        Ok(StartSetting::Command(words)) if program_of(&words).is_some() => Ok(Run::Command(words)),
        Ok(StartSetting::Command(_)) => {
            Err(wrong(format!("{} contains no `{text}` to start", slashes(&game.root))))
        }
        Err(what) => Err(wrong(format!("`{text}`: {what}"))),
    }
}

/// Whether a program of the game is for Windows: by the survey's facts, otherwise by its ending.
fn is_windows_program(situation: &Situation<'_>, path: &TreePath) -> bool {
    let known = situation.view.programs.iter().find(|program| program.path.same_as(path));
    known.map_or_else(
        || extension(path.file_name()) == "exe",
        |program| program.facts.kind == Kind::Exe,
    )
}

/// What settings of components say that a game is started with.
#[derive(Default)]
struct Tuned {
    arguments: Vec<String>,
    environment: BTreeMap<String, String>,
}

impl Tuned {
    fn of(situation: &Situation<'_>) -> Self {
        let mut tuned = Self::default();
        let Ok(place) = tune::start_file(situation) else { return tuned };
        let Ok(bytes) = situation.window.bytes(&place) else { return tuned };
        for entry in document::entries(Format::Toml, &bytes).unwrap_or_default() {
            let value = document::plain(Format::Toml, &entry.value);
            match (entry.path.around().first().map(String::as_str), entry.path.key()) {
                (Some(ARGUMENTS), argument) => {
                    tuned.arguments.extend(argument_of(argument, &value));
                }
                (Some(ENVIRONMENT), name) => {
                    tuned.environment.insert(name.to_owned(), value);
                }
                _ => {}
            }
        }
        tuned
    }
}

/// The argument of a setting: with the value in it, or alone if the value is that it is present. `None` if it is off.
fn argument_of(argument: &str, value: &str) -> Vec<String> {
    const OFF: [&str; 4] = ["", "0", "false", "off"];
    if argument.contains("{value}") {
        return vec![argument.replace("{value}", value)];
    }
    if OFF.contains(&value) { Vec::new() } else { vec![argument.to_owned()] }
}
