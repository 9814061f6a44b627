//! `pinned`: the user keeps a family of this game at a version, for a reason.

use serde::{Deserialize, Serialize};

use super::{Case, Finding, Severity};
use crate::path::same_name;
use crate::version::Version;

/// A family that is kept at a version in a game.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Pin {
    /// The id of the game.
    pub game: String,
    /// The family.
    pub family: String,
    /// The version that it is kept at; whatever it has, where it is left out.
    pub version: Option<Version>,
    /// The reason.
    pub why: String,
}

impl Pin {
    /// The version in words.
    pub fn at(&self) -> String {
        self.version.as_ref().map_or_else(|| "what it has".to_owned(), ToString::to_string)
    }
}

pub(crate) fn check(case: &Case<'_>) -> Option<Finding> {
    let pin = case.pins.iter().find(|pin| same_name(&pin.family, &case.build.id.family))?;
    if case.in_place || pin.version.is_some() && pin.version == case.build.version {
        return None;
    }
    let game = &case.view.game;
    let sentence = format!(
        "{} is pinned to {} in {} (\"{}\"), and this is {}.",
        pin.family,
        pin.at(),
        game.title,
        pin.why,
        case.build.id
    );
    let remedy = format!("If the reason is gone: spanner unpin {} {}", game.id, pin.family);
    Some(Finding::new("pinned", Severity::Stop, sentence, remedy))
}
