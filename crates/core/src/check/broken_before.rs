//! `broken-before`: something that the game cannot load, with the change or without it.

use crate::finding::{Finding, Severity};
use crate::load::Broken;
use crate::remedy::Action;
use crate::situation::Situation;

pub(crate) const CODE: &str = "broken-before";

pub(crate) fn finding(situation: &Situation<'_>, broken: &Broken) -> Finding {
    let game = situation.game();
    let sentence = format!(
        "{} cannot load everything as it is: {} does not get what it needs of {}. This change does not mend that.",
        game.title, broken.image, broken.edge.library
    );
    let remedy = ("See what is missing.", Action::CheckGame { game: game.id.clone().into() });
    Finding::new(CODE, Severity::Note, sentence, remedy)
}
