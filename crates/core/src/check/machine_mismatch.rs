//! `machine-mismatch`: a library for another machine than the program that would load it.

use super::{Finding, Severity};
use crate::game::Executable;
use crate::image::Machine;
use crate::rack::Build;
use crate::survey::Library;

/// Compares with the executable that counts.
pub(crate) fn check(build: &Build, executable: &Executable) -> Option<Finding> {
    let needs = executable.facts.machine;
    (build.machine != needs).then(|| {
        let who = format!("the game's {} is {}", executable.path.file_name(), needs.spoken());
        finding(build, &who, needs)
    })
}

/// Compares with the library that would be replaced, where there is no executable.
pub(crate) fn beside(build: &Build, library: &Library) -> Finding {
    let needs = library.facts.machine;
    finding(build, &format!("{} is {}", library.path, needs.spoken()), needs)
}

fn finding(build: &Build, who: &str, needs: Machine) -> Finding {
    let sentence =
        format!("{} is {}, but {who}: it would not load.", build.id, build.machine.spoken());
    let remedy = format!("Use the {} build of this version.", needs.spoken());
    Finding::new("machine-mismatch", Severity::Stop, sentence, remedy)
}
