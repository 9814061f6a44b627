//! Changes to the settings of a game.

use std::path::{Path, PathBuf};

use super::command_line::{self, StartSetting, program_of};
use super::environment::Environment;
use super::game::Game;
use super::settings::{GameSettings, VersionFile, is_bay_name};
use crate::error::{Error, Result};
use crate::path::{TreePath, slashes};
use crate::remedy::Action;

/// Changes to the settings of a game. An empty text resets a setting.
#[derive(Debug, Clone, Default)]
pub struct GameEdit {
    /// What to call it.
    pub title: Option<String>,
    /// The present folder.
    pub root: Option<PathBuf>,
    /// The executable that counts, relative to the game's folder.
    pub executable: Option<String>,
    /// The store edition.
    pub edition: Option<String>,
    /// Whether it is played online.
    pub online: Option<bool>,
    /// Folders by name; an empty folder takes one back.
    pub bays: Vec<(String, PathBuf)>,
    /// The folder of the environment in which it runs; an empty one takes it back.
    pub prefix: Option<PathBuf>,
    /// The command that starts Windows programs in the prefix; an empty one takes it back.
    pub run_with: Option<String>,
    /// The program to start: a file of the game, a command or an address; an empty text resets it.
    pub start: Option<String>,
    /// The arguments, as typed; an empty text resets them.
    pub arguments: Option<String>,
    /// Variables of its environment; an empty value takes one back.
    pub environment: Vec<(String, String)>,
    /// Parts that the game is not to have, by family; an empty list takes them back.
    pub left_out: Vec<(String, Vec<String>)>,
    /// Folders for a mod manager, by family; an empty folder takes one back.
    pub handoffs: Vec<(String, PathBuf)>,
    /// The file that states the version, relative to the game's folder.
    pub version_file: Option<String>,
    /// The regular expression that finds the version in it.
    pub version_pattern: Option<String>,
}

impl GameEdit {
    /// Applies the changes to a game.
    pub(crate) fn apply(&self, game: &mut Game) -> Result<()> {
        let root = game.root.clone();
        let settings = &mut game.settings;
        if let Some(text) = &self.executable {
            settings.executable = if text.is_empty() { None } else { Some(inside(&root, text)?) };
        }
        if let Some(text) = &self.edition {
            settings.edition = Some(text.clone()).filter(|text| !text.is_empty());
        }
        if let Some(folder) = &self.prefix {
            settings.prefix = if is_empty(folder) { None } else { Some(prefix(folder)?) };
        }
        if let Some(command) = &self.run_with {
            settings.run_with = Some(words_of(command)?).filter(|words| !words.is_empty());
        }
        if let Some(text) = &self.start {
            settings.start = if text.is_empty() { None } else { Some(startable(&root, text)?) };
        }
        if let Some(text) = &self.arguments {
            settings.arguments = words_of(text)?;
        }
        for (name, value) in &self.environment {
            variable(settings, name, value)?;
        }
        settings.online = self.online.or(settings.online);
        match (self.version_file.as_deref(), self.version_pattern.as_deref()) {
            (Some(""), _) => settings.version_file = None,
            (Some(file), pattern) => {
                let pattern = pattern.unwrap_or(VersionFile::ANY);
                settings.version_file = Some(VersionFile::new(inside(&root, file)?, pattern)?);
            }
            (None, Some(pattern)) => {
                let file = settings.version_file.take().ok_or(Error::Invalid {
                    what: "there is a pattern for the version, but no file to look in".to_owned(),
                    remedy: (
                        "Name the file.",
                        Action::NameVersionFile { game: game.id.clone().into() },
                    )
                        .into(),
                })?;
                settings.version_file = Some(VersionFile::new(file.path, pattern)?);
            }
            (None, None) => {}
        }

        for (name, folder) in &self.bays {
            bay(settings, name, folder)?;
        }
        for (family, parts) in &self.left_out {
            let known = settings.left_out.entry(family.clone()).or_default();
            let new = parts.iter().filter(|part| !known.contains(part)).cloned();
            let new: Vec<String> = new.collect();
            known.extend(new);
            if parts.is_empty() {
                settings.left_out.remove(family);
            }
        }
        for (family, folder) in &self.handoffs {
            if is_empty(folder) {
                settings.handoffs.remove(family);
            } else {
                settings.handoffs.insert(family.clone(), noted_folder(folder)?);
            }
        }
        if let Some(title) = self.title.clone().filter(|title| !title.is_empty()) {
            game.title = title;
        }
        Ok(())
    }
}

