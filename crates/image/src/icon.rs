//! The icon that a file manager shows for a program: the largest picture of its first group of icons ("Icons",
//! Windows SDK, `GRPICONDIR`).

use std::io::{Read, Seek};
use std::path::Path;

use crate::error::ImageError;
use crate::file::open_plain;
use crate::headers::Headers;
use crate::resource::{self, ResourceKind};
use crate::source::Source;

const WHAT: &str = "the icon";

/// Groups of icons: a list of pictures of one motif, with the number of each. One has some ten.
const GROUP: ResourceKind = ResourceKind { number: 14, what: WHAT, name: None, longest: 4 << 10 };

/// One picture: 256 by 256 points of 32 bits have 270 KB with their mask.
fn picture(number: u16) -> ResourceKind {
    ResourceKind { number: 3, what: WHAT, name: Some(number.into()), longest: 512 << 10 }
}

/// The bytes of the group's head, and of each picture in it.
const HEAD: usize = 6;
const ENTRY: usize = 14;

/// The icon of the program at `path` as an icon file (`.ico`) of one picture; nothing if it has none. A link is not
/// followed.
///
/// # Errors
/// If the file cannot be read, is not an image, or its resource directory is damaged.
pub fn icon_of(path: &Path) -> Result<Option<Vec<u8>>, ImageError> {
    icon_from_reader(open_plain(path)?)
}

/// The same of an image from its first byte to its last.
///
/// # Errors
/// If it cannot be read, is not an image, or its resource directory is damaged.
pub fn icon_from_reader(reader: impl Read + Seek) -> Result<Option<Vec<u8>>, ImageError> {
    let mut source = Source::new(reader)?;
    let headers = Headers::read(&mut source)?;
    let groups = resource::of_kind(&headers, &mut source, &GROUP)?;
    let Some(group) = groups.first().filter(|group| group.len() >= HEAD) else { return Ok(None) };
    // A width or height of 256 is written as 0; then the number of bits counts.
    let size = |entry: &[u8]| {
        let edge = if entry[0] == 0 { 256 } else { u16::from(entry[0]) };
        (edge, u16::from_le_bytes([entry[6], entry[7]]))
    };
    let Some(entry) = group[HEAD..].chunks_exact(ENTRY).max_by_key(|entry| size(entry)) else {
        return Ok(None);
    };
    let kind = picture(u16::from_le_bytes([entry[12], entry[13]]));
    let pictures = resource::of_kind(&headers, &mut source, &kind)?;
    let Some(picture) = pictures.first() else { return Ok(None) };

    // A file names the place of the picture if a group names its number.
    let place = (HEAD + ENTRY + 2) as u32;
    let mut file = vec![0, 0, 1, 0, 1, 0];
    file.extend_from_slice(&entry[..8]);
    file.extend_from_slice(&(picture.len() as u32).to_le_bytes());
    file.extend_from_slice(&place.to_le_bytes());
    file.extend_from_slice(picture);
    Ok(Some(file))
}
