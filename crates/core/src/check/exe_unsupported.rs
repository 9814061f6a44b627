//! `exe-unsupported` and `exe-unknown`: the game's version is not among those that a build goes
//! with, or nothing tells it.

use super::{Finding, Severity};
use crate::game::{Executable, GameVersion};
use crate::rack::Build;
use crate::requirement::Fit;

pub(crate) fn check(
    build: &Build,
    executable: &Executable,
    version: Option<&GameVersion>,
) -> Option<Finding> {
    let supports = build.supports.as_ref()?;
    let exe = executable.path.file_name();
    let Some(version) = version.and_then(|known| known.version.as_ref()) else {
        let sentence = format!(
            "{} goes with version {supports} of the game, and {exe} does not say which version it is.",
            build.id
        );
        let remedy = "Look up the game's version, and name where it is written with `spanner game \
                      set GAME --version-file`."
            .to_owned();
        return Some(Finding::new("exe-unknown", Severity::Warn, sentence, remedy));
    };
    let (how, remedy) = match supports.check(version) {
        Fit::Inside => return None,
        Fit::TooNew => (
            "newer than all of these",
            "The game was probably updated: wait for a build that knows it, or wind the game back.",
        ),
        Fit::TooOld => ("older than all of these", "Update the game, or use an older build."),
        Fit::Between => ("not among these", "Use a build that names this version."),
    };
    let sentence = format!(
        "{} goes with version {supports} of the game, but {exe} is {version}, {how}.",
        build.id
    );
    Some(Finding::new("exe-unsupported", Severity::Stop, sentence, remedy.to_owned()))
}
