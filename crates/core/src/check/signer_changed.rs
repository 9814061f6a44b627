//! `signer-changed`: the new file is signed by someone else than the present one.

use super::CheckInput;
use crate::finding::{Finding, Severity};
use crate::path::same_name;
use crate::remedy::Action;
use upright_spanner_image::SignatureStatus;

pub(crate) fn check(input: &CheckInput<'_>) -> Option<Finding> {
    let (place, old, new) = input.swaps.iter().filter(|swap| !swap.unchanged).find_map(|swap| {
        let old = swap.old?.facts.signer.as_deref()?;
        let new = swap.facts.signer.as_deref()?;
        // A signature that is not intact proves nothing of who made it.
        let is_proven = input.subject.signature == SignatureStatus::Intact;
        (is_proven && !same_name(old, new)).then_some((&swap.place, old, new))
    })?;

    let sentence = format!(
        "{place} names {old} as its signer, and {} is signed by {new}.",
        input.subject.name
    );
    let remedy = ("A vendor may sign under a new name; look at the file.", Action::Inspect);
    Some(Finding::new("signer-changed", Severity::Warn, sentence, remedy))
}
