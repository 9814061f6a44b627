//! What a game is started with, what is in its way, and what came of the start.

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
    start: Way,
    /// The processes of the game that ran already.
    running: Vec<u32>,
    /// What is not as it was left.
    drifted: Vec<Drifted>,
    /// What would not load.
    findings: Vec<Finding>,
    /// When it was started; null for a dry run.
    started: Option<String>,
    /// The code with which what was started ended, if it was waited for.
    exit_code: Option<i32>,
    /// What was proved, if that was wanted.
    proof: Option<ProofDocument>,
}

/// What a game is started with.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Way {
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

/// What it is.
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
    /// How it stands to its record.
    state: &'static str,
    target: String,
}

impl From<&Start> for Way {
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

    /// Notes what was proved.
    pub fn proved(&mut self, proof: &Proof) {
        self.proof = Some(proof.into());
    }
}