/// The path of a file in the game's folder.
fn inside(root: &Path, text: &str) -> Result<TreePath> {
    const RELATIVE: &str = "Give a path relative to the game's folder.";
    let invalid = |what: String| Error::Invalid { what, remedy: RELATIVE.into() };
    let path = TreePath::new(text).map_err(|error| invalid(error.to_string()))?;
    if path.on(root).is_file() {
        Ok(path)
    } else {
        Err(invalid(format!("{} contains no file {path}", slashes(root))))
    }
}

fn is_empty(folder: &Path) -> bool {
    folder.as_os_str().is_empty()
}

/// A command as its words.
fn words_of(command: &str) -> Result<Vec<String>> {
    command_line::words(command).map_err(|what| Error::Invalid {
        what: format!("`{command}`: {what}"),
        remedy: "Put words with blanks between quotation marks.".into(),
    })
}

/// The stored form of the program to start: a file of the game by its path in the game.
fn startable(root: &Path, text: &str) -> Result<String> {
    match StartSetting::of(root, text) {
        Ok(StartSetting::File(path)) => Ok(path.to_string()),
        Ok(StartSetting::Address(_)) => Ok(text.to_owned()),
        Ok(StartSetting::Command(words)) if program_of(&words).is_some() => Ok(text.to_owned()),
        Ok(StartSetting::Command(_)) => Err(Error::Invalid {
            what: format!(
                "`{text}` is neither a file in {}, nor a command, nor an address",
                slashes(root)
            ),
            remedy: "Give a path relative to the game's folder, a command with the whole path of its program, \
                     or an address such as launcher://game."
                .into(),
        }),
        Err(what) => Err(Error::Invalid {
            what: format!("`{text}`: {what}"),
            remedy: "Put words with blanks between quotation marks.".into(),
        }),
    }
}

fn variable(settings: &mut GameSettings, name: &str, value: &str) -> Result<()> {
    if name.is_empty() || name.contains(['=', '\0']) || value.contains('\0') {
        return Err(Error::Invalid {
            what: format!("`{name}` cannot be the name of a variable"),
            remedy: "Write it as NAME=VALUE.".into(),
        });
    }
    if value.is_empty() {
        settings.environment.remove(name);
    } else {
        settings.environment.insert(name.to_owned(), value.to_owned());
    }
    Ok(())
}

/// The folder of an environment, which contains its registry.
fn prefix(folder: &Path) -> Result<PathBuf> {
    let path = noted_folder(folder)?;
    if Environment::is_prefix(&path) {
        return Ok(path);
    }
    Err(Error::Invalid {
        what: format!(
            "{} is not a prefix: it contains neither user.reg nor drive_c",
            slashes(&path)
        ),
        remedy: "Give the folder that holds `drive_c` and `user.reg`.".into(),
    })
}

fn bay(settings: &mut GameSettings, name: &str, folder: &Path) -> Result<()> {
    if !is_bay_name(name) {
        return Err(Error::Invalid {
            what: format!("`{name}` cannot be the name of a further bay"),
            remedy: "Use lower-case letters, digits and `-`; `root` and `exe` are there already."
                .into(),
        });
    }

    if is_empty(folder) {
        settings.bays.remove(name);
        return Ok(());
    }
    settings.bays.insert(name.to_owned(), noted_folder(folder)?);
    Ok(())
}

/// The path of a folder that is there, as it can be noted.
fn noted_folder(folder: &Path) -> Result<PathBuf> {
    let path = std::path::absolute(folder).map_err(Error::io("look at", folder))?;
    if path.to_str().is_none() {
        return Err(Error::Invalid {
            what: format!("the name of {} is not Unicode, so it cannot be noted", slashes(&path)),
            remedy: "Rename that folder.".into(),
        });
    }

    if !path.is_dir() {
        return Err(Error::Invalid {
            what: format!("{} is not a folder", slashes(&path)),
            remedy: "Make the folder first, or check its spelling.".into(),
        });
    }

    Ok(path)
}
