//! `settings-kept`: settings that were edited since stay at a rollback.

use crate::finding::{Finding, Severity};
use crate::game::Game;
use crate::remedy::Action;
use upright_spanner_change::Place;

pub(crate) fn finding(place: &Place, game: &Game) -> Finding {
    let sentence = format!("{place} was edited since, and stays as it is.");
    let action = Action::PutSettingsBack { game: game.id.clone().into() };
    let remedy =
        ("Nothing, if you want to keep your settings. To put them back too, say so.", action);
    Finding::new("settings-kept", Severity::Note, sentence, remedy)
}
