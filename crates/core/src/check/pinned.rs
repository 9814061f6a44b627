//! `pinned`: the user keeps a family of this game at a version, for a reason.

use super::CheckInput;
use crate::finding::{Finding, Severity};
use crate::game::{Game, Pin};
use crate::path::same_name;
use crate::rack::Build;
use crate::remedy::{Action, Remedy};

pub(crate) fn check(input: &CheckInput<'_>) -> Option<Finding> {
    let mut pins = input.situation.pins.iter();
    let pin = pins.find(|pin| same_name(&pin.family, input.subject.family))?;
    if input.in_place { is_elsewhere(input, pin) } else { would_leave(input, pin) }
}

/// A build that the pin does not admit.
fn would_leave(input: &CheckInput<'_>, pin: &Pin) -> Option<Finding> {
    if pin.version.is_some() && pin.admits(input.subject.version.as_ref()) {
        return None;
    }
    let sentence = format!("{}, and this is {}.", kept(input, pin), input.subject.name);
    let remedy = ("If the reason no longer applies, remove the pin.", unpin(input, pin));
    Some(Finding::new("pinned", Severity::Stop, sentence, remedy))
}

/// A pin whose place holds another version.
fn is_elsewhere(input: &CheckInput<'_>, pin: &Pin) -> Option<Finding> {
    let other = input.swaps.iter().find(|swap| !pin.admits(swap.facts.version().as_ref()))?;
    let version = other.facts.version();
    let version = version.map_or_else(|| "states none".to_owned(), |v| format!("is {v}"));
    let sentence = format!("{}, and {} {version}.", kept(input, pin), other.place);
    let admitted = |build: &&Build| {
        same_name(&build.id.family, &pin.family)
            && pin.admits(build.version.as_ref())
            && build.machine == input.subject.machine
    };
    let builds = input.situation.builds.iter().filter(admitted);
    let remedy: Remedy = match builds.max_by(|a, b| a.version.cmp(&b.version)) {
        Some(build) => {
            let game = input.situation.game().id.clone().into();
            let action = Action::Fit { game, build: build.id.to_string().into() };
            ("Fit the one that it is pinned to, or remove the pin.", action).into()
        }
        None => {
            ("Nothing on the rack is that version. Remove the pin, or get it.", unpin(input, pin))
                .into()
        }
    };
    Some(Finding::new("pinned", Severity::Warn, sentence, remedy))
}

/// A pinned family whose file another release of the game would replace.
pub(crate) fn in_the_way(game: &Game, pin: &Pin) -> Finding {
    let sentence = format!(
        "{} is pinned to {} in {} (\"{}\"), and the release has its own files for it.",
        pin.family,
        pin.at(),
        game.title,
        pin.why
    );
    let action = Action::Unpin { game: game.id.clone().into(), family: pin.family.clone().into() };
    let remedy = ("If the reason no longer applies, remove the pin.", action);
    Finding::new("pinned", Severity::Stop, sentence, remedy)
}

/// The version a family is pinned at, and the reason.
fn kept(input: &CheckInput<'_>, pin: &Pin) -> String {
    let title = &input.situation.game().title;
    format!("{} is pinned to {} in {title} (\"{}\")", pin.family, pin.at(), pin.why)
}

fn unpin(input: &CheckInput<'_>, pin: &Pin) -> Action {
    let game = input.situation.game().id.clone().into();
    Action::Unpin { game, family: pin.family.clone().into() }
}
