//! `settings-unmerged`: nothing of a build's settings came into the user's, since one of the two is not a text
//! that can be merged.

use crate::finding::{Finding, Severity};
use crate::remedy::Action;
use upright_spanner_change::Place;

const CODE: &str = "settings-unmerged";

const BY_HAND: &str =
    "Compare it with the file in the download, and copy the keys you need by hand.";

pub(crate) fn finding(place: &Place, why: &str) -> Finding {
    let sentence = format!("{place} stays as it is: it or the build's own {why}.");
    Finding::new(CODE, Severity::Note, sentence, BY_HAND)
}

/// The same of settings that another release of the game has, each with why.
pub(crate) fn of_release(unmerged: &[(Place, String)]) -> Option<Finding> {
    let ((first, why), others) = unmerged.split_first()?;
    let others = match others.len() {
        0 => String::new(),
        more => format!(" {more} more stay too."),
    };
    let sentence = format!("{first} stays as it is: it or the release's own {why}.{others}");
    let remedy = ("To have the settings of the release, say so.", Action::TakeSettings);
    let mut finding = Finding::new(CODE, Severity::Note, sentence, remedy);
    finding.names = unmerged.iter().map(|(place, _)| place.to_string()).collect();
    Some(finding)
}

/// Some settings stay out: they hold letters, and the user's file is in a code page that nothing names.
pub(crate) fn left_out(place: &Place, settings: &[String]) -> Finding {
    let sentence = format!(
        "{place} does not get {}: it is not Unicode, and nothing says how such letters are written in it.",
        settings.join(", ")
    );
    Finding::new(CODE, Severity::Note, sentence, BY_HAND)
}
