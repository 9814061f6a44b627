//! Finds resources of an image in its resource directory ("PE Format", "The .rsrc
//! Section"): type, name and language, three levels deep.

use std::io::{Read, Seek};

use object::LittleEndian as LE;
use object::pe;

use crate::budget::{MOST_LANGUAGES, MOST_NODES, MOST_RESOURCE};
use crate::error::ImageError;
use crate::headers::Headers;
use crate::source::Source;

const WHAT: &str = "the resource directory";

/// A kind of resource, and what reading those of it may cost.
pub(super) struct ResourceKind {
    /// The type in the directory.
    pub number: u32,
    /// Its name in errors.
    pub what: &'static str,
    /// Its number in the directory, if only one is wanted.
    pub name: Option<u32>,
    /// The longest of which all is read.
    pub longest: u64,
}

/// The bytes of each resource of a kind, in directory order.
pub(super) fn of_kind<R: Read + Seek>(
    headers: &Headers,
    source: &mut Source<R>,
    kind: &ResourceKind,
) -> Result<Vec<Vec<u8>>, ImageError> {
    let Some(directory) = headers.directory(pe::IMAGE_DIRECTORY_ENTRY_RESOURCE) else {
        return Ok(Vec::new());
    };
    let root = headers.locate(directory.address, WHAT)?;
    let mut out = Vec::new();
    // Directories may lead to one another in circles, and to one many times.
    let (mut left, mut bytes) = (MOST_NODES, 0);
    for (id, types) in entries(source, root, root, &mut left)? {
        let Child::Directory(names) = types else { continue };
        if id != kind.number {
            continue;
        }
        for (named, name) in entries(source, root, names, &mut left)? {
            let Child::Directory(languages) = name else { continue };
            if kind.name.is_some_and(|wanted| wanted != named) {
                continue;
            }
            for (_, language) in entries(source, root, languages, &mut left)? {
                let Child::Data(at) = language else { continue };
                if out.len() >= MOST_LANGUAGES {
                    return Ok(out);
                }
                let resource = data(headers, source, at, kind)?;
                bytes += resource.len();
                if bytes > MOST_RESOURCE {
                    return Err(ImageError::excessive(WHAT));
                }
                out.push(resource);
            }
        }
    }

    Ok(out)
}

enum Child {
    Directory(u64),
    Data(u64),
}

/// The entries of one directory: identifier (0 for a named one) and offset in the file.
fn entries<R: Read + Seek>(
    source: &mut Source<R>,
    root: u64,
    at: u64,
    left: &mut usize,
) -> Result<Vec<(u32, Child)>, ImageError> {
    let directory: pe::ImageResourceDirectory = source.pod(at, WHAT)?;
    let count = usize::from(directory.number_of_named_entries.get(LE))
        + usize::from(directory.number_of_id_entries.get(LE));
    *left = left.checked_sub(count).ok_or(ImageError::excessive(WHAT))?;
    let first = at + size_of::<pe::ImageResourceDirectory>() as u64;
    let entries: Vec<pe::ImageResourceDirectoryEntry> = source.pods(first, count, WHAT)?;
    let lead = |entry: &pe::ImageResourceDirectoryEntry| {
        const SUBDIRECTORY: u32 = 1 << 31;
        let (name, target) = (entry.name_or_id.get(LE), entry.offset_to_data_or_directory.get(LE));
        let id = if name & SUBDIRECTORY == 0 { name } else { 0 };
        let to = root + u64::from(target & !SUBDIRECTORY);
        (id, if target & SUBDIRECTORY != 0 { Child::Directory(to) } else { Child::Data(to) })
    };
    Ok(entries.iter().map(lead).collect())
}

fn data<R: Read + Seek>(
    headers: &Headers,
    source: &mut Source<R>,
    at: u64,
    kind: &ResourceKind,
) -> Result<Vec<u8>, ImageError> {
    let entry: pe::ImageResourceDataEntry = source.pod(at, WHAT)?;
    let start = headers.locate(entry.offset_to_data.get(LE), kind.what)?;
    let len =
        u64::from(entry.size.get(LE)).min(kind.longest).min(source.len().saturating_sub(start));
    source.bytes(start, len, kind.what)
}
