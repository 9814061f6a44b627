//! `family-absent`: the game has no file that the build is a version of.

use super::{Finding, Severity};
use crate::game::Game;
use crate::rack::Build;

/// Says that `build` has no slot in `game`, whose components are of the families `present`.
pub(crate) fn finding(build: &Build, game: &Game, present: &[String]) -> Finding {
    let sentence = format!(
        "{} has no {}: no file in its folder is a version of it.",
        game.title, build.id.family
    );
    let remedy = if present.is_empty() {
        "No component was found in this game that a build could replace.".to_owned()
    } else {
        format!("Choose a build of what it has: {}.", present.join(", "))
    };
    Finding::new("family-absent", Severity::Stop, sentence, remedy)
}
