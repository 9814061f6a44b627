//! `entry-taken`: the name that a file would get is in use by another component.

use super::CheckInput;
use crate::catalog::companies_agree;
use crate::finding::{Finding, Severity};
use crate::remedy::Action;
use upright_spanner_change::Place;

pub(crate) fn check(input: &CheckInput<'_>) -> Option<Finding> {
    let there = input.swaps.iter().filter(|swap| swap.old.is_none()).find_map(|swap| {
        input.view().libraries.iter().find(|library| {
            swap.place.same_as(&Place::from(library.path.clone()))
                && !companies_agree(&library.facts, swap.facts)
        })
    })?;
    let company = there.facts.string("CompanyName").unwrap_or("someone else");
    let version = there.facts.version().map_or_else(String::new, |v| format!(" {v}"));
    let sentence = format!(
        "{} would replace {}, which is {}{version}, made by {company}.",
        input.label(),
        there.path,
        there.family
    );

    let action = Action::ShowEntries { game: input.situation.game().id.clone().into() };
    let remedy = ("See which names are free, then fit it under one of them.", action);
    Some(Finding::new("entry-taken", Severity::Stop, sentence, remedy))
}
