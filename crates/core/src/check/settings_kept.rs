//! `settings-kept`: settings that were edited since stay at a rollback.

use super::{Finding, Severity};
use crate::plan::Place;

pub(crate) fn finding(place: &Place) -> Finding {
    let sentence = format!("{place} was edited since, and stays as it is.");
    let remedy = "To put the settings back too: rollback with --settings.";
    Finding::new("settings-kept", Severity::Note, sentence, remedy)
}
