//! `entry-not-loaded`: a stand-in or a loader under a name that neither the executable nor any image it loads
//! imports.

use super::entry_names::loads;
use super::{CheckInput, Swap};
use crate::catalog::Role;
use crate::finding::{Finding, Severity};
use crate::path::{same_name, slashes};
use crate::remedy::Action;
use upright_spanner_image::system::{can_be_stood_in, is_always_windows_own};

pub(crate) const CODE: &str = "entry-not-loaded";

pub(crate) fn check(input: &CheckInput<'_>) -> Option<Finding> {
    let swap = input.swaps.first()?;
    let executable = input.executable()?;
    let exe = executable.path.file_name();
    let name = swap.place.path().file_name();

    if !is_entry(input, swap) || swap.place.path().folder() != executable.path.folder() {
        return None;
    }
    let label = input.subject.name.clone();
    let action = Action::ShowEntries { game: input.situation.game().id.clone().into() };
    let remedy = ("See which names would be loaded, then fit it under one of them.", action);

    if is_always_windows_own(name) {
        let sentence = format!(
            "{label} as {name} would not be loaded: Windows takes its own {name} whatever lies \
             beside {exe}."
        );
        return Some(Finding::new(CODE, Severity::Stop, sentence, remedy));
    }

    if loads(input.situation.loads()).iter().any(|load| same_name(&load.name, name)) {
        return not_preferred(input, swap, name, exe);
    }
    let sentence = format!(
        "{label} as {name} would not be loaded: neither {exe} nor a library that it loads imports \
         {name}."
    );
    // A game may load a library by name while it runs; if one is there already, someone had a reason to put it there.
    let severity = if swap.old.is_some() { Severity::Warn } else { Severity::Stop };
    Some(Finding::new(CODE, severity, sentence, remedy))
}

/// That the environment takes its own library before the one beside the executable.
fn not_preferred(
    input: &CheckInput<'_>,
    swap: &Swap<'_>,
    name: &str,
    exe: &str,
) -> Option<Finding> {
    // A new library is preferred by a step of the same plan.
    let environment = input.view().environment.as_ref().filter(|_| input.in_place)?;
    if !can_be_stood_in(name) || !environment.takes_its_own(name, swap.facts.machine) {
        return None;
    }
    let sentence = format!(
        "{} as {name} would not be loaded: the environment in {} uses its own {name}, whatever file is beside {exe}.",
        input.subject.name,
        slashes(&environment.prefix)
    );
    let game = input.situation.game().id.clone().into();
    let action = Action::Fit { game, build: input.subject.family.to_owned().into() };
    let remedy = ("Fit it again: that sets the override in the prefix's registry.", action);
    let severity = if swap.old.is_some() { Severity::Warn } else { Severity::Stop };
    Some(Finding::new(CODE, severity, sentence, remedy))
}

/// Whether the library gets into the game by its name alone.
pub(super) fn is_entry(input: &CheckInput<'_>, swap: &Swap<'_>) -> bool {
    let by_role = matches!(input.subject.role, Some(Role::Loader | Role::Overlay));
    by_role || can_be_stood_in(swap.place.path().file_name())
}
