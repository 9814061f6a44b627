//! Plans, and what came of them.

use std::path::PathBuf;

use schemars::JsonSchema;
use serde::Serialize;
use upright_spanner_core::change;
use upright_spanner_core::plan;
use upright_spanner_core::registry::RegLine;

use super::SchemaNumber;
use super::change::{Change, Changed, Folders, Place, Step, steps};
use super::check::{Finding, findings};
use super::error::FailedGame;
use crate::text::slashes;

/// The plan of a command that alters a game.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Plan {
    schema: SchemaNumber,
    /// The game's id.
    game: String,
    summary: String,
    steps: Vec<Step>,
    folders: Folders,
    merges: Vec<Merge>,
    handoff: Vec<Handoff>,
    /// The registry values that are written to the named `.reg` file instead, in words.
    written: Vec<String>,
    findings: Vec<Finding>,
}

/// A settings file into which a newer one is merged.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Merge {
    #[serde(flatten)]
    place: Place,
    /// Settings that come in, as `[section] key=value`.
    added: Vec<String>,
    /// Settings that the user never changed, and that follow the newer file.
    followed: Vec<String>,
    /// Settings that the newer file does not have; they are kept.
    vanished: Vec<String>,
    /// New settings that stay out, since the user's file cannot hold their letters.
    left_out: Vec<String>,
}

/// A file that is packed for a mod manager instead of put into the game.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Handoff {
    /// Its path in the archive.
    to: String,
    blake3: String,
    /// In bytes.
    size: u64,
}

/// The result of a command that alters a game, or its plan in a dry run.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(untagged)]
pub enum Outcome {
    /// Nothing was changed: the plan.
    Planned(Plan),
    /// It was done.
    Done(Changed),
}

/// The result of a fit.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Fitted {
    schema: SchemaNumber,
    /// Null if nothing of the game had to be changed.
    change: Option<Change>,
    /// The archives that were made for a mod manager.
    handoff: Vec<String>,
}

/// What became of several games.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Several {
    schema: SchemaNumber,
    games: Vec<OneOfSeveral>,
}

/// What became of one of several games.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(untagged)]
pub enum OneOfSeveral {
    /// It was done, or would be.
    Outcome(Box<Outcome>),
    /// It was refused.
    Refused(Refused),
    /// It failed.
    Failed(FailedGame),
}

/// A game that was refused.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Refused {
    game: String,
    refused: Vec<Finding>,
}

impl From<&plan::Plan> for Plan {
    fn from(plan: &plan::Plan) -> Self {
        Self {
            schema: SchemaNumber,
            game: plan.game.id.clone(),
            summary: plan.summary.clone(),
            steps: steps(&plan.steps),
            folders: Folders::of(&plan.steps),
            merges: plan.merges.iter().map(Merge::from).collect(),
            handoff: plan.handoff.iter().map(Handoff::from).collect(),
            written: plan.written.iter().filter_map(RegLine::in_words).collect(),
            findings: findings(&plan.findings),
        }
    }
}

impl From<&plan::Merge> for Merge {
    fn from(merge: &plan::Merge) -> Self {
        Self {
            place: (&merge.place).into(),
            added: merge.merged.added.clone(),
            followed: merge.merged.followed.clone(),
            vanished: merge.merged.vanished.clone(),
            left_out: merge.merged.left_out.clone(),
        }
    }
}

impl From<&plan::Handoff> for Handoff {
    fn from(file: &plan::Handoff) -> Self {
        Self {
            to: file.to.to_string(),
            blake3: file.content.blake3.to_string(),
            size: file.content.size,
        }
    }
}

impl Fitted {
    pub fn new(change: Option<&change::Change>, archives: &[PathBuf]) -> Self {
        Self {
            schema: SchemaNumber,
            change: change.map(Change::from),
            handoff: archives.iter().map(|archive| slashes(archive)).collect(),
        }
    }
}

impl Several {
    pub fn new(games: Vec<OneOfSeveral>) -> Self {
        Self { schema: SchemaNumber, games }
    }
}

impl From<Outcome> for OneOfSeveral {
    fn from(outcome: Outcome) -> Self {
        Self::Outcome(Box::new(outcome))
    }
}

impl OneOfSeveral {
    /// The document of a plan.
    pub fn planned(plan: &plan::Plan) -> Self {
        Outcome::Planned(plan.into()).into()
    }

    /// The document of a finished change.
    pub fn done(change: &change::Change) -> Self {
        Outcome::Done(Changed::new(change)).into()
    }

    /// The findings that stopped it.
    pub fn refused(plan: &plan::Plan) -> Self {
        Self::Refused(Refused { game: plan.game.id.clone(), refused: findings(plan.stops()) })
    }

    /// The error by which it failed.
    pub fn failed(game: &str, error: &anyhow::Error) -> Self {
        Self::Failed(FailedGame::new(game, error))
    }
}
