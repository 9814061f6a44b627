//! `left-alone`: a file that a layout names for removal, but of which nothing shows that it is of the
//! same component.

use crate::finding::{Finding, Severity};
use crate::rack::Build;
use upright_spanner_change::Place;

pub(crate) fn finding(build: &Build, place: &Place) -> Finding {
    let sentence = format!(
        "{place} was left alone: the layout of {} names it to go, but nothing tells that it came \
         with an earlier build.",
        build.id
    );
    let remedy = "Remove it yourself if you do not need it.".to_owned();
    Finding::new("left-alone", Severity::Note, sentence, remedy)
}
