//! Tells which files of a package serve different needs, of which a game has one: another machine, another
//! graphics interface, another way of being loaded, another version of the game.

use std::collections::{BTreeMap, BTreeSet};

use super::layout::common_folder;
use super::sort::{Part, Specimen};
use crate::catalog::{keyed_to, slug};
use crate::content::Content;
use crate::path::{fold, stem};
use upright_spanner_image::system::can_be_stood_in;

/// Endings by which authors tell the machines of one library apart.
const MACHINE_ENDINGS: [&str; 10] =
    ["x86_64", "x86-64", "amd64", "win64", "win32", "arm64", "x64", "x86", "64", "32"];

/// Graphics interfaces: an archive that names one serves that one alone.
pub(super) const GRAPHICS: [&str; 14] = [
    "d3d8", "d3d9", "d3d10", "d3d11", "d3d12", "dx8", "dx9", "dx10", "dx11", "dx12", "opengl",
    "gl", "vulkan", "vk",
];

/// So many needs no package serves; in more folders than this, libraries of one name are something else.
const MOST_VARIANTS: usize = 64;

/// The label of each file's variant; none if all variants have the file.
pub(super) fn variants(
    files: &[Specimen<'_>],
    parts: &[Part],
    contents: &[Content],
) -> Vec<Option<String>> {
    let libraries: Vec<usize> = (0..files.len()).filter(|&at| parts[at].is_library()).collect();
    let mut alike: BTreeMap<String, Vec<usize>> = BTreeMap::new();
    for &at in &libraries {
        alike.entry(likeness(&files[at])).or_default().push(at);
    }

    let mut held: BTreeMap<&str, BTreeSet<&str>> = BTreeMap::new();
    for (likeness, group) in &alike {
        for &at in group {
            held.entry(files[at].path.folder()).or_default().insert(likeness);
        }
    }
    let mut folders = BTreeSet::new();
    for group in alike.values() {
        let in_folders: BTreeSet<&str> = group.iter().map(|&at| files[at].path.folder()).collect();
        let differ = group.iter().any(|&at| contents[at] != contents[group[0]]);
        if in_folders.len() > 1 && in_folders.len() <= MOST_VARIANTS && differ {
            let serves = |folder: &&str| {
                let mut others = in_folders.iter().filter(|other| *other != folder);
                is_need(folder)
                    || others.any(|other| {
                        are_alike(&held[*folder], &held[*other])
                            || differ_in_machine(files, group, folder, other)
                    })
            };
            folders.extend(in_folders.iter().copied().filter(serves));
        }
    }
    if folders.len() > MOST_VARIANTS {
        folders.clear();
    }

    let by_folder = labels(&folders);
    let folder_label = |at: usize| {
        let around = |folder: &str| folder.rsplit_once('/').map_or("", |(around, _)| around).len();
        let mut folder = files[at].path.folder();
        loop {
            if let Some(label) = by_folder.get(folder) {
                return Some(label.clone());
            }
            if folder.is_empty() {
                return None;
            }
            folder = &folder[..around(folder)];
        }
    };
    let mut out: Vec<Option<String>> = (0..files.len()).map(folder_label).collect();
    for group in alike.values() {
        within_folders(files, group, &mut out);
    }
    along_with_libraries(files, parts, &libraries, &mut out);
    out
}

/// Whether a folder is named after a need.
fn is_need(folder: &str) -> bool {
    const NEEDS: [&str; 8] =
        ["debug", "release", "static", "universal", "win32", "win64", "x64", "x86"];
    let name = fold(folder.rsplit('/').next().unwrap_or_default());
    name.split(['-', '_', ' ', '.']).any(|word| NEEDS.contains(&word) || GRAPHICS.contains(&word))
}

/// Whether two folders have mostly the same libraries, so that they serve the same purpose.
fn are_alike(one: &BTreeSet<&str>, other: &BTreeSet<&str>) -> bool {
    // Parts of one thing may share names too: halves of a package, each with a `stream` and a `frame`.
    3 * one.intersection(other).count() >= 2 * one.union(other).count()
}

/// Whether the libraries of a group in two folders are for different machines.
fn differ_in_machine(files: &[Specimen<'_>], group: &[usize], one: &str, other: &str) -> bool {
    let machine = |folder: &str| {
        let own = group.iter().find(|&&at| files[at].path.folder() == folder);
        own.and_then(|&at| files[at].facts).map(|facts| facts.machine)
    };
    machine(one) != machine(other)
}

/// The common key of two libraries that serve different needs: the name without machine and game version, and for
/// stand-ins of Windows' libraries the product.
fn likeness(file: &Specimen<'_>) -> String {
    let name = fold(file.path.file_name());
    let Some(facts) = file.facts else { return name };
    let product = facts.string("ProductName").filter(|_| can_be_stood_in(&name));
    if let Some(product) = product {
        return format!("={}", fold(product));
    }
    if keyed_to(facts, &name).is_some() {
        return name.split(|c: char| c.is_ascii_digit()).next().unwrap_or_default().to_owned();
    }
    without_machine(stem(&name)).to_owned()
}

/// A name without an ending that tells the machine.
pub(super) fn without_machine(stem: &str) -> &str {
    let cut = |ending: &str| stem.strip_suffix(ending).filter(|rest| !rest.is_empty());
    let found = MACHINE_ENDINGS.iter().find_map(|ending| cut(ending));
    found.unwrap_or(stem).trim_end_matches(['-', '_', '.', ' '])
}

/// Separates the variants within one folder.
fn within_folders(files: &[Specimen<'_>], group: &[usize], out: &mut [Option<String>]) {
    let mut by_folder: BTreeMap<&str, Vec<usize>> = BTreeMap::new();
    for &at in group {
        by_folder.entry(files[at].path.folder()).or_default().push(at);
    }
    let are_few = |together: &&Vec<usize>| (2..=MOST_VARIANTS).contains(&together.len());
    for together in by_folder.values().filter(are_few) {
        for &at in together {
            let file = &files[at];
            let name = fold(file.path.file_name());
            let key = file.facts.and_then(|facts| keyed_to(facts, &name));
            let own = match (key, file.facts) {
                (Some(key), _) => format!("for-{key}"),
                (None, _) if can_be_stood_in(&name) => stem(&name).to_owned(),
                (None, Some(facts)) => facts.machine.name().to_owned(),
                (None, None) => continue,
            };
            out[at] = Some(match out[at].take() {
                Some(folder) => format!("{folder}-{own}"),
                None => own,
            });
        }
    }
}

/// A file with the name of a library of a single variant belongs to that variant.
fn along_with_libraries(
    files: &[Specimen<'_>],
    parts: &[Part],
    libraries: &[usize],
    out: &mut [Option<String>],
) {
    let named = |at: usize| (files[at].path.folder(), fold(stem(files[at].path.file_name())));
    let labelled: BTreeMap<(&str, String), Option<String>> =
        libraries.iter().map(|&at| (named(at), out[at].clone())).collect();
    for at in (0..files.len()).filter(|&at| !parts[at].is_library()) {
        if let Some(Some(label)) = labelled.get(&named(at)) {
            out[at] = Some(label.clone());
        }
    }
}

/// The label of each folder: its path below their common folder.
fn labels(folders: &BTreeSet<&str>) -> BTreeMap<String, String> {
    let common = common_folder(folders);
    let label = |folder: &str| {
        let below = folder[common.len()..].trim_start_matches('/');
        if below.is_empty() { "main".to_owned() } else { slug(below) }
    };
    folders.iter().map(|folder| ((*folder).to_owned(), label(folder))).collect()
}
