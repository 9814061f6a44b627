//! Changes, and the use of the store.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::Serialize;
use upright_spanner_core::proven::{Proofs, Proven};
use upright_spanner_core::{ChangeStatus, StoreUse, change};

use super::SchemaNumber;
use super::change::Change;

/// Changes, the newest first.
#[derive(Debug, Serialize, JsonSchema)]
pub struct History {
    schema: SchemaNumber,
    changes: Vec<PastChange>,
}

/// A change, and what of it holds today.
#[derive(Debug, Serialize, JsonSchema)]
struct PastChange {
    #[serde(flatten)]
    change: Change,
    /// What of it holds today; `-` for nothing.
    #[schemars(extend("enum" = ["in force", "replaced", "undone", "-"]))]
    now: &'static str,
    /// What of it was seen at work, and when.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    proofs: Vec<ChangeProof>,
}

/// The proof of a family that a change fitted.
#[derive(Debug, Serialize, JsonSchema)]
struct ChangeProof {
    family: String,
    /// `proved`, or `loaded` if it did not say itself which version it is.
    what: &'static str,
    at: String,
}

/// The use of the store by game.
#[derive(Debug, Serialize, JsonSchema)]
pub struct StoreSize<'a> {
    schema: SchemaNumber,
    /// By the game's id.
    games: BTreeMap<&'a str, Amount>,
    /// Files moved aside beside the games' folders, by the game's id; they are not in the store.
    aside: BTreeMap<&'a str, Amount>,
    rack: Amount,
    /// What several keep counts once.
    all: Amount,
}

/// An amount of files.
#[derive(Debug, Serialize, JsonSchema)]
struct Amount {
    files: usize,
    bytes: u64,
}

impl History {
    pub fn new(changes: &[change::Change], statuses: &[ChangeStatus], proofs: &Proofs) -> Self {
        let changes = changes.iter().zip(statuses);
        let past = |(change, status): (&change::Change, &ChangeStatus)| PastChange {
            change: change.into(),
            now: status.name(),
            proofs: proofs.of_change(change.number()).map(ChangeProof::from).collect(),
        };
        Self { schema: SchemaNumber, changes: changes.map(past).collect() }
    }
}

impl From<&Proven> for ChangeProof {
    fn from(proven: &Proven) -> Self {
        let family = proven.family.clone();
        Self { family, what: proven.name(), at: proven.at.to_string() }
    }
}

impl<'a> From<&'a StoreUse> for StoreSize<'a> {
    fn from(used: &'a StoreUse) -> Self {
        let games = used.games.iter();
        let aside = used.aside.iter();
        Self {
            schema: SchemaNumber,
            games: games.map(|(game, used)| (game.as_str(), Amount::from(*used))).collect(),
            aside: aside.map(|(game, used)| (game.as_str(), Amount::from(*used))).collect(),
            rack: used.rack.into(),
            all: used.all.into(),
        }
    }
}

impl From<(usize, u64)> for Amount {
    fn from((files, bytes): (usize, u64)) -> Self {
        Self { files, bytes }
    }
}
