//! The requests of a program's manifest ("Application Manifests", Windows SDK).

use std::io::{Read, Seek};
use std::path::Path;

use crate::error::ImageError;
use crate::file::open_plain;
use crate::headers::Headers;
use crate::resource::{self, ResourceKind};
use crate::source::Source;

/// Manifests in an image's directory: one is about 2 KB, and name 1 is the program's own.
const MANIFEST: ResourceKind =
    ResourceKind { number: 24, what: "the manifest", name: Some(1), longest: 64 << 10 };

/// The rights that a program asks to be started with (`requestedExecutionLevel`).
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Rights {
    /// Those of whoever starts it.
    #[default]
    Starter,
    /// The most that whoever starts it can have.
    Highest,
    /// An administrator's.
    Administrator,
}

/// The rights that the program at `path` asks for; a link is not followed.
///
/// # Errors
/// If the file cannot be read, is not an image, or its resource directory is damaged.
pub fn rights_of(path: &Path) -> Result<Rights, ImageError> {
    rights_from_reader(open_plain(path)?)
}

/// The same of an image from its first byte to its last.
///
/// # Errors
/// If it cannot be read, is not an image, or its resource directory is damaged.
pub fn rights_from_reader(reader: impl Read + Seek) -> Result<Rights, ImageError> {
    let mut source = Source::new(reader)?;
    let headers = Headers::read(&mut source)?;
    let manifests = resource::of_kind(&headers, &mut source, &MANIFEST)?;
    Ok(manifests
        .first()
        .map_or(Rights::Starter, |bytes| rights_in(&String::from_utf8_lossy(bytes))))
}

/// The text of the element, whatever the prefix of its name; comments do not count.
fn rights_in(manifest: &str) -> Rights {
    let mut text = String::new();
    let mut rest = manifest;
    while let Some((before, comment)) = rest.split_once("<!--") {
        text.push_str(before);
        rest = comment.split_once("-->").map_or("", |(_, after)| after);
    }
    text.push_str(rest);
    let element = text.split('<').find(|element| {
        let name = element.split([' ', '\t', '\r', '\n', '/', '>']).next().unwrap_or_default();
        name.rsplit(':').next() == Some("requestedExecutionLevel")
    });
    let Some(element) = element else { return Rights::Starter };
    let level = |word: &str| {
        element.contains(&format!("\"{word}\"")) || element.contains(&format!("'{word}'"))
    };
    if level("requireAdministrator") {
        Rights::Administrator
    } else if level("highestAvailable") {
        Rights::Highest
    } else {
        Rights::Starter
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_element_says_which_rights_are_asked_for() {
        let manifest =
            |element: &str| format!("<assembly>\r\n <x:security>{element}</x:security></assembly>");
        for (element, rights) in [
            (
                "<requestedExecutionLevel level=\"requireAdministrator\" uiAccess=\"false\"/>",
                Rights::Administrator,
            ),
            (
                "<ms:requestedExecutionLevel\n  level='highestAvailable'></ms:requestedExecutionLevel>",
                Rights::Highest,
            ),
            ("<requestedExecutionLevel level=\"asInvoker\"/>", Rights::Starter),
            ("<!-- <requestedExecutionLevel level=\"requireAdministrator\"/> -->", Rights::Starter),
            ("<!-- level=\"requireAdministrator\"", Rights::Starter),
            ("requestedExecutionLevel level=\"requireAdministrator\"", Rights::Starter),
            ("", Rights::Starter),
        ] {
            assert_eq!(rights_in(&manifest(element)), rights, "{element}");
        }
    }
}
