//! The evidence about a game's components at run time.

use schemars::JsonSchema;
use serde::Serialize;
use upright_spanner_core::catalog::Role;
use upright_spanner_core::change::ExecutableMark;
use upright_spanner_core::prove::{self, FileProof, Loaded, LogProof, Outcome, Proof, Report};
use upright_spanner_core::proven::Proven;

use super::{SchemaNumber, text};
use crate::remedy;
use crate::text::slashes;

/// The evidence about a game.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "Prove")]
pub struct Proved {
    schema: SchemaNumber,
    #[serde(flatten)]
    proof: ProofDocument,
}

/// The evidence about a game.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "Proof")]
pub struct ProofDocument {
    /// The game's id.
    game: String,
    /// Whether it runs now.
    runs: bool,
    /// Its processes, also those that have ended in the meantime.
    processes: Vec<Process>,
    /// Why its processes were not looked into, if they were not.
    not_looked_into: Option<String>,
    /// The time of the start.
    started: Option<String>,
    /// Whether every component is as it should be.
    good: bool,
    components: Vec<Component>,
}

/// A process of a game.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "GameProcess")]
struct Process {
    pid: u32,
    since: Option<String>,
    ended: bool,
}

/// The evidence about a component.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "ProvedComponent")]
struct Component {
    family: String,
    role: Role,
    /// The version that is in the game.
    version: Option<String>,
    /// The change that put it there, if one did.
    change: Option<i64>,
    files: Vec<File>,
    loaded: Loaded,
    /// The file that was loaded instead, in the game or as its process sees it.
    loaded_instead: Option<String>,
    report: Report,
    log: Option<Log>,
    verdict: Outcome,
    /// What to do, if something is not as it should be.
    remedy: Option<String>,
}

/// Whether a library was loaded.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "ProvedFile")]
struct File {
    path: String,
    loaded: Loaded,
}

/// A log's statements about a component.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "ReadLog")]
struct Log {
    /// From the drive on.
    path: String,
    /// When it was last written.
    written: String,
    /// Whether a catalog describes it; otherwise it is likely to be the component's.
    described: bool,
    /// The version that the component states.
    version: Option<String>,
    /// The line that states it.
    line: Option<String>,
    /// What went wrong, in the log's words.
    error: Option<String>,
    /// Whether it says that it does not know the game's executable.
    unknown_game: bool,
}

/// That something was seen at work, as it was noted.
#[derive(Debug, Serialize, JsonSchema)]
pub struct NotedProof {
    family: String,
    /// `proved`, or `loaded` if it did not say itself which version it is.
    what: &'static str,
    at: String,
    /// Whether the game was updated since, so that it would have to be seen again.
    old: bool,
}

impl NotedProof {
    /// The proof with the executable that counts now.
    pub fn new(proven: &Proven, executable: Option<&ExecutableMark>) -> Self {
        Self {
            family: proven.family.clone(),
            what: proven.name(),
            at: proven.at.to_string(),
            old: proven.is_old(executable),
        }
    }
}

impl Proved {
    pub fn new(proof: &Proof) -> Self {
        Self { schema: SchemaNumber, proof: proof.into() }
    }
}

impl From<&Proof> for ProofDocument {
    fn from(proof: &Proof) -> Self {
        let process = |running: &prove::Running| Process {
            pid: running.pid,
            since: text(running.since.as_ref()),
            ended: running.has_ended,
        };
        Self {
            game: proof.game.clone(),
            runs: proof.runs(),
            processes: proof.running.iter().map(process).collect(),
            not_looked_into: proof.not_looked_into.clone(),
            started: text(proof.started.as_ref()),
            good: proof.is_good(),
            components: proof.components.iter().map(Component::from).collect(),
        }
    }
}

impl From<&prove::ComponentProof> for Component {
    fn from(proof: &prove::ComponentProof) -> Self {
        Self {
            family: proof.family.clone(),
            role: proof.role,
            version: text(proof.version.as_ref()),
            change: proof.change,
            files: proof.files.iter().map(File::from).collect(),
            loaded: proof.loaded,
            loaded_instead: proof.instead.clone(),
            report: proof.report,
            log: proof.log.as_ref().map(Log::from),
            verdict: proof.outcome,
            remedy: proof.remedy.as_ref().map(remedy::worded),
        }
    }
}

impl From<&FileProof> for File {
    fn from(file: &FileProof) -> Self {
        Self { path: file.path.to_string(), loaded: file.loaded }
    }
}

impl From<&LogProof> for Log {
    fn from(log: &LogProof) -> Self {
        Self {
            path: slashes(&log.path),
            written: log.written.to_string(),
            described: log.is_described,
            version: log.version.clone(),
            line: log.line.clone(),
            error: log.error.clone(),
            unknown_game: log.unknown_game,
        }
    }
}
