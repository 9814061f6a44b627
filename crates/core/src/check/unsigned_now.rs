//! `unsigned-now`: the present file is signed, and the new one is not.

use super::CheckInput;
use crate::finding::{Finding, Severity};

pub(crate) fn check(input: &CheckInput<'_>) -> Option<Finding> {
    let (place, old) = input.swaps.iter().filter(|swap| !swap.unchanged).find_map(|swap| {
        let (path, signer) = (&swap.old?.path, swap.old?.facts.signer.as_deref()?);
        swap.facts.signer.is_none().then_some((path, signer))
    })?;
    let sentence = format!("{place} is signed by {old}, and {} is not signed.", input.subject.name);
    let remedy =
        "Make sure that you trust its source: a vendor that signs one version signs them all.";
    Some(Finding::new("unsigned-now", Severity::Warn, sentence, remedy))
}
