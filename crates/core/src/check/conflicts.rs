//! `conflicts`: a build does not work together with something that the game has.

use super::CheckInput;
use super::input::Other;
use super::requires::why;
use crate::catalog::Relation;
use crate::finding::{Finding, Severity};
use crate::path::same_name;
use crate::remedy::Action;

/// The code: a choice among builds takes it for a tie that may be untied.
pub(crate) const CODE: &str = "conflicts";

pub(crate) fn check(input: &CheckInput<'_>) -> Vec<Finding> {
    let own = input.situation.catalog.family(input.subject.family);
    let mut findings = Vec::new();
    for other in input.others() {
        let ours = own.into_iter().flat_map(|family| &family.conflicts).filter(|relation| {
            same_name(&relation.family, other.family)
                && relation.is_about(input.subject.version.as_ref())
                && relation.names(other.version.as_ref())
        });
        // A conflict between two present components is reported once, for the family whose entry declares it.
        let family = input.situation.catalog.family(other.family).filter(|_| !input.in_place);
        let theirs = family.into_iter().flat_map(|family| &family.conflicts).filter(|relation| {
            same_name(&relation.family, input.subject.family)
                && relation.is_about(other.version.as_ref())
                && relation.names(input.subject.version.as_ref())
        });
        findings.extend(ours.chain(theirs).next().map(|relation| finding(input, &other, relation)));
    }

    findings
}

fn finding(input: &CheckInput<'_>, other: &Other<'_>, relation: &Relation) -> Finding {
    let game = &input.situation.game();
    let place = other.library.map_or_else(String::new, |library| format!(" ({})", library.path));
    let sentence = format!(
        "{} does not work together with {}, which {} has{place}.{}",
        input.label(),
        other.described(),
        game.title,
        why(relation)
    );

    let action =
        Action::Park { game: game.id.clone().into(), family: other.family.to_owned().into() };
    let remedy = (format!("Leave this one out, or take {} out first.", other.family), action);
    Finding::new(CODE, Severity::Stop, sentence, remedy)
}
