//! `needs-runtime`: a library imports another one that is neither in the game nor part of Windows.

use super::{CheckInput, Swap};
use crate::finding::{Finding, Severity};
use crate::path::same_name;
use upright_spanner_image::system::comes_with_windows;

pub(crate) fn check(input: &CheckInput<'_>) -> Vec<Finding> {
    let mut findings: Vec<Finding> =
        input.swaps.iter().filter_map(|swap| at(input, swap)).collect();
    findings.sort_by_key(|finding| std::cmp::Reverse(finding.severity));
    findings.dedup_by(|a, b| a.sentence == b.sentence);
    findings
}

fn at(input: &CheckInput<'_>, swap: &Swap<'_>) -> Option<Finding> {
    let in_game = |dll: &str| {
        let machine = swap.facts.machine;
        input.view().libraries.iter().any(|library| {
            library.facts.machine == machine && same_name(library.path.file_name(), dll)
        })
    };

    let brought = |dll: &str| {
        input.subject.brings.iter().any(|name| same_name(name, dll))
            || input.swaps.iter().any(|other| same_name(other.place.path().file_name(), dll))
    };
    let lacking = |dll: &&String| !comes_with_windows(dll) && !in_game(dll) && !brought(dll);
    let lacking: Vec<&String> = swap.facts.imported_dlls.iter().filter(lacking).collect();
    let first = lacking.first()?;
    let is_delayed = |dll: &String| swap.facts.delayed_dlls.contains(dll);
    let at_start = !lacking.iter().all(|dll| is_delayed(dll));
    let severity = if at_start && !input.in_place { Severity::Stop } else { Severity::Warn };
    let when = if at_start { "would not load without it" } else { "asks for it while it runs" };
    let more = match lacking.len() - 1 {
        0 => String::new(),
        more => format!(" and {more} more"),
    };
    let sentence = format!(
        "{} needs {first}{more}, which is neither in {} nor part of Windows; it {when}.",
        input.label(),
        input.situation.game().title
    );
    let remedy = format!(
        "Get the {} version of {first}, and put it beside the library.",
        swap.facts.machine.spoken()
    );
    Some(Finding::new("needs-runtime", severity, sentence, remedy))
}
