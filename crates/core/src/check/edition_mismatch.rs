//! `edition-mismatch`: a build is for another store edition of the game.

use super::CheckInput;
use crate::finding::{Finding, Severity};
use crate::path::same_name;
use crate::remedy::{Action, Remedy};

pub(crate) fn check(input: &CheckInput<'_>) -> Option<Finding> {
    let family = input.situation.catalog.family(input.subject.family);
    let catalogued = family.and_then(|family| family.editions_of(input.subject.version.as_ref()));
    let own = input.subject.edition.map(|edition| vec![edition.to_owned()]);
    let editions = own.or_else(|| catalogued.map(<[String]>::to_vec))?;
    let game = &input.situation.game();
    let wanted = editions.join(" or ");
    let (severity, has) = match &game.settings.edition {
        Some(edition) if editions.iter().any(|e| same_name(e, edition)) => return None,
        Some(edition) => (Severity::Stop, format!("{} is the {edition} edition", game.title)),
        None => (Severity::Warn, format!("the edition of {} is not known", game.title)),
    };
    let sentence = format!("{} is for the {wanted} edition, and {has}.", input.label());
    let remedy = match severity {
        Severity::Stop => Remedy::text("Use the build for that edition."),
        _ => ("Say which it is.", Action::NameEdition { game: game.id.clone().into() }).into(),
    };
    Some(Finding::new("edition-mismatch", severity, sentence, remedy))
}
