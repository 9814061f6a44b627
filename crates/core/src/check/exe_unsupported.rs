//! `exe-unsupported` and `exe-unknown`: the game's version is not among those that a build goes
//! with, or nothing tells it.

use super::{Case, remedy};
use crate::finding::{Finding, Severity};
use crate::remedy::Action;
use crate::requirement::Fit;

/// The code for a game whose version nothing tells.
pub(crate) const UNKNOWN: &str = "exe-unknown";

pub(crate) fn check(case: &Case<'_>) -> Option<Finding> {
    let supports = case.build.supports.as_ref()?;
    let exe = case.executable()?.path.file_name();
    let label = case.label();
    let Some(version) = case.game_version() else {
        let sentence = format!(
            "{label} goes with version {supports} of the game, and {exe} does not say which version it is."
        );
        let remedy = (
            "Look up the game's version, and name the file that states it.",
            Action::NameVersionFile { game: case.view.game.id.clone().into() },
        );
        return Some(Finding::new(UNKNOWN, Severity::Warn, sentence, remedy));
    };
    let how = match supports.check(version) {
        Fit::Inside => return None,
        Fit::TooNew => "newer than all of these",
        Fit::TooOld => "older than all of these",
        Fit::Between => "not among these",
    };
    let sentence =
        format!("{label} goes with version {supports} of the game, but {exe} is {version}, {how}.");
    let remedy = remedy::for_version(case, version);
    Some(Finding::new("exe-unsupported", Severity::Stop, sentence, remedy))
}
