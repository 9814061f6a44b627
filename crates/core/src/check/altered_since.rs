//! `altered-since`: a file that was fitted has been overwritten from outside, so it is not ours to
//! roll back.

use super::{Finding, Severity};
use crate::plan::{Held, Place};

pub(crate) fn finding(place: &Place, fitted: Option<&Held>, now: &Held) -> Finding {
    let fitted = fitted.map_or_else(|| "no file".to_owned(), Held::describe);
    let sentence = format!(
        "{place} was left alone: {fitted} was put there, but something else has since put {} in \
         its place.",
        now.describe()
    );
    let remedy = "If the launcher updated or repaired the game, that file is the game's own now \
                  and needs no rollback."
        .to_owned();
    Finding::new("altered-since", Severity::Warn, sentence, remedy)
}

/// Said where the user named the very point to go back to, and the file goes there all the same.
pub(crate) fn told(place: &Place, now: &Held) -> Finding {
    let sentence = format!(
        "{place} holds {}, which something else put there; it is kept, and replaced as you asked.",
        now.describe()
    );
    Finding::new("altered-since", Severity::Warn, sentence, "undo brings it back.")
}
