//! `requires`: a build needs a version of another family that the game does not have, or something
//! in the game needs another version of this one.

use super::CheckInput;
use super::input::Other;
use super::remedy;
use crate::catalog::Relation;
use crate::finding::{Finding, Severity};
use crate::path::same_name;

/// The code: a choice among builds takes it for a tie that may be untied.
pub(crate) const CODE: &str = "requires";

pub(crate) fn check(input: &CheckInput<'_>) -> Vec<Finding> {
    let mut findings = needs(input);
    if !input.in_place {
        findings.extend(is_needed(input));
    }
    findings
}

/// The build's requirements of other families.
fn needs(input: &CheckInput<'_>) -> Vec<Finding> {
    let game = input.situation.game();
    let others = input.others();
    let own = input
        .situation
        .catalog
        .family(input.subject.family)
        .into_iter()
        .flat_map(|family| &family.requires);
    let about = own.filter(|relation| relation.is_about(input.subject.version.as_ref()));
    about
        .filter_map(|relation| {
            let there: Vec<&Other<'_>> =
                others.iter().filter(|other| same_name(other.family, &relation.family)).collect();
            if there.iter().any(|other| relation.names(other.version.as_ref())) {
                return None;
            }
            let has = there.first().map_or_else(|| "none".to_owned(), |other| other.described());
            let sentence = format!(
                "{} needs {}, and {} has {has}.{}",
                input.label(),
                relation.other(),
                game.title,
                why(relation)
            );
            Some(Finding::new(CODE, Severity::Stop, sentence, remedy::for_needed(input, relation)))
        })
        .collect()
}

/// The requirements of other families for the build.
fn is_needed(input: &CheckInput<'_>) -> Vec<Finding> {
    let (id, game) = (&input.subject.name, &input.situation.game());
    let mut findings = Vec::new();
    for other in input.others() {
        let family = input.situation.catalog.family(other.family);
        let relations = family.into_iter().flat_map(|family| &family.requires).filter(|relation| {
            same_name(&relation.family, input.subject.family)
                && relation.is_about(other.version.as_ref())
                && !relation.names(input.subject.version.as_ref())
        });
        for relation in relations {
            let sentence = format!(
                "{} in {} needs {}, which {id} is not.{}",
                other.described(),
                game.title,
                relation.other(),
                why(relation)
            );
            let remedy = format!("Use a build that it supports, or change {} too.", other.family);
            findings.push(Finding::new(CODE, Severity::Stop, sentence, remedy));
        }
    }

    findings
}

/// The catalog's reason, behind a sentence.
pub(super) fn why(relation: &Relation) -> String {
    relation.why.as_ref().map_or_else(String::new, |why| format!(" ({why})"))
}
