//! `needs-administrator`: a value of the registry that only an administrator can set.

use crate::finding::{Finding, Severity};
use crate::remedy::Action;
use upright_spanner_settings::registry::{ValueName, folded};

pub(crate) const CODE: &str = "needs-administrator";

/// Keys of the user's own part that the user may not write to.
const KEYS: [&str; 2] =
    [r"software\policies", r"software\microsoft\windows\currentversion\policies"];

/// Said of a value below the user's own part.
pub(crate) fn check(value: &ValueName) -> Option<Finding> {
    let key = folded(&value.key);
    let is_below = |of: &&str| {
        key.strip_prefix(*of).is_some_and(|rest| rest.is_empty() || rest.starts_with('\\'))
    };
    KEYS.iter().any(is_below).then(|| finding(&value.to_string()))
}

/// Said of a value by what to call it.
pub(crate) fn finding(value: &str) -> Finding {
    let sentence = format!("{value} can be set by an administrator alone.");
    let remedy =
        ("Write the values to a file, and let an administrator import it.", Action::WriteRegFile);
    Finding::new(CODE, Severity::Stop, sentence, remedy)
}
