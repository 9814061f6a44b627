//! `family-absent`: the game has no file that the build is a version of.

use crate::finding::{Finding, Severity};
use crate::game::Game;
use crate::rack::Build;

/// Families that are named, which a sentence can hold; the survey shows all.
const SHOWN: usize = 8;

/// Says that `build` has no slot in `game`, whose components are of the families `present`.
pub(crate) fn finding(build: &Build, game: &Game, present: &[String]) -> Finding {
    let sentence = format!(
        "{} has no {}: no file in its folder is a version of it.",
        game.title, build.id.family
    );
    let remedy = if present.is_empty() {
        "No component was found in this game that a build could replace.".to_owned()
    } else {
        let shown = present.iter().take(SHOWN).map(String::as_str).collect::<Vec<_>>().join(", ");
        let rest = present.len().saturating_sub(SHOWN);
        let more = if rest > 0 { format!(" and {rest} more") } else { String::new() };
        format!("Choose a build of a family it has: {shown}{more}.")
    };
    Finding::new("family-absent", Severity::Stop, sentence, remedy)
}
