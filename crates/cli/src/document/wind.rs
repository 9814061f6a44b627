//! Another release of a game put onto its folder.

use schemars::JsonSchema;
use serde::Serialize;
use upright_spanner_core as core;

use super::change::Changed;
use super::plan::Plan;

/// The result of a wind, or its plan in a dry run.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(untagged)]
pub enum WindOutcome {
    /// Nothing was changed: the plan.
    Planned(Planned),
    /// It was done.
    Done(Done),
}

/// The plan of a wind.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "WindPlan")]
pub struct Planned {
    #[serde(flatten)]
    plan: Plan,
    wind: Outline,
}

/// The result of a wind.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "WindDone")]
pub struct Done {
    #[serde(flatten)]
    changed: Changed,
    wind: Outline,
}

/// The plan in a few numbers.
#[derive(Debug, Serialize, JsonSchema)]
struct Outline {
    replaced: usize,
    new: usize,
    same: usize,
    /// Files that are moved out of the game's folder.
    aside: u64,
    /// Settings files that keep the user's values.
    settings: usize,
    /// Files of saves that are kept with it.
    saves: usize,
    /// The executable's version; null if the release has no executable.
    version: Option<VersionChange>,
    kinds: Vec<Kind>,
    /// The largest of the files that are replaced or new.
    largest: Vec<Large>,
    /// Components whose version changes with it.
    components: Vec<Component>,
}

/// A version before and after.
#[derive(Debug, Serialize, JsonSchema)]
struct VersionChange {
    before: Option<String>,
    after: Option<String>,
}

/// The files of one kind.
#[derive(Debug, Serialize, JsonSchema)]
struct Kind {
    kind: String,
    replaced: usize,
    new: usize,
    same: usize,
    /// Bytes of those that are replaced or new.
    bytes: u64,
}

/// A large file.
#[derive(Debug, Serialize, JsonSchema)]
struct Large {
    path: String,
    bytes: u64,
}

/// A component that changes with the game.
#[derive(Debug, Serialize, JsonSchema)]
struct Component {
    path: String,
    before: String,
    after: String,
}

impl WindOutcome {
    pub fn planned(plan: Plan, outline: &core::Outline) -> Self {
        Self::Planned(Planned { plan, wind: outline.into() })
    }

    pub fn done(changed: Changed, outline: &core::Outline) -> Self {
        Self::Done(Done { changed, wind: outline.into() })
    }
}

impl From<&core::Outline> for Outline {
    fn from(outline: &core::Outline) -> Self {
        let spoken =
            |version: &Option<core::version::Version>| version.as_ref().map(ToString::to_string);
        let kind = |kind: &core::Kind| Kind {
            kind: kind.name.clone(),
            replaced: kind.replaced,
            new: kind.new,
            same: kind.same,
            bytes: kind.bytes,
        };
        let large = |(path, bytes): &(core::path::TreePath, u64)| Large {
            path: path.to_string(),
            bytes: *bytes,
        };
        let component = |(path, before, after): &(core::path::TreePath, String, String)| {
            Component { path: path.to_string(), before: before.clone(), after: after.clone() }
        };
        Self {
            replaced: outline.replaced,
            new: outline.new,
            same: outline.same,
            aside: outline.aside,
            settings: outline.settings,
            saves: outline.saves,
            version: outline.version.as_ref().map(|(before, after)| VersionChange {
                before: spoken(before),
                after: spoken(after),
            }),
            kinds: outline.kinds.iter().map(kind).collect(),
            largest: outline.largest.iter().map(large).collect(),
            components: outline.components.iter().map(component).collect(),
        }
    }
}
