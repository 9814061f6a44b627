//! `entry-taken`: the name that a file would get is in use by another component.

use super::Case;
use crate::catalog::companies_agree;
use crate::finding::{Finding, Severity};
use crate::remedy::Action;
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
    let action = Action::ShowEntries { game: case.view.game.id.clone().into() };
    let remedy = ("See which names are free, then fit it under one of them.", action);
    Some(Finding::new("entry-taken", Severity::Stop, sentence, remedy))
}
