//! `keyed-elsewhere`: an extender's part whose name or strings contain another version of the executable.

use super::{CheckInput, remedy};
use crate::catalog::{Role, keyed_to, stated_versions};
use crate::finding::{Finding, Severity};
use upright_spanner_image::Version;

pub(crate) fn check(input: &CheckInput<'_>) -> Option<Finding> {
    let version = input.game_version()?;
    let keys = keys(input);
    if keys.iter().any(|(key, _)| version.begins_with(key)) {
        return None;
    }
    let (key, source) = keys.first()?;
    let sentence = format!(
        "{} is made for version {key} of the game ({source} says so), but {} is version {version}.",
        input.label(),
        input.executable()?.path.file_name(),
    );
    let remedy = remedy::for_version(input, version);
    Some(Finding::new("keyed-elsewhere", Severity::Stop, sentence, remedy))
}

/// The versions of the game that the library is keyed to, and what says each. A name is a key if the file is an
/// extender's or is in the place of one that is keyed.
pub(super) fn keys(input: &CheckInput<'_>) -> Vec<(Version, String)> {
    // A statement of the user or the catalog overrides a name.
    if input.subject.supports.is_some() {
        return Vec::new();
    }
    let keyed_slot = input
        .swaps
        .iter()
        .filter_map(|swap| swap.old)
        .any(|old| keyed_to(&old.facts, old.path.file_name()).is_some());
    let extender = input.subject.role == Some(Role::Extender);
    if let Some(key) = input.subject.key().filter(|_| extender || keyed_slot && !input.in_place) {
        return vec![(key, input.subject.file_name.to_owned())];
    }

    // An extender may state the version in its description, behind the game's name.
    let stated = if let Some(facts) = input.subject.facts.filter(|_| extender) {
        stated_versions(facts)
    } else {
        Vec::new()
    };
    stated.into_iter().map(|(by, version)| (version, format!("its {by}"))).collect()
}
