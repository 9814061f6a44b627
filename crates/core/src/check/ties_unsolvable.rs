//! `ties-unsolvable`: what builds require of one another leaves no choice.

use crate::finding::{Finding, Severity};
use crate::game::Game;
use crate::rack::Build;

pub(crate) fn finding(build: &Build, game: &Game, sentences: &[String]) -> Finding {
    let sentence = format!(
        "No build of {} works with what {} has: {}.",
        build.id.family,
        game.title,
        sentences.join("; ")
    );
    let remedy = "Add a build to the rack that works with all of them, or park the component that prevents it.";
    Finding::new("ties-unsolvable", Severity::Stop, sentence, remedy)
}
