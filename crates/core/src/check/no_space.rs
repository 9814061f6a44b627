//! `no-space`: a volume has less room than the change needs.

use super::Conditions;
use crate::finding::{Finding, Severity};
use crate::path::slashes;
use crate::remedy::Action;
use crate::size::humane;

pub(crate) const CODE: &str = "no-space";

pub(crate) fn check(conditions: &Conditions) -> Option<Finding> {
    let (folder, wanted, free) = conditions.short.first()?;
    let sentence = format!(
        "The change needs {} on the volume of {}, which has {} left.",
        humane(*wanted),
        slashes(folder),
        humane(*free)
    );
    let remedy = ("Make room there, or use a home folder elsewhere.", Action::ChangeHome);
    Some(Finding::new(CODE, Severity::Stop, sentence, remedy))
}
