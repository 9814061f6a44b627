//! `machine-differs`: a release of a game whose executable is for another machine.

use crate::finding::{Finding, Severity};
use crate::path::TreePath;
use upright_spanner_image::Machine;

pub(crate) fn finding(path: &TreePath, was: Machine, is: Machine) -> Finding {
    let sentence = format!(
        "{path} of the release is {}, and the game's is {}: libraries that stay would not load.",
        is.spoken(),
        was.spoken()
    );
    let remedy = "Give the release for the machine that the game is for.";
    Finding::new("machine-differs", Severity::Stop, sentence, remedy)
}
