//! How a game is started, the problems before the start, and the result.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::Serialize;
use upright_spanner_core::BeforeStart;
use upright_spanner_core::image::Rights;
use upright_spanner_core::prove::Proof;
use upright_spanner_core::start::{Chosen, Run, Start};

use super::SchemaNumber;
use super::change::StepOwner;
use super::check::Finding;
use super::prove::ProofDocument;
use crate::text::slashes;

/// A game that is started.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "Start")]
pub struct StartDocument {
    schema: SchemaNumber,
    /// The game's id.
    game: String,
    start: StartMethod,
    /// The processes of the game that ran already.
    running: Vec<u32>,
    /// Targets that differ from their records.
    drifted: Vec<Drifted>,
    /// Problems with loading.
    findings: Vec<Finding>,
    /// When it was started; null for a dry run.
    started: Option<String>,
    /// The exit code of the started program, if it was waited for.
    exit_code: Option<i32>,
    /// The proof, if requested.
    proof: Option<ProofDocument>,
}

/// The start of a game.
#[derive(Debug, Serialize, JsonSchema)]
pub struct StartMethod {
    /// A path in the game, a command or an address.
    what: String,
    kind: Kind,
    chosen: Why,
    /// The component that brought it, if one did.
    family: Option<String>,
    /// The whole command; null for an address, and if nothing says how it is run.
    command: Option<Vec<String>>,
    /// The folder that it is run in.
    folder: String,
    environment: BTreeMap<String, String>,
    /// Whether it asks for an administrator's rights.
    administrator: bool,
}

/// Its kind.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
#[schemars(rename = "StartKind")]
enum Kind {
    /// A program of the game.
    Program,
    /// A command.
    Command,
    /// An address for the system's opener.
    Address,
}

/// Why it is this.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
#[schemars(rename = "StartChosen")]
enum Why {
    /// It was named this time.
    Once,
    /// The user set it.
    Setting,
    /// A component brought it.
    Starter,
    /// A launcher that is described starts the game.
    Launcher,
    /// It is the executable that counts.
    Executable,
}

/// Something that is not as it was left.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "DriftedBeforeStart")]
struct Drifted {
    #[serde(flatten)]
    owner: StepOwner,
    /// Its state compared with its record.
    state: &'static str,
    target: String,
}

impl From<&Start> for StartMethod {
    fn from(start: &Start) -> Self {
        let kind = match &start.run {
            Run::Program { .. } => Kind::Program,
            Run::Command(_) => Kind::Command,
            Run::Address(_) => Kind::Address,
        };
        let (chosen, family) = match &start.chosen {
            Chosen::Once => (Why::Once, None),
            Chosen::Setting => (Why::Setting, None),
            Chosen::Starter { family } => (Why::Starter, Some(family.clone())),
            Chosen::Launcher { .. } => (Why::Launcher, None),
            Chosen::Executable => (Why::Executable, None),
        };
        Self {
            what: start.what(),
            kind,
            chosen,
            family,
            command: start.command().ok().flatten(),
            folder: slashes(&start.folder),
            environment: start.environment.clone(),
            administrator: start.rights == Rights::Administrator,
        }
    }
}

impl StartDocument {
    pub fn new(start: &Start, before: &BeforeStart) -> Self {
        let drifted = before.drifted.iter().map(|drifted| Drifted {
            owner: (&drifted.owner).into(),
            state: drifted.state.name(),
            target: drifted.target.to_string(),
        });
        Self {
            schema: SchemaNumber,
            game: start.game.clone(),
            start: start.into(),
            running: before.running.clone(),
            drifted: drifted.collect(),
            findings: before.findings.iter().map(Finding::from).collect(),
            started: None,
            exit_code: None,
            proof: None,
        }
    }

    /// Notes when it was started.
    pub fn started(&mut self, at: jiff::Timestamp) {
        self.started = Some(at.to_string());
    }

    /// Notes with which code it ended.
    pub fn ended(&mut self, code: Option<i32>) {
        self.exit_code = code;
    }

    /// Adds a proof.
    pub fn proved(&mut self, proof: &Proof) {
        self.proof = Some(proof.into());
    }
}
