//! What to do about a component that is not proved.

use super::proof::{ComponentProof, LogProof};
use super::subject::Subject;
use super::verdict::{Loaded, Outcome};
use crate::catalog::Role;
use crate::check;
use crate::path::{same_name, slashes};
use crate::remedy::{Action, Remedy};
use crate::situation::Situation;
use crate::start::{self, Chosen};
use upright_spanner_image::system::can_be_stood_in;

/// What to do; nothing if all is as it should be. `is_guarded` says that the game's process may not be looked into.
pub(super) fn of(
    situation: &Situation<'_>,
    subject: &Subject<'_>,
    proof: &ComponentProof,
    is_guarded: bool,
) -> Option<Remedy> {
    let game = || situation.game().id.clone().into();
    let again = || Action::StartAndProve { game: game() };
    Some(match proof.outcome {
        Outcome::Proved | Outcome::Loaded => return None,
        _ if subject.is_gone => {
            let action = Action::Refit { game: game(), family: subject.family.clone().into() };
            ("Its file is missing. Put it back", action).into()
        }
        Outcome::ReportsError => on_error(situation, subject, proof.log.as_ref()?),
        Outcome::ReportsOther if proof.loaded == Loaded::Yes => {
            let sentence = "The fitted file is loaded, so it may have been updated by half. See what fits together";
            (sentence, Action::CheckGame { game: game() }).into()
        }
        Outcome::ReportsOther => {
            let file = proof.files.first()?.path.file_name().to_owned();
            let action = Action::ShowLoads { game: game(), file: file.into() };
            ("Another copy of it seems to be loaded. See which the game would load", action).into()
        }
        Outcome::StaleLog => {
            ("It has not written its log since. Start the game again", again()).into()
        }
        Outcome::NotSeen if is_guarded => {
            let sentence = "No log of it was found. If it writes one, describe where";
            (sentence, Action::LearnLog).into()
        }
        Outcome::NotSeen => {
            ("The game was not seen to run. Start it, and look then", again()).into()
        }
        Outcome::NotLoaded | Outcome::AnotherLoaded => not_loaded(situation, subject, proof),
    })
}

/// Without its starter an extender is not loaded; under a name that nothing asks for no entry is.
fn not_loaded(situation: &Situation<'_>, subject: &Subject<'_>, proof: &ComponentProof) -> Remedy {
    let game = || situation.game().id.clone().into();
    let starter = start::start(situation, None, &[]).ok().and_then(|start| match &start.chosen {
        Chosen::Starter { family } if same_name(family, &subject.family) => Some(start.what()),
        _ => None,
    });
    if let Some(starter) = starter.filter(|_| proof.loaded == Loaded::No) {
        let sentence = format!(
            "The game seems to have been started without {starter}. End it, and start it with that"
        );
        return (sentence, Action::StartAndProve { game: game() }).into();
    }

    // A fit serves all places of a family, unless one alone is named.
    let is_copy = situation.view.libraries.iter().any(|library| {
        same_name(&library.family, &subject.family)
            && proof.instead.as_deref() == Some(library.path.as_str())
    });
    if let Some(build) = subject.build.clone().filter(|_| is_copy) {
        let sentence =
            "The game loads its other copy. Fit it into every place that the game has for it";
        return (sentence, Action::Fit { game: game(), build: build.into() }).into();
    }
    // The check's reason why it would not be loaded is more useful than any other.
    if let Some(remedy) = checked(situation, subject, &NOT_LOADED) {
        return remedy;
    }
    let is_entry = matches!(subject.role, Role::Loader | Role::Overlay)
        || subject.libraries.iter().any(|library| can_be_stood_in(library.path.file_name()));
    let names = check::entry_names(situation.view, situation.loads(), situation.window);
    let is_asked_for = subject
        .libraries
        .iter()
        .any(|library| names.iter().any(|entry| same_name(&entry.name, library.path.file_name())));
    if is_entry && !is_asked_for {
        let sentence =
            "The game asks for no library of that name. See under which names it would be loaded";
        return (sentence, Action::ShowEntries { game: game() }).into();
    }
    let Some(file) = subject.libraries.first() else {
        return ("It is missing. Survey the game", Action::LookOver { game: game() }).into();
    };
    let file = file.path.file_name().to_owned();
    (
        "See on which way the game would load it",
        Action::ShowLoads { game: game(), file: file.into() },
    )
        .into()
}

/// Findings that say that a build does not support the game's version, and that a file is not loaded.
const ABOUT_VERSION: [&str; 2] = ["exe-unsupported", "keyed-elsewhere"];
const NOT_LOADED: [&str; 1] = [check::ENTRY_NOT_LOADED];

/// What to do about the first finding of some codes that the checks have of a component.
fn checked(situation: &Situation<'_>, subject: &Subject<'_>, codes: &[&str]) -> Option<Remedy> {
    let families = check::check_present(situation).families.into_iter();
    let own = families.filter(|checked| same_name(&checked.family, &subject.family));
    let mut findings = own.flat_map(|checked| checked.findings);
    Some(findings.find(|finding| codes.contains(&&*finding.code))?.remedy)
}

/// A component that does not know the game needs another build; otherwise its log has the reason.
fn on_error(situation: &Situation<'_>, subject: &Subject<'_>, log: &LogProof) -> Remedy {
    if !log.unknown_game {
        return format!("Read its log: {}.", slashes(&log.path)).into();
    }
    checked(situation, subject, &ABOUT_VERSION).unwrap_or_else(|| {
        let game = situation.game().id.clone().into();
        let build = subject.family.clone().into();
        let sentence =
            "It does not support this version of the game. See the versions that the newest build on the rack supports";
        (sentence, Action::Check { game, build }).into()
    })
}
