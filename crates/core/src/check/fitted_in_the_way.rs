//! `fitted-in-the-way`: the release has its own files where components were fitted.

use crate::finding::{Finding, Severity};
use crate::remedy::Action;
use upright_spanner_change::Place;

pub(crate) const CODE: &str = "fitted-in-the-way";

/// For the components that are in the way, each with its place; `keep` is the user's choice.
pub(crate) fn finding(fitted: &[(String, Place)], keep: Option<bool>) -> Finding {
    let mut names: Vec<String> =
        fitted.iter().map(|(family, at)| format!("{family} at {at}")).collect();
    names.sort();
    let shown = match &names[..] {
        [one] => one.clone(),
        [first, others @ ..] => format!("{first} and {} more", others.len()),
        [] => String::new(),
    };
    let mut finding = match keep {
        None => Finding::new(
            CODE,
            Severity::Stop,
            format!("You fitted {shown}, and the release has its own files there."),
            ("Choose which files to keep", Action::KeepFitted),
        ),
        Some(true) => Finding::new(
            CODE,
            Severity::Note,
            format!("{shown} stays as it was fitted; rolled back, it is the file of the release."),
            "None needed.",
        ),
        Some(false) => Finding::new(
            CODE,
            Severity::Note,
            format!("{shown} goes, and the file of the release comes."),
            "undo brings it back.",
        ),
    };
    finding.names = names;
    finding
}

/// Said if a wind is undone and components stay that were fitted since.
pub(crate) fn stays(fitted: &[(String, String)]) -> Finding {
    let names: Vec<String> =
        fitted.iter().map(|(family, at)| format!("{family} at {at}")).collect();
    let shown = match &names[..] {
        [first, others @ ..] if !others.is_empty() => format!("{first} and {} more", others.len()),
        names => names.concat(),
    };
    let sentence = format!("{shown} was fitted since, and stays.");
    let mut finding = Finding::new(CODE, Severity::Note, sentence, "None needed.");
    finding.names = names;
    finding
}
