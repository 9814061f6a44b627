//! Findings, verdicts, and what findings mean.

use schemars::JsonSchema;
use serde::Serialize;
use upright_spanner_core::check::{self, About, EntryName, Severity, Verdict};
use upright_spanner_core::plan;
use upright_spanner_core::rack::Build;
use upright_spanner_core::survey::{GameView, LookError};
use upright_spanner_core::{CheckedFamily, CheckedGame};

use super::error::Unread;
use super::prove::NotedProof;
use super::{SchemaNumber, text};
use crate::remedy;

/// The results of checking games.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "Check")]
pub struct Checked {
    schema: SchemaNumber,
    games: Vec<Game>,
    errors: Vec<Unread>,
}

/// A game with a verdict a family.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "CheckedGame")]
struct Game {
    id: String,
    title: String,
    version: Option<String>,
    /// What all findings come to.
    verdict: Verdict,
    /// The findings about the game itself: its programs, and everything they load that is not a component.
    findings: Vec<Finding>,
    families: Vec<Family>,
}

/// A family of a game, with its verdict.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "CheckedFamily")]
struct Family {
    family: String,
    version: Option<String>,
    verdict: Verdict,
    /// When it was seen at work since it was fitted; null if it was not.
    proof: Option<NotedProof>,
    findings: Vec<Finding>,
}

/// One thing that a check says.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Finding {
    /// A stable name for scripts, and for `explain`.
    code: String,
    severity: Severity,
    /// The finding in a sentence.
    sentence: String,
    /// What to do.
    remedy: String,
    /// Every name that the sentence is about, if there are such.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    names: Vec<String>,
    /// There, and true, if the user continues despite it.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    overridden: bool,
}

/// The results of checking a build for a game.
#[derive(Debug, Serialize, JsonSchema)]
pub struct CheckedBuild {
    schema: SchemaNumber,
    /// The game's id.
    game: String,
    build: String,
    verdict: Verdict,
    findings: Vec<Finding>,
}

/// Names under which a loader would be loaded.
#[derive(Debug, Serialize, JsonSchema)]
pub struct EntryNames<'a> {
    schema: SchemaNumber,
    /// The game's id.
    game: String,
    /// The best first.
    entries: &'a [EntryName],
}

/// Every finding that there is.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Codes {
    schema: SchemaNumber,
    codes: Vec<Meaning>,
}

/// The meaning of a finding.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Meaning {
    schema: SchemaNumber,
    code: &'static str,
    cause: &'static str,
    consequence: &'static str,
    remedy: String,
    example: &'static str,
    /// Whether `--despite` overrides it.
    overridable: bool,
}

impl Checked {
    pub fn new(rows: &[(&GameView, &CheckedGame)], errors: &[LookError]) -> Self {
        let game = |(view, checked): &(&GameView, &CheckedGame)| Game {
            id: view.game.id.clone(),
            title: view.game.title.clone(),
            version: text(view.version.as_ref().and_then(|known| known.version.as_ref())),
            verdict: checked.verdict(),
            findings: findings(&checked.findings),
            families: checked.families.iter().map(|it| Family::new(it, view)).collect(),
        };
        Self {
            schema: SchemaNumber,
            games: rows.iter().map(game).collect(),
            errors: errors.iter().map(Unread::from).collect(),
        }
    }
}

impl Family {
    fn new(checked: &CheckedFamily, view: &GameView) -> Self {
        let mark = view.mark();
        let proof = view.proven(&checked.family);
        Self {
            proof: proof.map(|proven| NotedProof::new(proven, mark.as_ref())),
            family: checked.family.clone(),
            version: text(checked.version.as_ref()),
            verdict: checked.verdict,
            findings: findings(&checked.findings),
        }
    }
}

/// What checks say.
pub fn findings<'a>(findings: impl IntoIterator<Item = &'a check::Finding>) -> Vec<Finding> {
    findings.into_iter().map(Finding::from).collect()
}

impl From<&check::Finding> for Finding {
    fn from(finding: &check::Finding) -> Self {
        Self {
            code: finding.code.clone(),
            severity: finding.severity,
            sentence: finding.sentence.clone(),
            remedy: remedy::worded(&finding.remedy),
            names: finding.names.clone(),
            overridden: finding.overridden,
        }
    }
}

impl CheckedBuild {
    pub fn new(plan: &plan::Plan, build: &Build, verdict: Verdict) -> Self {
        Self {
            schema: SchemaNumber,
            game: plan.game.id.clone(),
            build: build.id.to_string(),
            verdict,
            findings: findings(&plan.findings),
        }
    }
}

impl<'a> EntryNames<'a> {
    pub fn new(view: &GameView, entries: &'a [EntryName]) -> Self {
        Self { schema: SchemaNumber, game: view.game.id.clone(), entries }
    }
}

impl Codes {
    pub fn new(all: &[About]) -> Self {
        Self { schema: SchemaNumber, codes: all.iter().map(Meaning::from).collect() }
    }
}

impl From<&About> for Meaning {
    fn from(about: &About) -> Self {
        Self {
            schema: SchemaNumber,
            code: about.code,
            cause: about.cause,
            consequence: about.consequence,
            remedy: remedy::worded(&about.remedy),
            example: about.example,
            overridable: about.overridable,
        }
    }
}
