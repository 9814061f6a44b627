//! What the user said: library roots, games with their settings, pins. One TOML file, `games.toml`,
//! that a person can read and mend; its format is described in docs/formats.md.

use std::collections::{BTreeMap, HashSet};
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};

use crate::error::{CatalogError, Error, Result};
use crate::game::{Game, GameSettings, Pin, VersionFile, is_bay_name};
use crate::path::TreePath;
use upright_spanner_change::{Folder, line};

const FILE: &str = "games.toml";
const SCHEMA: u32 = 1;
const HEADING: &str = "# What you said of your games. You may edit it; see docs/formats.md.\n\n";

/// The longest file of it that is read: 100,000 games have some 30 MB.
const LONGEST: u64 = 64 << 20;

/// What the user said.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(crate) struct Words {
    pub roots: Vec<PathBuf>,
    pub games: Vec<Game>,
    pub pins: Vec<Pin>,
    /// Folders that stand somewhere else now: of which game, from where, to where.
    pub moved: Vec<Moved>,
}

/// A folder of a game that stands somewhere else now.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Moved {
    pub game: String,
    pub from: PathBuf,
    pub to: PathBuf,
}

/// The file in a home folder.
#[derive(Debug)]
pub(crate) struct WordsFile {
    folder: Folder,
}

impl WordsFile {
    pub fn open(home: &Path) -> Result<Self> {
        Ok(Self { folder: Folder::open(home)? })
    }

    pub fn path(&self) -> PathBuf {
        self.folder.path().join(FILE)
    }

    /// Whether there is one.
    pub fn is_there(&self) -> bool {
        self.path().exists()
    }

    /// Reads what the user said.
    ///
    /// # Errors
    /// [`Error::Catalog`] with the line, where it cannot be understood.
    pub fn read(&self) -> Result<Words> {
        let path = self.path();
        let Some(file) = self.folder.read(FILE)? else { return Ok(Words::default()) };
        let mut text = String::new();
        let read =
            std::io::Read::read_to_string(&mut std::io::Read::take(file, LONGEST), &mut text);
        read.map_err(Error::io("read", &path))?;

        let wrong = |at: usize, what: String| {
            let line = text[..at.min(text.len())].matches('\n').count() + 1;
            Error::Catalog(CatalogError { path: path.clone(), line, what })
        };
        let stored: StoredWords = toml::from_str(&text).map_err(|error| {
            wrong(error.span().map_or(0, |span| span.start), error.message().to_owned())
        })?;
        if stored.schema != SCHEMA {
            return Err(wrong(0, format!("schema {} is not known", stored.schema)));
        }
        stored.into_words().map_err(|what| wrong(0, what))
    }

    /// Writes what the user said, in place of what was there. To be called under the home's lock, with
    /// what was read under it.
    pub fn write(&self, words: &Words) -> Result<()> {
        let stored = StoredWords::of(words);
        let text = toml::to_string(&stored).map_err(|error| Error::Invalid {
            what: format!("your settings cannot be written: {error}"),
            remedy: "Use names that are Unicode.".into(),
        })?;
        line::write_over(&self.folder, FILE, &format!("{HEADING}{text}"))?;
        Ok(())
    }
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct StoredWords {
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
    version_file: Option<TreePath>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    version_pattern: Option<String>,
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    bays: BTreeMap<String, String>,
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
        // Folders with other names are refused before they come here.
        let text = |path: &PathBuf| path.to_string_lossy().into_owned();
        let game = |game: &Game| StoredGame {
            id: game.id.clone(),
            title: game.title.clone(),
            root: text(&game.root),
            executable: game.settings.executable.clone(),
            edition: game.settings.edition.clone(),
            online: game.settings.online,
            version_file: game.settings.version_file.as_ref().map(|file| file.path.clone()),
            version_pattern: game.settings.version_file.as_ref().map(|file| file.pattern.clone()),
            bays: game
                .settings
                .bays
                .iter()
                .map(|(name, path)| (name.clone(), text(path)))
                .collect(),
        };

        let pin = |pin: &Pin| StoredPin {
            game: pin.game.clone(),
            family: pin.family.clone(),
            version: pin.version.as_ref().map(ToString::to_string),
            why: pin.why.clone(),
        };

        let moved = |moved: &Moved| StoredMove {
            game: moved.game.clone(),
            from: text(&moved.from),
            to: text(&moved.to),
        };
        Self {
            schema: SCHEMA,
            roots: words.roots.iter().map(text).collect(),
            game: words.games.iter().map(game).collect(),
            pin: words.pins.iter().map(pin).collect(),
            moved: words.moved.iter().map(moved).collect(),
        }
    }

    fn into_words(self) -> Result<Words, String> {
        let game = |stored: StoredGame| -> Result<Game, String> {
            let version_file = match (stored.version_file, stored.version_pattern) {
                (None, None) => None,
                (None, Some(pattern)) => {
                    return Err(format!(
                        "{} has the version-pattern `{pattern}`, but no version-file",
                        stored.id
                    ));
                }
                (Some(path), pattern) => {
                    let pattern = pattern.unwrap_or_else(|| VersionFile::ANY.to_owned());
                    Some(VersionFile::new(path, &pattern).map_err(|error| error.to_string())?)
                }
            };
            if let Some(name) = stored.bays.keys().find(|name| !is_bay_name(name)) {
                return Err(format!(
                    "`{name}` cannot be the name of a further bay of {}",
                    stored.id
                ));
            }
            Ok(Game {
                id: stored.id,
                title: stored.title,
                root: stored.root.into(),
                registered: true,
                settings: GameSettings {
                    executable: stored.executable,
                    edition: stored.edition,
                    online: stored.online,
                    bays: stored.bays.into_iter().map(|(name, dir)| (name, dir.into())).collect(),
                    version_file,
                },
            })
        };

        let pin = |stored: StoredPin| -> Result<Pin, String> {
            let version = match stored.version {
                None => None,
                Some(text) => Some(text.parse().map_err(|_| format!("`{text}` is not a version"))?),
            };
            Ok(Pin { game: stored.game, family: stored.family, version, why: stored.why })
        };

        let moved = |stored: StoredMove| Moved {
            game: stored.game,
            from: stored.from.into(),
            to: stored.to.into(),
        };
        let mut ids = HashSet::new();
        if let Some(twice) = self.game.iter().find(|game| !ids.insert(game.id.clone())) {
            return Err(format!("two games have the id `{}`", twice.id));
        }
        Ok(Words {
            roots: self.roots.into_iter().map(PathBuf::from).collect(),
            games: self.game.into_iter().map(game).collect::<Result<_, _>>()?,
            pins: self.pin.into_iter().map(pin).collect::<Result<_, _>>()?,
            moved: self.moved.into_iter().map(moved).collect(),
        })
    }
}
