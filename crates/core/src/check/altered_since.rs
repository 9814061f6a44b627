//! `altered-since`: a file that was fitted has been overwritten from outside, so it is not ours to
//! roll back.

use std::path::Path;

use crate::change::Side;
use crate::change::describe;
use crate::finding::{Finding, Severity};
use crate::path::slashes;
use upright_spanner_change::{Place, Target};

pub(crate) const CODE: &str = "altered-since";

/// For a target that keeps its present state.
pub(crate) fn left_alone(place: &Target, fitted: &Side, now: &Side) -> Finding {
    let (fitted, is) = (describe(fitted), describe(now));
    let sentence = if fitted == is {
        format!(
            "{place} was left alone: {fitted} was put there, and another file of it is in its place now."
        )
    } else {
        format!(
            "{place} was left alone: {fitted} was put there, and something else has since put {is} in its place."
        )
    };

    let remedy = "If the launcher updated or repaired the game, that file is the game's own now \
                  and needs no rollback.";
    Finding::new(CODE, Severity::Warn, sentence, remedy)
}

/// Said if the user named the very point to go back to, and the file goes there all the same.
pub(crate) fn replaced(place: &Target, now: &Side) -> Finding {
    let sentence = format!(
        "{place} holds {}, which something else put there; it is kept, and replaced as you asked.",
        describe(now)
    );
    Finding::new(CODE, Severity::Warn, sentence, "undo brings it back.")
}

/// For a tree that was moved aside and is not in that place any more.
pub(crate) fn not_kept(place: &Place, kept: &Path) -> Finding {
    let sentence = format!(
        "{place} cannot be restored: it was moved aside to {}, and is missing there.",
        slashes(kept)
    );
    Finding::new(
        CODE,
        Severity::Warn,
        sentence,
        "Put it back by hand, or let the launcher repair the game.",
    )
}

/// For a tree that was moved aside and whose old place is occupied now.
pub(crate) fn occupied(place: &Place, kept: &Path) -> Finding {
    let sentence =
        format!("{place} exists again, so the files moved aside stay in {}.", slashes(kept));
    Finding::new(CODE, Severity::Warn, sentence, "If you do not need it any more, remove it there.")
}

/// Said of a file of a release that was put onto the game's folder: it was not kept, since whoever gave it has it.
pub(crate) fn not_stored(place: &Target) -> Finding {
    let sentence =
        format!("{place} cannot be restored: it belongs to a wound release, which is not stored.");
    Finding::new(
        CODE,
        Severity::Warn,
        sentence,
        "Put that release onto the game's folder once more.",
    )
}
