//! `entry-taken`: the name that a file would get is in use by another component.

use super::Case;
use crate::catalog::companies_agree;
use crate::finding::{Finding, Severity};
use upright_spanner_change::Place;

pub(crate) fn check(case: &Case<'_>) -> Option<Finding> {
    let there = case.swaps.iter().filter(|swap| swap.old.is_none()).find_map(|swap| {
        case.view.libraries.iter().find(|library| {
            swap.place.same_as(&Place::from(library.path.clone()))
                && !companies_agree(&library.facts, swap.facts)
        })
    })?;
    let company = there.facts.string("CompanyName").unwrap_or("somebody else");
    let version = there.facts.version().map_or_else(String::new, |v| format!(" {v}"));
    let sentence = format!(
        "{} would take the place of {}, which is {}{version}, made by {company}.",
        case.label(),
        there.path,
        there.family
    );
    let remedy = format!(
        "Choose a free name: spanner check {} --entries shows them; then fit with --as NAME.",
        case.view.game.id
    );
    Some(Finding::new("entry-taken", Severity::Stop, sentence, remedy))
}
