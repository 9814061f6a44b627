//! `exports-missing`: the new file lacks functions that the old one offered. That stops it where an
//! image of the game imports them, and is worth a note where none does.

use std::collections::BTreeSet;

use super::{CheckInput, Swap};
use crate::finding::{Finding, Severity};
use crate::path::same_name;
use upright_spanner_image::Image;

pub(crate) fn check(input: &CheckInput<'_>) -> Vec<Finding> {
    if input.in_place {
        return Vec::new();
    }
    let mut findings: Vec<Finding> = input
        .swaps
        .iter()
        .filter(|swap| !swap.unchanged)
        .filter_map(|swap| at(input, swap))
        .collect();
    // The same library in several places is reported once, by the gravest finding.
    findings.sort_by_key(|finding| std::cmp::Reverse(finding.severity));
    findings.truncate(1);
    findings
}

fn at(input: &CheckInput<'_>, swap: &Swap<'_>) -> Option<Finding> {
    let old = input.situation.window.image(&swap.old?.path)?;
    let new = input.image(swap)?;
    let (old, new) = (offered(&old), offered(&new));
    let missing: BTreeSet<&String> = old.difference(&new).collect();
    if missing.is_empty() {
        return None;
    }

    let name = swap.old?.path.file_name();
    for (path, image) in input.importers(name) {
        let imports = image.imports.iter().filter(|import| same_name(&import.dll, name));
        let symbols: BTreeSet<String> =
            imports.flat_map(|import| &import.symbols).map(ToString::to_string).collect();
        let wanted: Vec<&String> =
            missing.iter().copied().filter(|symbol| symbols.contains(*symbol)).collect();
        if !wanted.is_empty() {
            let sentence = format!(
                "{} lacks {} that {} imports from {name}: {}.",
                input.subject.name,
                functions(wanted.len()),
                path.file_name(),
                list(&wanted)
            );
            let remedy = "The game would not start with it. Use another build of this family.";
            return Some(Finding::new("exports-missing", Severity::Stop, sentence, remedy));
        }
    }

    let missing: Vec<&String> = missing.into_iter().collect();
    let sentence = format!(
        "{} lacks {} that the present {name} offers: {}.",
        input.subject.name,
        functions(missing.len()),
        list(&missing)
    );

    let remedy = "Nothing in this game imports them; one that is looked up while the game runs \
                  cannot be seen from here.";
    Some(Finding::new("exports-missing", Severity::Note, sentence, remedy))
}

/// What an image offers: names, and `#12` for each ordinal.
pub(super) fn offered(image: &Image) -> BTreeSet<String> {
    let names = image.exports.iter().filter_map(|export| export.name.clone());
    let ordinals = image.exports.iter().map(|export| format!("#{}", export.ordinal));
    // Ordinals of named functions change from build to build, and are rarely imported by.
    let named = image.exports.iter().all(|export| export.name.is_some());
    if named { names.collect() } else { names.chain(ordinals).collect() }
}

fn functions(number: usize) -> String {
    if number == 1 { "a function".to_owned() } else { format!("{number} functions") }
}

/// The first few of some names: as many as a sentence can hold.
pub(super) fn list(names: &[&String]) -> String {
    const SHOWN: usize = 4;
    let shown: Vec<&str> = names.iter().take(SHOWN).map(|name| name.as_str()).collect();
    let rest = names.len().saturating_sub(SHOWN);
    let more = if rest > 0 { format!(" and {rest} more") } else { String::new() };
    format!("{}{more}", shown.join(", "))
}
