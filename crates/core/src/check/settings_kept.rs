//! `settings-kept`: settings that were edited since stay at a rollback.

use crate::finding::{Finding, Severity};
use upright_spanner_change::Place;

pub(crate) fn finding(place: &Place) -> Finding {
    let sentence = format!("{place} was edited since, and stays as it is.");
    let remedy = "To put the settings back too: rollback with --settings.";
    Finding::new("settings-kept", Severity::Note, sentence, remedy)
}
