//! What differs from the records.

use schemars::JsonSchema;
use serde::Serialize;
use upright_spanner_core::check;
use upright_spanner_core::plan::{self, VersionChange};
use upright_spanner_core::survey::GameView;

use super::SchemaNumber;
use super::change::{Executable, Place, RegistryValue, Side, StepOwner, registry_value};
use super::check::{Finding, findings};
use crate::text::slashes;

/// The state of games compared with their records.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "Drift")]
pub struct DriftDocument {
    schema: SchemaNumber,
    games: Vec<DriftedGame>,
}

/// A game, and the findings about it.
#[derive(Debug, Serialize, JsonSchema)]
struct DriftedGame {
    drift: Drift,
    /// Whether anything differs.
    drifted: bool,
    /// The findings, if the game was updated.
    findings: Vec<Finding>,
}

/// What differs in one game.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "DriftOfGame")]
struct Drift {
    /// The game's id.
    game: String,
    files: Vec<DriftedFile>,
    /// The release of the last wind.
    wound: Option<Wound>,
    /// What keeps launchers from updating the game.
    held: Vec<Held>,
    /// The updates that launchers are waiting to install.
    waiting: Vec<Waiting>,
    /// The executable that counted at the last change, if another is there now.
    executable_then: Option<Executable>,
    executable_now: Option<Executable>,
}

/// A release that was put onto a game's folder.
#[derive(Debug, Serialize, JsonSchema)]
struct Wound {
    /// The number of the change.
    change: i64,
    /// The folders and archives of the release.
    from: Vec<String>,
    /// The patterns of the files that were moved aside.
    aside: Vec<String>,
    /// The game's version before it.
    was: Option<String>,
    /// The game's version with it.
    is: Option<String>,
    /// How many files it is of.
    files: usize,
    /// Those that are different now, or missing.
    others: Vec<Place>,
}

/// A launcher's record that keeps it from updating the game.
#[derive(Debug, Serialize, JsonSchema)]
struct Held {
    file: String,
    /// Why, in the user's words.
    why: Option<String>,
    /// The number of the change.
    change: i64,
    /// Whether it does not keep the launcher away any more.
    lifted: bool,
}

/// An update that a launcher waits with.
#[derive(Debug, Serialize, JsonSchema)]
struct Waiting {
    launcher: String,
    /// The build, if the launcher names one.
    build: Option<String>,
}

/// A file of which there is a record.
#[derive(Debug, Serialize, JsonSchema)]
struct DriftedFile {
    #[serde(flatten)]
    place: Place,
    /// Whether it is the file, its read-only mark, or a value of the registry.
    #[schemars(extend("enum" = ["file", "read-only", "registry-value"]))]
    kind: &'static str,
    /// The value of the registry.
    #[serde(skip_serializing_if = "Option::is_none")]
    value: Option<RegistryValue>,
    #[serde(flatten)]
    owner: StepOwner,
    /// Its present state; `waiting` if an interrupted change is about it.
    #[schemars(extend("enum" = ["fitted", "shipped", "overwritten", "missing", "foreign", "waiting"]))]
    state: &'static str,
    recorded: Side,
    now: Side,
    /// How the version that is there compares with the recorded one.
    #[schemars(extend("enum" = ["older", "same", "newer", "unknown", null]))]
    than: Option<&'static str>,
    /// The name that its signature has, whether or not it holds.
    signer: Option<String>,
}

impl DriftDocument {
    pub fn new(drifts: &[(&GameView, plan::Drift, Vec<check::Finding>)]) -> Self {
        let game = |(_, drift, found): &(&GameView, plan::Drift, Vec<check::Finding>)| {
            DriftedGame { drift: drift.into(), drifted: drift.is_off(), findings: findings(found) }
        };
        Self { schema: SchemaNumber, games: drifts.iter().map(game).collect() }
    }
}

impl From<&plan::Drift> for Drift {
    fn from(drift: &plan::Drift) -> Self {
        Self {
            game: drift.game.clone(),
            files: drift.files.iter().map(DriftedFile::from).collect(),
            wound: drift.wound.as_ref().map(Wound::from),
            held: drift.held.iter().map(Held::from).collect(),
            waiting: drift.waiting.iter().map(Waiting::from).collect(),
            executable_then: drift.executable_then.as_ref().map(Executable::from),
            executable_now: drift.executable_now.as_ref().map(Executable::from),
        }
    }
}

impl From<&plan::Wound> for Wound {
    fn from(wound: &plan::Wound) -> Self {
        Self {
            change: wound.change,
            from: wound.from.clone(),
            aside: wound.aside.clone(),
            was: wound.was.as_ref().map(ToString::to_string),
            is: wound.is.as_ref().map(ToString::to_string),
            files: wound.files,
            others: wound.others.iter().map(Place::from).collect(),
        }
    }
}

impl From<&plan::Held> for Held {
    fn from(held: &plan::Held) -> Self {
        Self {
            file: slashes(&held.file),
            why: held.why.clone(),
            change: held.change,
            lifted: held.is_lifted,
        }
    }
}

impl From<&(String, Option<String>)> for Waiting {
    fn from((launcher, build): &(String, Option<String>)) -> Self {
        Self { launcher: launcher.clone(), build: build.clone() }
    }
}

impl From<&plan::Drifted> for DriftedFile {
    fn from(file: &plan::Drifted) -> Self {
        Self {
            place: Place::of(&file.target),
            kind: file.target.kind(),
            value: registry_value(&file.target),
            owner: (&file.owner).into(),
            state: file.state.name(),
            recorded: (&file.recorded).into(),
            now: (&file.now).into(),
            than: file.version_change.map(VersionChange::name),
            signer: file.signer.clone(),
        }
    }
}
