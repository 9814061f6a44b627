//! `other-volume`: the replaced content is stored on a different volume from the game's.

use super::Conditions;
use crate::finding::{Finding, Severity};
use crate::path::slashes;
use crate::size::humane;

pub(crate) const CODE: &str = "other-volume";

pub(crate) fn check(conditions: &Conditions) -> Option<Finding> {
    let (game, home) = conditions.volumes.as_ref().filter(|_| conditions.kept > 0)?;
    let sentence = format!(
        "{} and the home folder {} are on different volumes: {} are copied across to be kept.",
        slashes(game),
        slashes(home),
        humane(conditions.kept)
    );
    let remedy = "Nothing to do; it takes longer, and takes room on both.";
    Some(Finding::new(CODE, Severity::Note, sentence, remedy))
}
