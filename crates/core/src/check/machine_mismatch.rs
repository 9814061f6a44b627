//! `machine-mismatch`: a library for another machine than the program that would load it.

use super::{CheckInput, Swap, remedy};
use crate::finding::{Finding, Severity};
use crate::game::Executable;
use upright_spanner_image::Machine;

pub(crate) fn check(input: &CheckInput<'_>) -> Option<Finding> {
    input.swaps.iter().find_map(|swap| at(input, swap))
}

/// A library is loaded by a program of its folder; elsewhere by the executable that counts. If there is not a program
/// at all, it has to be like the one that it replaces.
fn at(input: &CheckInput<'_>, swap: &Swap<'_>) -> Option<Finding> {
    let beside: Vec<&Executable> = input
        .view()
        .programs
        .iter()
        .filter(|program| program.path.folder() == swap.place.path().folder())
        .collect();

    let counts = input.executable();
    let loads = |program: &&Executable| swap.facts.runs_on(program.facts.machine);
    if let Some(executable) = counts {
        let own = beside.is_empty() || beside.iter().any(|p| p.path == executable.path);
        if own && !loads(&executable) {
            let who = format!(
                "the game's {} is {}",
                executable.path.file_name(),
                executable.facts.machine.spoken()
            );
            return Some(finding(input, swap, &who, executable.facts.machine));
        }
        if own || beside.iter().any(loads) {
            return None;
        }
        let other = beside.first()?;
        let needs = other.facts.machine;
        let who = format!("{} beside it is {}", other.path.file_name(), needs.spoken());
        return Some(finding(input, swap, &who, needs));
    }

    let old = swap.old.filter(|old| !swap.facts.runs_on(old.facts.machine))?;
    let who = format!("{} is {}", old.path, old.facts.machine.spoken());
    Some(finding(input, swap, &who, old.facts.machine))
}

fn finding(input: &CheckInput<'_>, swap: &Swap<'_>, who: &str, needs: Machine) -> Finding {
    let what = swap.facts.machine.spoken();
    let sentence = format!("{} is {what}, but {who}: it would not load.", input.label());
    Finding::new("machine-mismatch", Severity::Stop, sentence, remedy::for_machine(input, needs))
}
