//! The export table ("PE Format", "The .edata Section").

use std::io::{Read, Seek};

use object::LittleEndian as LE;
use object::{U16, U32, pe};

use super::headers::{Directory, Headers};
use super::source::Source;
use super::{Export, ImageError};

const WHAT: &str = "the export table";

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
        let functions: Vec<U32<LE>> = source.pods(at, count, WHAT)?;
        let mut names = vec![None; count];
        let named = entry.number_of_names.get(LE) as usize;
        if named > 0 {
            let at = headers.locate(entry.address_of_names.get(LE), WHAT)?;
            let texts: Vec<U32<LE>> = source.pods(at, named, WHAT)?;
            let at = headers.locate(entry.address_of_name_ordinals.get(LE), WHAT)?;
            let ordinals: Vec<U16<LE>> = source.pods(at, named, WHAT)?;
            for (text, ordinal) in texts.iter().zip(&ordinals) {
                let slot = names.get_mut(usize::from(ordinal.get(LE)));
                let slot = slot.ok_or(ImageError::malformed(WHAT))?;
                *slot = Some(source.text(headers.locate(text.get(LE), WHAT)?, WHAT)?);
            }
        }
        let base = entry.base.get(LE);
        let mut out = Vec::new();
        for (index, (function, name)) in functions.iter().zip(names).enumerate() {
            let address = function.get(LE);
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
            out.push(Export { name, ordinal, forwarded_to });
        }
        Ok(out)
    }
}
