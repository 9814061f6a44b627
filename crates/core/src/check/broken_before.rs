//! `broken-before`: something that the game cannot load, with the change or without it.

use crate::finding::{Finding, Severity};
use crate::load::Broken;
use crate::remedy::Action;
use crate::situation::Situation;

pub(crate) const CODE: &str = "broken-before";

pub(crate) fn finding(situation: &Situation<'_>, broken: &Broken) -> Finding {
    let game = situation.game();
    let sentence = format!(
        "{} cannot load everything even now: {} does not get what it needs from {}. This change does not fix that.",
        game.title, broken.image, broken.edge.library
    );
    let remedy = ("List the missing files.", Action::CheckGame { game: game.id.clone().into() });
    Finding::new(CODE, Severity::Note, sentence, remedy)
}
