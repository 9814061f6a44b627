//! `exe-unsupported` and `exe-unknown`: a build does not support the game's version, or no version is stated.

use super::{CheckInput, keyed_elsewhere, remedy};
use crate::finding::{Finding, Severity};
use crate::remedy::Action;
use upright_spanner_image::requirement::Coverage;

/// The code for a game whose version nothing states.
pub(crate) const UNKNOWN: &str = "exe-unknown";

pub(crate) fn check(input: &CheckInput<'_>) -> Option<Finding> {
    let exe = input.executable()?.path.file_name();
    let label = input.label();
    let Some(supports) = input.subject.supports.as_ref() else {
        let keys = keyed_elsewhere::keys(input);
        let (key, source) = keys.first().filter(|_| input.game_version().is_none())?;
        let sentence = format!(
            "{label} is made for version {key} of the game ({source} says so), and {exe} does not state its version."
        );
        return Some(unknown(input, sentence));
    };
    let Some(version) = input.game_version() else {
        let sentence = format!(
            "{label} supports version {supports} of the game, and {exe} does not state its version."
        );
        return Some(unknown(input, sentence));
    };

    let how = match supports.check(version) {
        Coverage::Inside => return None,
        Coverage::TooNew => "newer than all of these",
        Coverage::TooOld => "older than all of these",
        Coverage::Between => "not among these",
    };

    let sentence =
        format!("{label} supports version {supports} of the game, but {exe} is {version}, {how}.");
    let remedy = remedy::for_version(input, version);
    Some(Finding::new("exe-unsupported", Severity::Stop, sentence, remedy))
}

/// The finding that support is unknown.
fn unknown(input: &CheckInput<'_>, sentence: String) -> Finding {
    let remedy = (
        "Look up the game's version, and name the file that states it.",
        Action::NameVersionFile { game: input.situation.game().id.clone().into() },
    );
    Finding::new(UNKNOWN, Severity::Warn, sentence, remedy)
}
