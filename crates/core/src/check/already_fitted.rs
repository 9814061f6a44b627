//! `already-fitted`: every slot holds the build's content, so there is nothing to do.

use crate::finding::{Finding, Severity};
use crate::game::Game;
use crate::rack::Build;

pub(crate) fn finding(build: &Build, game: &Game) -> Finding {
    let sentence = format!("{} already has {} in every place.", game.title, build.id);
    Finding::new("already-fitted", Severity::Note, sentence, "Nothing to do.")
}
