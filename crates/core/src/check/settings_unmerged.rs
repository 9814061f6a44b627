//! `settings-unmerged`: nothing of a build's settings came into the user's, since one of the two is no text
//! that can be merged.

use crate::finding::{Finding, Severity};
use upright_spanner_change::Place;

pub(crate) fn finding(place: &Place, why: &str) -> Finding {
    let sentence = format!("{place} stays as it is: it or the build's own {why}.");
    let remedy =
        "Look at the file of that name in the download, and take over by hand what you need.";
    Finding::new("settings-unmerged", Severity::Note, sentence, remedy)
}
