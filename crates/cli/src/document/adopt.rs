//! Swaps made by hand.

use schemars::JsonSchema;
use serde::Serialize;
use upright_spanner_core::Adoption;
use upright_spanner_core::plan::{self, AdoptedFile};

use super::change::{Step, steps};
use super::plan::Outcome;
use super::{SchemaNumber, text, texts};

/// Swaps made by hand that come under management.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Adopted {
    schema: SchemaNumber,
    /// The game's id.
    game: String,
    swaps: Vec<Swap>,
    steps: Vec<Step>,
    /// The result of removing the copies, if requested.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub removal: Option<Outcome>,
}

/// A swap made by hand.
#[derive(Debug, Serialize, JsonSchema)]
struct Swap {
    /// The file that the game loads.
    live: SwappedFile,
    /// The copy of the game's own.
    original: SwappedFile,
    /// Further copies.
    others: Vec<String>,
}

/// One of its files.
#[derive(Debug, Serialize, JsonSchema)]
struct SwappedFile {
    path: String,
    version: Option<String>,
    /// The name that its signature has, whether or not it holds.
    signer: Option<String>,
}

impl Adopted {
    pub fn new(plan: &plan::Plan, adoptions: &[Adoption]) -> Self {
        let swap = |adoption: &Adoption| Swap {
            live: (&adoption.live).into(),
            original: (&adoption.original).into(),
            others: texts(&adoption.others),
        };
        Self {
            schema: SchemaNumber,
            game: plan.game.id.clone(),
            swaps: adoptions.iter().map(swap).collect(),
            steps: steps(&plan.steps),
            removal: None,
        }
    }
}

impl From<&AdoptedFile> for SwappedFile {
    fn from(file: &AdoptedFile) -> Self {
        Self {
            path: file.path.to_string(),
            version: text(file.version.as_ref()),
            signer: file.signer.clone(),
        }
    }
}
