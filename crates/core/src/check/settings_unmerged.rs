//! `settings-unmerged`: nothing of a build's settings came into the user's, since one of the two is not a text
//! that can be merged.

use crate::finding::{Finding, Severity};
use upright_spanner_change::Place;

const CODE: &str = "settings-unmerged";

const BY_HAND: &str =
    "Look at the file of that name in the download, and copy over by hand what you need.";

pub(crate) fn finding(place: &Place, why: &str) -> Finding {
    let sentence = format!("{place} stays as it is: it or the build's own {why}.");
    Finding::new(CODE, Severity::Note, sentence, BY_HAND)
}

/// Some settings stay out: they hold letters, and the user's file is in a code page that nothing names.
pub(crate) fn left_out(place: &Place, settings: &[String]) -> Finding {
    let sentence = format!(
        "{place} does not get {}: it is not Unicode, and nothing says how such letters are written in it.",
        settings.join(", ")
    );
    Finding::new(CODE, Severity::Note, sentence, BY_HAND)
}
