//! `pinned`: the user keeps a family of this game at a version, for a reason.

use super::CheckInput;
use crate::finding::{Finding, Severity};
use crate::path::same_name;
use crate::remedy::Action;

pub(crate) fn check(input: &CheckInput<'_>) -> Option<Finding> {
    let pin =
        input.situation.pins.iter().find(|pin| same_name(&pin.family, input.subject.family))?;
    if input.in_place || pin.version.is_some() && pin.version == input.subject.version {
        return None;
    }

    let game = &input.situation.game();
    let sentence = format!(
        "{} is pinned to {} in {} (\"{}\"), and this is {}.",
        pin.family,
        pin.at(),
        game.title,
        pin.why,
        input.subject.name
    );

    let (game, family) = (game.id.clone().into(), pin.family.clone().into());
    let remedy =
        ("If the reason no longer applies, remove the pin.", Action::Unpin { game, family });
    Some(Finding::new("pinned", Severity::Stop, sentence, remedy))
}
