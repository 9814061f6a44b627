//! `exports-missing`: the new file lacks functions that the old one offered, and that nothing in the game
//! imports.

use std::collections::BTreeSet;

use super::loading::{FUNCTIONS, functions, list};
use super::{CheckInput, Swap};
use crate::finding::{Finding, Severity};
use crate::path::same_name;
use crate::window::ImageAt;
use upright_spanner_image::Export;

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
    let old = input.situation.window.exports(ImageAt::Game(&swap.old?.path))?;
    let new = input.exports(swap)?;
    let (old, new) = (offered(&old), offered(&new));
    let missing: BTreeSet<&String> = old.difference(&new).collect();
    if missing.is_empty() {
        return None;
    }

    let name = swap.old?.path.file_name();
    let mut imported = BTreeSet::new();
    for imports in input.importers(name) {
        let imports = imports.iter().filter(|import| same_name(&import.dll, name));
        imported.extend(imports.flat_map(|import| &import.symbols).map(ToString::to_string));
    }
    // Functions that the game imports are covered by the law.
    if missing.iter().any(|symbol| imported.contains(*symbol)) {
        return None;
    }

    let missing: Vec<String> = missing.into_iter().cloned().collect();
    let sentence = format!(
        "{} lacks {} that the present {name} offers: {}.",
        input.subject.name,
        functions(missing.len()),
        list(&missing)
    );

    let remedy = "Nothing in this game imports them; one that is looked up while the game runs \
                  cannot be seen from here.";
    let mut finding = Finding::new(FUNCTIONS, Severity::Note, sentence, remedy);
    finding.names = missing;
    Some(finding)
}

/// What an image offers: names, and `#12` for each ordinal.
fn offered(exports: &[Export]) -> BTreeSet<String> {
    let names = exports.iter().filter_map(|export| export.name.clone());
    let ordinals = exports.iter().map(|export| format!("#{}", export.ordinal));
    // Ordinals of named functions change from build to build, and are rarely imported by.
    let named = exports.iter().all(|export| export.name.is_some());
    if named { names.collect() } else { names.chain(ordinals).collect() }
}
