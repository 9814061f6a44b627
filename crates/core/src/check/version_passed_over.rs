//! `version-passed-over`: a newer build is on the rack, and something stops it in this game.

use crate::finding::{Finding, Severity};
use crate::game::Game;
use crate::rack::Build;
use crate::remedy::Action;

pub(crate) fn finding(build: &Build, game: &Game, why: &str) -> Finding {
    let sentence = match why {
        "" => format!("{} was passed over: an older build works with the rest.", build.id),
        why => format!("A newer build was passed over: {why}"),
    };
    let remedy = (
        "Nothing to do; you can check it separately.",
        Action::Check { game: game.id.clone().into(), build: build.id.to_string().into() },
    );
    Finding::new("version-passed-over", Severity::Note, sentence, remedy)
}
