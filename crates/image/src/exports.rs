//! The export table ("PE Format", "The .edata Section").

use std::fmt;
use std::io::{Read, Seek};

use object::LittleEndian as LE;
use object::{U16, U32, pe};

use crate::budget::MOST_EXPORTS;
use crate::error::ImageError;
use crate::headers::{Directory, Headers};
use crate::source::Source;

const WHAT: &str = "the export table";

/// An exported function or variable; as a text its name, or `#12` where it has none.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Export {
    /// Its name, where it has one.
    pub name: Option<String>,
    /// Its ordinal.
    pub ordinal: u32,
    /// `library.symbol`, where the call goes on to another library.
    pub forwarded_to: Option<String>,
}

impl fmt::Display for Export {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.name {
            Some(name) => f.write_str(name),
            None => write!(f, "#{}", self.ordinal),
        }
    }
}

/// The table's own name for the library and what it offers.
pub(super) struct Table {
    directory: Directory,
    entry: pe::ImageExportDirectory,
    /// The name that the library was linked under.
    pub name: Option<String>,
}

pub(super) fn table<R: Read + Seek>(
    headers: &Headers,
    source: &mut Source<R>,
) -> Result<Option<Table>, ImageError> {
    let Some(directory) = headers.directory(pe::IMAGE_DIRECTORY_ENTRY_EXPORT) else {
        return Ok(None);
    };
    let at = headers.locate(directory.address, WHAT)?;
    let entry: pe::ImageExportDirectory = source.pod(at, WHAT)?;
    let name = match entry.name.get(LE) {
        0 => None,
        address => Some(source.text(headers.locate(address, WHAT)?, WHAT)?),
    };
    Ok(Some(Table { directory, entry, name: name.filter(|name| !name.is_empty()) }))
}

impl Table {
    /// Every export, by ordinal; functions that are not there (address 0) are left out.
    pub fn exports<R: Read + Seek>(
        &self,
        headers: &Headers,
        source: &mut Source<R>,
    ) -> Result<Vec<Export>, ImageError> {
        let entry = &self.entry;
        let count = entry.number_of_functions.get(LE) as usize;
        if count == 0 {
            return Ok(Vec::new());
        }

        let at = headers.locate(entry.address_of_functions.get(LE), WHAT)?;
        if count > MOST_EXPORTS || entry.number_of_names.get(LE) as usize > MOST_EXPORTS {
            return Err(ImageError::excessive(WHAT));
        }
        let functions: Vec<U32<LE>> = source.pods(at, count, WHAT)?;
        // A function may have several names, or none.
        let mut names: Vec<(usize, String)> = Vec::new();
        let named = entry.number_of_names.get(LE) as usize;
        if named > 0 {
            let at = headers.locate(entry.address_of_names.get(LE), WHAT)?;
            let texts: Vec<U32<LE>> = source.pods(at, named, WHAT)?;
            let at = headers.locate(entry.address_of_name_ordinals.get(LE), WHAT)?;
            let ordinals: Vec<U16<LE>> = source.pods(at, named, WHAT)?;
            for (text, ordinal) in texts.iter().zip(&ordinals) {
                let name = source.text(headers.locate(text.get(LE), WHAT)?, WHAT)?;
                names.push((usize::from(ordinal.get(LE)), name));
            }
        }

        names.sort_by_key(|(index, _)| *index);
        let mut names = names.into_iter().peekable();
        let base = entry.base.get(LE);
        let mut out = Vec::new();

        for (index, function) in functions.iter().enumerate() {
            let address = function.get(LE);
            let mut own: Vec<Option<String>> = Vec::new();
            while let Some((_, name)) = names.next_if(|(of, _)| *of == index) {
                own.push(Some(name));
            }
            if own.is_empty() {
                own.push(None);
            }
            if address == 0 {
                continue;
            }
            // An address inside the export directory is a text: the export lives elsewhere.
            let inside = address.checked_sub(self.directory.address);
            let forwarded_to = match inside {
                Some(delta) if delta < self.directory.len => {
                    Some(source.text(headers.locate(address, WHAT)?, WHAT)?)
                }
                _ => None,
            };
            let ordinal = base.wrapping_add(index as u32);
            for name in own {
                // Each name of a function that lives elsewhere has a copy of where.
                source.keep_text(forwarded_to.as_ref().map_or(0, String::len), WHAT)?;
                out.push(Export { name, ordinal, forwarded_to: forwarded_to.clone() });
            }
        }

        Ok(out)
    }
}
