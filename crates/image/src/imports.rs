//! The import and delay-import tables ("PE Format", "The .idata Section", "Delay-Load Import
//! Tables").

use std::fmt;
use std::io::{Read, Seek};

use object::LittleEndian as LE;
use object::pe;
use schemars::JsonSchema;
use serde::{Serialize, Serializer};

use crate::budget::{MOST_LIBRARIES, MOST_SYMBOLS};
use crate::error::ImageError;
use crate::headers::Headers;
use crate::source::Source;

const WHAT: &str = "the import table";
const WHAT_DELAYED: &str = "the delay-import table";

/// A library that an image imports from.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Import {
    /// The library's file name, in the image's spelling.
    pub dll: String,
    /// The imported symbols.
    #[schemars(with = "Vec<String>")]
    pub symbols: Vec<Symbol>,
    /// Whether the library is loaded at the first call instead of at the start.
    pub delayed: bool,
}

/// An imported function.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum Symbol {
    /// By name.
    Name(String),
    /// By ordinal; written `#12`.
    Ordinal(u16),
}

impl Symbol {
    /// The symbol that a text names: `#12` is an ordinal.
    pub fn from_text(text: &str) -> Self {
        let ordinal = text.strip_prefix('#').and_then(|number| number.parse().ok());
        ordinal.map_or_else(|| Self::Name(text.to_owned()), Self::Ordinal)
    }
}

impl fmt::Display for Symbol {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Name(name) => f.write_str(name),
            Self::Ordinal(ordinal) => write!(f, "#{ordinal}"),
        }
    }
}

impl Serialize for Symbol {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

/// A library that is imported from, before its symbols are read.
pub(super) struct Library {
    pub name: String,
    pub delayed: bool,
    /// Relative address of the table of names and ordinals.
    lookup: u32,
    /// Addresses in this entry are absolute, as linkers of the nineties wrote them.
    absolute: bool,
}

/// The libraries that the image names, in file order.
pub(super) fn libraries<R: Read + Seek>(
    headers: &Headers,
    source: &mut Source<R>,
) -> Result<Vec<Library>, ImageError> {
    let mut out = Vec::new();
    if let Some(directory) = headers.directory(pe::IMAGE_DIRECTORY_ENTRY_IMPORT) {
        let mut at = headers.locate(directory.address, WHAT)?;
        loop {
            let entry: pe::ImageImportDescriptor = source.pod(at, WHAT)?;
            let name = entry.name.get(LE);
            if name == 0 {
                break;
            }
            let first = entry.original_first_thunk.get(LE);
            let lookup = if first != 0 { first } else { entry.first_thunk.get(LE) };
            let name = source.text(headers.locate(name, WHAT)?, WHAT)?;
            push(&mut out, Library { name, delayed: false, lookup, absolute: false })?;
            at += size_of::<pe::ImageImportDescriptor>() as u64;
        }
    }

    if let Some(directory) = headers.directory(pe::IMAGE_DIRECTORY_ENTRY_DELAY_IMPORT) {
        let mut at = headers.locate(directory.address, WHAT_DELAYED)?;
        loop {
            let entry: pe::ImageDelayloadDescriptor = source.pod(at, WHAT_DELAYED)?;
            let name = entry.dll_name_rva.get(LE);
            if name == 0 {
                break;
            }
            let absolute = entry.attributes.get(LE) & 1 == 0;
            let relative = |address| if absolute { headers.relative(address) } else { address };
            let lookup = relative(entry.import_name_table_rva.get(LE));
            let name = headers.locate(relative(name), WHAT_DELAYED)?;
            let name = source.text(name, WHAT_DELAYED)?;
            push(&mut out, Library { name, delayed: true, lookup, absolute })?;
            at += size_of::<pe::ImageDelayloadDescriptor>() as u64;
        }
    }

    Ok(out)
}

fn push(out: &mut Vec<Library>, library: Library) -> Result<(), ImageError> {
    if out.len() >= MOST_LIBRARIES {
        return Err(ImageError::excessive(WHAT));
    }
    out.push(library);
    Ok(())
}

/// The symbols imported from each library.
pub(super) fn symbols<R: Read + Seek>(
    headers: &Headers,
    source: &mut Source<R>,
    libraries: Vec<Library>,
) -> Result<Vec<Import>, ImageError> {
    let mut left = MOST_SYMBOLS;
    libraries
        .into_iter()
        .map(|library| {
            let symbols = table(headers, source, &library, &mut left)?;
            Ok(Import { dll: library.name, symbols, delayed: library.delayed })
        })
        .collect()
}

fn table<R: Read + Seek>(
    headers: &Headers,
    source: &mut Source<R>,
    library: &Library,
    left: &mut usize,
) -> Result<Vec<Symbol>, ImageError> {
    let mut symbols = Vec::new();
    let mut at = headers.locate(library.lookup, WHAT)?;
    loop {
        let (entry, ordinal_flag, width) = if headers.wide {
            (source.pod::<object::U64<LE>>(at, WHAT)?.get(LE), 1u64 << 63, 8)
        } else {
            (u64::from(source.pod::<object::U32<LE>>(at, WHAT)?.get(LE)), 1 << 31, 4)
        };
        if entry == 0 {
            return Ok(symbols);
        }
        *left = left.checked_sub(1).ok_or(ImageError::excessive(WHAT))?;
        symbols.push(if entry & ordinal_flag != 0 {
            Symbol::Ordinal(entry as u16)
        } else {
            let address = entry as u32;
            let address = if library.absolute { headers.relative(address) } else { address };
            // The name follows a hint of two bytes.
            Symbol::Name(source.text(headers.locate(address, WHAT)? + 2, WHAT)?)
        });
        at += width;
    }
}
