//! `no-registry`: a registry value should be set, but the game has no registry.

use crate::finding::{Finding, Severity};
use crate::game::Game;
use crate::remedy::Action;

pub(crate) const CODE: &str = "no-registry";

pub(crate) fn finding(game: &Game, setting: &str) -> Finding {
    let sentence = format!(
        "{setting} is a registry value, but this is not Windows and {} has no known prefix.",
        game.title
    );
    let remedy = (
        "Write the values to a file, or name the prefix in which the game runs.",
        Action::NamePrefixOrWrite { game: game.id.clone().into() },
    );
    Finding::new(CODE, Severity::Stop, sentence, remedy)
}
