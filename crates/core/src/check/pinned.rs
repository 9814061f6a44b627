//! `pinned`: the user keeps a family of this game at a version, for a reason.

use super::Case;
use crate::finding::{Finding, Severity};
use crate::path::same_name;
use crate::remedy::Action;

pub(crate) fn check(case: &Case<'_>) -> Option<Finding> {
    let pin = case.pins.iter().find(|pin| same_name(&pin.family, &case.build.id.family))?;
    if case.in_place || pin.version.is_some() && pin.version == case.build.version {
        return None;
    }
    let game = &case.view.game;
    let sentence = format!(
        "{} is pinned to {} in {} (\"{}\"), and this is {}.",
        pin.family,
        pin.at(),
        game.title,
        pin.why,
        case.build.id
    );
    let (game, family) = (game.id.clone().into(), pin.family.clone().into());
    let remedy = ("If the reason is gone, take the pin away.", Action::Unpin { game, family });
    Some(Finding::new("pinned", Severity::Stop, sentence, remedy))
}
