//! `identity-differs`: company, product or internal name of the new file are not those of the
//! present one.

use super::CheckInput;
use crate::catalog::identity_differences;
use crate::finding::{Finding, Severity};
use crate::remedy::Action;

pub(crate) fn check(input: &CheckInput<'_>) -> Option<Finding> {
    input.swaps.iter().filter(|swap| !swap.unchanged).find_map(|swap| {
        let old = swap.old?;
        let differences = identity_differences(&old.facts, swap.facts);
        let (what, was, is) = differences.first()?;
        // Builds of one thing have many internal names: alone, that says little.
        let severity = if *what == "internal name" { Severity::Note } else { Severity::Warn };
        let sentence = format!(
            "{} may be something else than {}: {what} was \"{was}\" and is \"{is}\".",
            input.subject.name, old.path
        );
        let remedy = ("Compare the two before you go on.", Action::Compare);
        Some(Finding::new("identity-differs", severity, sentence, remedy))
    })
}
