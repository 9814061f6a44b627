//! Libraries with other endings: files beside programs and libraries that are libraries by content.
//!
//! A game loads such files by their names while it runs. Only folders that hold a program or a library are
//! looked into, and those for plugins in them; and of the files there only those whose ending is not that of
//! data.

use std::collections::{BTreeMap, BTreeSet};
use std::fs::DirEntry;
use std::io::Read;
use std::path::Path;

use rayon::prelude::*;

use super::walk::{Found, Walked, found, is_candidate};
use crate::path::extension;
use upright_spanner_image::file::open_plain;

/// What programs and artists leave beside libraries: none of it is one. Sorted, to be searched.
const DATA: [&str; 91] = [
    "7z", "avi", "bat", "bik", "bk2", "bmp", "c", "cab", "cat", "cfg", "cmd", "conf", "cpp", "cs",
    "cso", "css", "csv", "dds", "def", "doc", "docx", "fbx", "flac", "fnt", "fx", "gif", "glb",
    "glsl", "gltf", "gz", "h", "hlsl", "hpp", "htm", "html", "icns", "ico", "inf", "ini", "jar",
    "jpeg", "jpg", "js", "json", "ktx", "lib", "lnk", "log", "lua", "manifest", "map", "md", "mp3",
    "mp4", "msi", "nfo", "obj", "ogg", "opus", "otf", "pak", "pck", "pdb", "pdf", "png", "ps1",
    "psd", "py", "rar", "reg", "rtf", "sh", "so", "spv", "svg", "tga", "tif", "tiff", "toml",
    "ttc", "ttf", "txt", "url", "wav", "webm", "webp", "wma", "wmv", "xml", "yaml", "yml",
];

/// So many files of one ending in a folder are data: of plugins there are some ten.
const MOST_OF_ONE_ENDING: usize = 24;

/// A longer ending is part of a name.
const LONGEST_ENDING: usize = 12;

/// Parts of the names of plugin folders.
const FOR_PLUGINS: [&str; 6] = ["plug", "addon", "add-on", "extension", "mods", "modules"];

/// The libraries with other endings beside the files found in a folder.
pub(super) fn beside(root: &Path, walked: &Walked) -> Vec<Found> {
    let folders: BTreeSet<&str> = walked.images.iter().map(|image| image.path.folder()).collect();
    let looked = |folder: &&str| {
        let (mut libraries, inside) = in_folder(root, folder);
        let inside = inside.iter().map(String::as_str).filter(|inside| !folders.contains(inside));
        libraries.extend(inside.flat_map(|inside| in_folder(root, inside).0));
        libraries
    };
    folders.par_iter().flat_map_iter(looked).collect()
}

/// The libraries of a folder, and the folders for plugins in it.
fn in_folder(root: &Path, folder: &str) -> (Vec<Found>, Vec<String>) {
    let path = if folder.is_empty() { root.to_owned() } else { root.join(folder) };
    // The walk has reported unreadable folders.
    let Ok(entries) = std::fs::read_dir(path) else { return Default::default() };
    let mut by_ending: BTreeMap<String, Vec<DirEntry>> = BTreeMap::new();
    let mut for_plugins = Vec::new();
    for entry in entries.flatten() {
        let name = entry.file_name();
        if entry.file_type().is_ok_and(|kind| kind.is_dir()) {
            let name = name.to_string_lossy();
            let folded = name.to_lowercase();
            if FOR_PLUGINS.iter().any(|word| folded.contains(word)) {
                for_plugins.push(if folder.is_empty() {
                    name.into_owned()
                } else {
                    format!("{folder}/{name}")
                });
            }
            continue;
        }
        let ending = extension(&name.to_string_lossy());
        let is_possible = (1..=LONGEST_ENDING).contains(&ending.len())
            && DATA.binary_search(&ending.as_str()).is_err()
            && !is_candidate(name.as_encoded_bytes());
        if is_possible && entry.file_type().is_ok_and(|kind| kind.is_file()) {
            by_ending.entry(ending).or_default().push(entry);
        }
    }
    let few = by_ending.into_values().filter(|files| files.len() <= MOST_OF_ONE_ENDING);
    let libraries = few.flatten().filter(|entry| begins_as_image(&entry.path()));
    let found = libraries.filter_map(|entry| found(root, &entry.path(), &entry.metadata().ok()?));
    (found.collect(), for_plugins)
}

/// Whether a file begins as programs and libraries do.
fn begins_as_image(path: &Path) -> bool {
    let mut start = [0; 2];
    open_plain(path).is_ok_and(|mut file| file.read_exact(&mut start).is_ok()) && start == *b"MZ"
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_endings_are_sorted_to_be_searched() {
        assert!(DATA.is_sorted());
    }
}
