//! `variant-missing`: a file for another machine, for which a build has no variant.

use crate::finding::{Finding, Severity};
use crate::rack::Build;
use crate::remedy::Action;
use crate::survey::Library;

pub(crate) fn finding(build: &Build, slot: &Library) -> Finding {
    let machine = slot.facts.machine.spoken();
    let sentence = format!(
        "{} is {machine}, and {} has no {machine} variant on the rack: it stays as it is.",
        slot.path,
        build.id.release()
    );
    let remedy = ("Add the package that has it, then fit again.", Action::AddToRack);
    Finding::new("variant-missing", Severity::Warn, sentence, remedy)
}
