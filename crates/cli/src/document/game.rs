//! Games and library roots.

use std::collections::BTreeMap;
use std::path::PathBuf;

use schemars::JsonSchema;
use serde::Serialize;
use upright_spanner_core::game::{self, GameVersion, VersionFile};
use upright_spanner_core::image::Machine;
use upright_spanner_core::launcher;
use upright_spanner_core::path::TreePath;
use upright_spanner_core::start::Start;
use upright_spanner_core::survey::GameView;

use super::SchemaNumber;
use super::start::StartMethod;
use crate::text::slashes;

/// The known games.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Games<'a> {
    schema: SchemaNumber,
    games: Vec<Game<'a>>,
}

/// One game, with its programs.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ShownGame<'a> {
    schema: SchemaNumber,
    game: GameInFull<'a>,
}

/// Library roots.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Roots {
    schema: SchemaNumber,
    roots: Vec<String>,
}

/// A game.
#[derive(Debug, Serialize, JsonSchema)]
struct Game<'a> {
    id: &'a str,
    title: &'a str,
    /// Its folder.
    root: String,
    /// Whether the user named it, rather than a survey having come across it.
    registered: bool,
    settings: Settings<'a>,
}

/// A game with its programs.
#[derive(Debug, Serialize, JsonSchema)]
struct GameInFull<'a> {
    #[serde(flatten)]
    game: Game<'a>,
    version: Option<&'a GameVersion>,
    /// How it is started; null if it cannot be.
    start: Option<StartMethod>,
    /// What launchers have written down of it.
    records: Vec<Record>,
    /// Whether a launcher is kept from updating it.
    held: bool,
    /// The likeliest first; the first is the executable that counts.
    programs: Vec<Program<'a>>,
}

/// A launcher's record of a game.
#[derive(Debug, Serialize, JsonSchema)]
struct Record {
    /// The launcher's name.
    launcher: String,
    /// The file that contains it.
    file: String,
    title: Option<String>,
    /// The build that is there, in the launcher's words.
    build: Option<String>,
    /// The build that would come next.
    next: Option<String>,
    /// Whether an update is waiting.
    waiting: bool,
    /// The launcher's address or command for a start.
    start: Option<String>,
}

/// The user's settings of a game.
#[derive(Debug, Serialize, JsonSchema)]
struct Settings<'a> {
    /// The executable that counts.
    executable: Option<&'a str>,
    /// The store edition, in the user's words.
    edition: Option<&'a str>,
    /// Whether it is played online; null if the user did not say.
    online: Option<bool>,
    /// Further folders that files go to, by name.
    bays: BTreeMap<&'a str, String>,
    /// The folder of the environment in which it runs, if it does not run on Windows itself.
    prefix: Option<String>,
    /// The command that starts Windows programs in the prefix.
    run_with: Option<Vec<String>>,
    /// The program to start, as set by the user.
    start: Option<&'a str>,
    /// Its arguments.
    arguments: &'a [String],
    /// Variables of the environment that it is started in.
    environment: &'a BTreeMap<String, String>,
    /// Parts of builds that it is not to have, by family.
    left_out: BTreeMap<&'a str, &'a [String]>,
    /// Folders that data parts go to for a mod manager, by family.
    handoffs: BTreeMap<&'a str, String>,
    /// If the game's version is written, if the executable does not say it.
    version_file: Option<&'a VersionFile>,
}

/// A program of a game.
#[derive(Debug, Serialize, JsonSchema)]
struct Program<'a> {
    path: &'a str,
    /// The higher, the likelier that it is the executable that counts.
    points: i32,
    reasons: &'a [String],
    machine: Machine,
    version: Option<String>,
}

impl<'a> Games<'a> {
    pub fn new(games: &'a [game::Game]) -> Self {
        Self { schema: SchemaNumber, games: games.iter().map(Game::from).collect() }
    }
}

impl<'a> ShownGame<'a> {
    pub fn new(
        view: &'a GameView,
        version: Option<&'a GameVersion>,
        start: Option<&Start>,
    ) -> Self {
        let programs = view.programs.iter().map(Program::from).collect();
        let start = start.map(StartMethod::from);
        let records = view.records.iter().map(Record::from).collect();
        let held = view.is_held;
        let game =
            GameInFull { game: (&view.game).into(), version, start, records, held, programs };
        Self { schema: SchemaNumber, game }
    }
}

impl From<&launcher::Record> for Record {
    fn from(record: &launcher::Record) -> Self {
        Self {
            launcher: record.launcher.clone(),
            file: slashes(&record.file),
            title: record.title.clone(),
            build: record.build.clone(),
            next: record.next.clone(),
            waiting: record.waiting,
            start: record.start.clone(),
        }
    }
}

impl Roots {
    pub fn new(roots: &[PathBuf]) -> Self {
        Self { schema: SchemaNumber, roots: roots.iter().map(|root| slashes(root)).collect() }
    }
}

impl<'a> From<&'a game::Game> for Game<'a> {
    fn from(game: &'a game::Game) -> Self {
        Self {
            id: &game.id,
            title: &game.title,
            root: slashes(&game.root),
            registered: game.registered,
            settings: (&game.settings).into(),
        }
    }
}

impl<'a> From<&'a game::GameSettings> for Settings<'a> {
    fn from(settings: &'a game::GameSettings) -> Self {
        let bays = settings.bays.iter();
        Self {
            executable: settings.executable.as_ref().map(TreePath::as_str),
            edition: settings.edition.as_deref(),
            online: settings.online,
            bays: bays.map(|(name, folder)| (name.as_str(), slashes(folder))).collect(),
            prefix: settings.prefix.as_deref().map(slashes),
            run_with: settings.run_with.clone(),
            start: settings.start.as_deref(),
            arguments: &settings.arguments,
            environment: &settings.environment,
            left_out: settings.left_out.iter().map(|(f, parts)| (&**f, &parts[..])).collect(),
            handoffs: settings.handoffs.iter().map(|(f, dir)| (&**f, slashes(dir))).collect(),
            version_file: settings.version_file.as_ref(),
        }
    }
}

impl<'a> From<&'a game::Executable> for Program<'a> {
    fn from(program: &'a game::Executable) -> Self {
        Self {
            path: program.path.as_str(),
            points: program.score,
            reasons: &program.reasons,
            machine: program.facts.machine,
            version: program.version().map(|version| version.to_string()),
        }
    }
}
