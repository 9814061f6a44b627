//! `slot-ambiguous`: the build could replace files with several names.

use crate::finding::{Finding, Severity};
use crate::game::Game;
use crate::path::TreePath;
use crate::rack::Build;
use crate::remedy::Action;

pub(crate) fn check(build: &Build, game: &Game, slots: &[&TreePath]) -> Option<Finding> {
    let mut names: Vec<String> = slots.iter().map(|path| path.file_name().to_lowercase()).collect();
    names.sort();
    names.dedup();
    (names.len() > 1).then(|| {
        let sentence = format!(
            "{} could replace files under {} names here: {}.",
            build.id,
            names.len(),
            names.join(", ")
        );
        let (game, build) = (game.id.clone().into(), build.id.to_string().into());
        let remedy = ("Name one of them.", Action::FitUnderName { game, build });
        Finding::new("slot-ambiguous", Severity::Stop, sentence, remedy)
    })
}
