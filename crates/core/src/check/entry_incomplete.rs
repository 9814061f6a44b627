//! `entry-incomplete`: a stand-in does not offer what is imported from the library whose name it
//! bears.

use std::collections::BTreeSet;

use super::CheckInput;
use super::entry_not_loaded::is_entry;
use super::exports_missing::{list, offered};
use crate::finding::{Finding, Severity};
use crate::path::same_name;
use crate::remedy::Action;
use upright_spanner_image::system::is_always_windows_own;

pub(crate) fn check(input: &CheckInput<'_>) -> Option<Finding> {
    let swap = input.swaps.first().filter(|swap| is_entry(input, swap))?;
    // What a library offered before is compared by another check.
    if swap.old.is_some() && !input.in_place {
        return None;
    }

    let name = swap.place.path().file_name();
    // Windows would not take it for its own in any input, which another check reports.
    if is_always_windows_own(name) {
        return None;
    }

    let mut wanted: BTreeSet<String> = BTreeSet::new();
    let mut by = None;
    for (path, image) in input.importers(name) {
        let imports = image.imports.iter().filter(|i| same_name(&i.dll, name));
        let symbols = imports.flat_map(|import| &import.symbols).map(ToString::to_string);
        wanted.extend(symbols);
        by.get_or_insert_with(|| path.file_name().to_owned());
    }

    let by = by?;
    let offered = offered(&*input.image(swap)?);
    let missing: Vec<&String> = wanted.iter().filter(|symbol| !offered.contains(*symbol)).collect();
    if missing.is_empty() {
        return None;
    }

    let sentence = format!(
        "{} as {name} lacks {} that {by} imports from it: {}.",
        input.subject.name,
        if missing.len() == 1 {
            "a function".to_owned()
        } else {
            format!("{} functions", missing.len())
        },
        list(&missing)
    );

    let action = Action::ShowEntries { game: input.situation.game().id.clone().into() };
    let remedy =
        ("Choose a name whose functions it fully provides; see what each name needs.", action);
    Some(Finding::new("entry-incomplete", Severity::Stop, sentence, remedy))
}
