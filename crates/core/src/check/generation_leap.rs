//! `generation-leap`: the version jumps from one generation of a family to another.

use super::CheckInput;
use crate::finding::{Finding, Severity};
use upright_spanner_image::Version;

pub(crate) fn check(input: &CheckInput<'_>) -> Option<Finding> {
    let new = input.subject.version.as_ref()?;
    let family = input.situation.catalog.family(input.subject.family);
    let (old, what) = input.swaps.iter().filter(|swap| !swap.unchanged).find_map(|swap| {
        let old = swap.old?.facts.version()?;
        let label = |version: &Version| family.and_then(|f| f.generation(version));
        let what = match (label(&old), label(new)) {
            (Some(was), Some(is)) if was != is => format!("from {was} to {is}"),
            (Some(_), Some(_)) => return None,
            _ if leaps(&old, new) => format!("{} to another numbering", direction(&old, new)),
            _ => return None,
        };
        (Some(swap.facts) == input.subject.facts).then_some((old, what))
    })?;
    let sentence = format!("{} jumps {what}: the present version is {old}.", input.subject.name);
    let remedy =
        "Newer by count, but of another kind: read its notes, and keep the way back in mind.";
    Some(Finding::new("generation-leap", Severity::Note, sentence, remedy))
}

/// Whether the first number grows or shrinks more than tenfold. A zero says nothing: what follows it
/// counts there.
fn leaps(old: &Version, new: &Version) -> bool {
    let (old, new) = (first(old), first(new));
    old > 0 && new > 0 && (new > old.saturating_mul(10) || old > new.saturating_mul(10))
}

fn direction(old: &Version, new: &Version) -> &'static str {
    if first(new) > first(old) { "up" } else { "down" }
}

fn first(version: &Version) -> u64 {
    version.numbers().first().copied().unwrap_or(0)
}
