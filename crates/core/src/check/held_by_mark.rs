//! `held-by-mark`: a game is held by a read-only mark, which a launcher can get around on this system.

use crate::finding::{Finding, Severity};
use upright_spanner_change::Place;

pub(crate) fn finding(place: &Place) -> Finding {
    let sentence = format!(
        "{} is held by a read-only mark: a launcher that replaces the whole file gets around it on this system.",
        place.path().file_name()
    );
    let remedy = "Look at drift after the launcher has run: it says when the hold was lifted.";
    Finding::new("held-by-mark", Severity::Note, sentence, remedy)
}
