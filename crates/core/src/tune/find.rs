//! Finds the setting that people name: without regard to case, by its whole name or by a unique end of it.

use super::tunable::Tunable;
use crate::path::fold;

/// The settings that a text names: the one of that name, else all that end with it.
pub(crate) fn find<'a>(settings: &'a [Tunable], text: &str) -> Vec<&'a Tunable> {
    let wanted = fold(text.trim());
    let exact: Vec<&Tunable> =
        settings.iter().filter(|setting| fold(&setting.name) == wanted).collect();
    if !exact.is_empty() {
        return exact;
    }
    let ends_so = |setting: &&Tunable| {
        let name = fold(&setting.name);
        let before = name.strip_suffix(&wanted).unwrap_or("x");
        before.ends_with(|c: char| !c.is_alphanumeric())
    };
    settings.iter().filter(ends_so).collect()
}
