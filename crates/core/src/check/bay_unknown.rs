//! `bay-unknown`: a build's layout names a bay that the game does not have.

use crate::finding::{Finding, Severity};
use crate::game::Game;
use crate::rack::Build;

pub(crate) fn finding(build: &Build, game: &Game, bay: &str) -> Finding {
    let (sentence, remedy) = if bay == "exe" {
        (
            format!(
                "{} goes beside the executable, but no executable was found in {}.",
                build.id, game.title
            ),
            format!("Name it: spanner game set {} --executable PATH", game.id),
        )
    } else {
        (
            format!("{} puts a file into the bay `{bay}`, which {} lacks.", build.id, game.title),
            format!("Say where that is: spanner game set {} --bay {bay}=FOLDER", game.id),
        )
    };
    Finding::new("bay-unknown", Severity::Stop, sentence, remedy)
}
