//! `signer-changed`: the new file is signed by someone else than the present one.

use super::{CheckInput, Swap};
use crate::catalog::{companies_agree, same_maker};
use crate::finding::{Finding, Severity};
use crate::remedy::Action;
use crate::survey::Library;
use upright_spanner_image::SignatureStatus;
use upright_spanner_image::system::comes_with_windows;

pub(crate) fn check(input: &CheckInput<'_>) -> Option<Finding> {
    // A signature that is not intact proves nothing of who made it.
    if input.subject.signature != SignatureStatus::Intact {
        return None;
    }
    let changed = input.swaps.iter().filter(|swap| !swap.unchanged);
    let (swap, old) = changed.filter_map(|swap| Some((swap, swap.old?))).find(is_by_others)?;
    let (was, is) = (old.facts.signer.as_deref()?, swap.facts.signer.as_deref()?);
    let sentence = format!(
        "{} names {was} as its signer, and {} is signed by {is}.",
        old.path, input.subject.name
    );
    // What many bring along is signed again by those who do.
    let states_company = swap.facts.string("CompanyName").is_some();
    let is_same = states_company && companies_agree(&old.facts, swap.facts);
    let is_redistributed = comes_with_windows(old.path.file_name())
        || old.facts.version().is_some() && old.facts.version() == swap.facts.version();
    let severity = if is_same && is_redistributed { Severity::Note } else { Severity::Warn };
    let remedy = ("A vendor may sign under a new name; look at the file.", Action::Inspect);
    Some(Finding::new("signer-changed", severity, sentence, remedy))
}

/// Whether none of the present file's signers signed the new one.
fn is_by_others((swap, old): &(&Swap<'_>, &Library)) -> bool {
    let (was, is) = (&old.facts.signers, &swap.facts.signers);
    let is_one_of = |name: &String| was.iter().any(|other| same_maker(other, name));
    !was.is_empty() && !is.is_empty() && !is.iter().any(is_one_of)
}
