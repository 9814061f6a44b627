//! `bay-unknown`: a build's layout names a bay that the game does not have.

use crate::finding::{Finding, Severity};
use crate::game::Game;
use crate::rack::Build;
use crate::remedy::Action;

pub(crate) fn finding(build: &Build, game: &Game, bay: &str) -> Finding {
    let (sentence, remedy) = if bay == "exe" {
        (
            format!(
                "{} goes beside the executable, but no executable was found in {}.",
                build.id, game.title
            ),
            ("Name it.", Action::NameExecutable { game: game.id.clone().into() }),
        )
    } else {
        (
            format!("{} puts a file into the bay `{bay}`, which {} lacks.", build.id, game.title),
            (
                "Give its folder.",
                Action::NameBay { game: game.id.clone().into(), bay: bay.to_owned().into() },
            ),
        )
    };
    Finding::new("bay-unknown", Severity::Stop, sentence, remedy)
}
