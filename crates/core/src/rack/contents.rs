//! Reads the content of a package: the facts of its images, the kind of each file, its texts.

use std::collections::HashSet;
use std::io::Read;
use std::path::Path;

use super::archive::PackedFile;
use super::sort::{Part, Sorted, Specimen, is_settings_name, sort};
use super::variants::variants;
use super::{Note, decoded};
use crate::content::Content;
use crate::error::{Error, RackError, Result};
use crate::path::extension;
use upright_spanner_image::{Facts, ImageError};

/// A note longer than this is not a text that anyone reads: a book has 1 MB.
pub(super) const LONGEST_NOTE: u64 = 4 << 20;

/// Each build of a package has all of its notes; no one reads more.
const MOST_NOTES: usize = 100;

/// More words than this of one settings file are not names that anyone wrote into it.
const MOST_NAMES: usize = 10_000;

/// Settings longer than this name no file that would be taken for a text.
const LONGEST_NAMING: u64 = 256 << 10;

/// Sorts the files of a package, and tells its variants.
pub(super) fn sorted(
    entries: &[PackedFile],
    facts: &[Option<Facts>],
) -> std::io::Result<Vec<Sorted>> {
    let mut starts = Vec::with_capacity(entries.len());
    let mut named = HashSet::new();
    for (entry, facts) in entries.iter().zip(facts) {
        let mut start = Vec::new();
        if facts.is_none() {
            entry.open()?.take(64).read_to_end(&mut start)?;
        }
        starts.push(start);
        if is_settings_name(entry.path.file_name()) && entry.content.size <= LONGEST_NAMING {
            let text = decoded(&entry.bytes()?).to_lowercase();
            named.extend(words(&text).take(MOST_NAMES).map(str::to_owned));
        }
    }

    let files: Vec<Specimen<'_>> = entries
        .iter()
        .zip(facts)
        .zip(&starts)
        .map(|((entry, facts), start)| Specimen { path: &entry.path, facts: facts.as_ref(), start })
        .collect();
    let kinds = sort(&files, &named);
    let parts: Vec<Part> = kinds.iter().map(|(part, _)| *part).collect();
    let contents: Vec<Content> = entries.iter().map(|entry| entry.content).collect();
    let labels = variants(&files, &parts, &contents);
    let sorted = entries.iter().zip(kinds).zip(labels);
    let sorted = sorted.map(|((entry, (part, reason)), variant)| Sorted {
        path: entry.path.clone(),
        part,
        reason,
        variant,
    });
    Ok(sorted.collect())
}

/// The words of a text that could be file names, without the folders before them.
fn words(text: &str) -> impl Iterator<Item = &str> {
    let is_between =
        |c: char| c.is_whitespace() || c.is_control() || "\"'`,;=|<>()[]{}/\\".contains(c);
    text.split(is_between).filter(|word| word.contains('.'))
}

/// The facts of an image; `None` for other files. A file that was given directly must be an image, and a file with a
/// library's ending must be complete.
pub(super) fn facts_of(path: &Path, entry: &PackedFile, alone: bool) -> Result<Option<Facts>> {
    let library = extension(entry.path.file_name()) == "dll";
    let file = entry.open().map_err(ImageError::Unreadable);
    match file.and_then(Facts::from_reader) {
        Ok(facts) => Ok(Some(facts)),
        Err(error @ ImageError::Unreadable(_)) => Err(Error::image(path)(error)),
        Err(error) if alone && entry.is_at(path) => Err(Error::image(path)(error)),
        Err(error) if library => Err(Error::Rack(RackError::Package {
            path: path.to_owned(),
            why: format!("its entry `{}` is not a library: {error}", entry.path),
            remedy: "Get the archive again from its source.".into(),
        })),
        Err(_) => Ok(None),
    }
}

pub(super) fn notes(entries: &[PackedFile], sorted: &[Sorted]) -> Vec<Note> {
    let documents = entries.iter().zip(sorted).filter(|(entry, file)| {
        file.part == Part::Documentation && entry.content.size <= LONGEST_NOTE
    });
    documents
        .map(|(entry, _)| Note { name: entry.path.to_string(), content: entry.content })
        .take(MOST_NOTES)
        .collect()
}

/// The texts of the notes. An unreadable one is empty.
pub(super) fn texts(entries: &[PackedFile], notes: &[Note]) -> Vec<String> {
    let text = |note: &Note| {
        let entry = entries.iter().find(|entry| entry.content == note.content)?;
        Some(decoded(&entry.bytes().ok()?))
    };
    notes.iter().filter_map(text).collect()
}
