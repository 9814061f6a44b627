//! The user's settings: library roots, games, pins. One TOML file, `games.toml`, that a person can read and repair;
//! docs/formats.md describes its format.

use std::collections::{BTreeMap, HashSet};
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};

use super::home_file::{HomeDocument, HomeFile};
use crate::error::{CatalogError, Error, Result};
use crate::game::{Game, GameSettings, Pin, VersionFile, is_bay_name};
use crate::path::TreePath;

/// The user's settings.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(crate) struct Words {
    pub roots: Vec<PathBuf>,
    pub games: Vec<Game>,
    pub pins: Vec<Pin>,
    /// Folders that were moved: the game, the old path, the new path.
    pub moved: Vec<Moved>,
}

/// A folder of a game that was moved.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Moved {
    pub game: String,
    pub from: PathBuf,
    pub to: PathBuf,
}

/// The file in a home folder.
#[derive(Debug)]
pub(crate) struct WordsFile(HomeFile<StoredWords>);

impl WordsFile {
    pub fn new(home: &Path) -> Self {
        Self(HomeFile::new(home.join("games.toml")))
    }

    pub fn path(&self) -> &Path {
        self.0.path()
    }

    /// Reads the user's settings.
    ///
    /// # Errors
    /// If the file is there and cannot be read.
    pub fn read(&self) -> Result<Words> {
        let Some(stored) = self.0.read()? else { return Ok(Words::default()) };
        stored.into_words().map_err(|what| {
            Error::Catalog(CatalogError { path: self.path().to_owned(), line: 1, what })
        })
    }

    /// Replaces the user's settings with a version derived from them. Must be called under the home's lock.
    ///
    /// # Errors
    /// If the present file cannot be read, or the new one cannot be written.
    pub fn write(&self, words: &Words) -> Result<()> {
        self.0.write(&StoredWords::of(words))
    }
}

impl HomeDocument for StoredWords {
    const SCHEMA: u32 = 1;
    const HEADING: &str = "# Your settings of games. You may edit them; see docs/formats.md.";
    /// 100,000 games have some 30 MB.
    const LONGEST: u64 = 64 << 20;
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct StoredWords {
    schema: u32,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    roots: Vec<String>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    game: Vec<StoredGame>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pin: Vec<StoredPin>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    moved: Vec<StoredMove>,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct StoredGame {
    id: String,
    title: String,
    root: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    executable: Option<TreePath>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    edition: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    online: Option<bool>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    prefix: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    run_with: Option<Vec<String>>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    start: Option<String>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    arguments: Vec<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    version_file: Option<TreePath>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    version_pattern: Option<String>,
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    bays: BTreeMap<String, String>,
    /// Variables of the environment that it is started in.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    environment: BTreeMap<String, String>,
    /// Parts of builds that the game is not to have, by family.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    without: BTreeMap<String, Vec<String>>,
    /// Folders for a mod manager, by family.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    handoff: BTreeMap<String, String>,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct StoredPin {
    game: String,
    family: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    version: Option<String>,
    #[serde(default)]
    why: String,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct StoredMove {
    game: String,
    from: String,
    to: String,
}

impl StoredWords {
    fn of(words: &Words) -> Self {
        Self {
            schema: Self::SCHEMA,
            roots: words.roots.iter().map(|root| text(root)).collect(),
            game: words.games.iter().map(StoredGame::from).collect(),
            pin: words.pins.iter().map(StoredPin::from).collect(),
            moved: words.moved.iter().map(StoredMove::from).collect(),
        }
    }

    fn into_words(self) -> Result<Words, String> {
        let mut ids = HashSet::new();
        if let Some(twice) = self.game.iter().find(|game| !ids.insert(game.id.clone())) {
            return Err(format!("two games have the id `{}`", twice.id));
        }
        Ok(Words {
            roots: self.roots.into_iter().map(PathBuf::from).collect(),
            games: self.game.into_iter().map(StoredGame::into_game).collect::<Result<_, _>>()?,
            pins: self.pin.into_iter().map(StoredPin::into_pin).collect::<Result<_, _>>()?,
            moved: self.moved.into_iter().map(StoredMove::into_moved).collect(),
        })
    }
}

/// A folder as text. Those with names that are not Unicode are refused before they come here.
fn text(path: &Path) -> String {
    path.to_string_lossy().into_owned()
}

impl From<&Game> for StoredGame {
    fn from(game: &Game) -> Self {
        let settings = &game.settings;
        let (bays, handoffs) = (settings.bays.iter(), settings.handoffs.iter());
        Self {
            id: game.id.clone(),
            title: game.title.clone(),
            root: text(&game.root),
            executable: settings.executable.clone(),
            edition: settings.edition.clone(),
            online: settings.online,
            prefix: settings.prefix.as_deref().map(text),
            run_with: settings.run_with.clone(),
            start: settings.start.clone(),
            arguments: settings.arguments.clone(),
            environment: settings.environment.clone(),
            version_file: settings.version_file.as_ref().map(|file| file.path.clone()),
            version_pattern: settings.version_file.as_ref().map(|file| file.pattern.clone()),
            bays: bays.map(|(name, path)| (name.clone(), text(path))).collect(),
            without: settings.left_out.clone(),
            handoff: handoffs.map(|(family, path)| (family.clone(), text(path))).collect(),
        }
    }
}

impl StoredGame {
    fn into_game(self) -> Result<Game, String> {
        let version_file = match (self.version_file, self.version_pattern) {
            (None, None) => None,
            (None, Some(pattern)) => {
                return Err(format!(
                    "{} has the version-pattern `{pattern}`, but no version-file",
                    self.id
                ));
            }
            (Some(path), pattern) => {
                let pattern = pattern.unwrap_or_else(|| VersionFile::ANY.to_owned());
                Some(VersionFile::new(path, &pattern).map_err(|error| error.to_string())?)
            }
        };
        if let Some(name) = self.bays.keys().find(|name| !is_bay_name(name)) {
            return Err(format!("`{name}` cannot be the name of a further bay of {}", self.id));
        }

        Ok(Game {
            id: self.id,
            title: self.title,
            root: self.root.into(),
            registered: true,
            settings: GameSettings {
                executable: self.executable,
                edition: self.edition,
                online: self.online,
                bays: self.bays.into_iter().map(|(name, dir)| (name, dir.into())).collect(),
                prefix: self.prefix.map(PathBuf::from),
                run_with: self.run_with,
                start: self.start,
                arguments: self.arguments,
                environment: self.environment,
                left_out: self.without,
                handoffs: self.handoff.into_iter().map(|(f, dir)| (f, dir.into())).collect(),
                version_file,
            },
        })
    }
}

impl From<&Pin> for StoredPin {
    fn from(pin: &Pin) -> Self {
        Self {
            game: pin.game.clone(),
            family: pin.family.clone(),
            version: pin.version.as_ref().map(ToString::to_string),
            why: pin.why.clone(),
        }
    }
}

impl StoredPin {
    fn into_pin(self) -> Result<Pin, String> {
        let version = match self.version {
            None => None,
            Some(text) => Some(text.parse().map_err(|_| format!("`{text}` says no versions"))?),
        };
        Ok(Pin { game: self.game, family: self.family, version, why: self.why })
    }
}

impl From<&Moved> for StoredMove {
    fn from(moved: &Moved) -> Self {
        Self { game: moved.game.clone(), from: text(&moved.from), to: text(&moved.to) }
    }
}

impl StoredMove {
    fn into_moved(self) -> Moved {
        Moved { game: self.game, from: self.from.into(), to: self.to.into() }
    }
}
