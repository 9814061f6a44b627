//! The export table ("PE Format", "The .edata Section").

use std::collections::HashMap;
use std::fmt;
use std::hash::{BuildHasher, RandomState};
use std::io::{Read, Seek};

use object::LittleEndian as LE;
use object::{U16, U32, pe};

use crate::budget::MOST_EXPORTS;
use crate::error::ImageError;
use crate::headers::{Directory, Headers};
use crate::imports::Symbol;
use crate::source::Source;

const WHAT: &str = "the export table";

/// An exported function or variable; as a text its name, or `#12` if it has none.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Export {
    /// Its name, if it has one.
    pub name: Option<String>,
    /// Its ordinal.
    pub ordinal: u32,
    /// `library.symbol`, if the call continues to another library.
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

/// The table's own name for the library, and its exports.
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

/// The relative addresses of the exports.
struct Addresses {
    functions: Vec<u32>,
    /// Each name's text, and the function that it is of.
    names: Vec<(u32, usize)>,
}

impl Table {
    /// Every export, by ordinal; functions that are not there (address 0) are left out.
    pub fn exports<R: Read + Seek>(
        &self,
        headers: &Headers,
        source: &mut Source<R>,
    ) -> Result<Vec<Export>, ImageError> {
        let addresses = self.addresses(headers, source)?;
        // A function may have several names, or none.
        let mut names: Vec<(usize, String)> = Vec::with_capacity(addresses.names.len());
        for (text, index) in addresses.names {
            names.push((index, source.text(headers.locate(text, WHAT)?, WHAT)?));
        }
        names.sort_by_key(|(index, _)| *index);
        let mut names = names.into_iter().peekable();
        let mut out = Vec::new();

        for (index, address) in addresses.functions.into_iter().enumerate() {
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
            let forwarded_to = self.forward(address, headers, source)?;
            let ordinal = self.ordinal(index);
            for name in own {
                // Each name of a function that lives elsewhere has a copy of where.
                source.keep_text(forwarded_to.as_ref().map_or(0, String::len), WHAT)?;
                out.push(Export { name, ordinal, forwarded_to: forwarded_to.clone() });
            }
        }

        Ok(out)
    }

    /// The exports, for lookups.
    pub fn offer<R: Read + Seek>(
        &self,
        headers: &Headers,
        source: &mut Source<R>,
    ) -> Result<Offer, ImageError> {
        let addresses = self.addresses(headers, source)?;
        let mut offer = Offer::default();
        for (text, index) in addresses.names {
            if addresses.functions.get(index).is_some_and(|address| *address != 0) {
                let at = headers.locate(text, WHAT)?;
                let hash = source.with_text(at, WHAT, |name| offer.hash(name))?;
                offer.named.push((hash, self.ordinal(index)));
            }
        }
        offer.named.sort_unstable();

        for (index, address) in addresses.functions.into_iter().enumerate() {
            if address == 0 {
                continue;
            }
            offer.ordinals.push(self.ordinal(index));
            if let Some(target) = self.forward(address, headers, source)? {
                offer.forwards.insert(self.ordinal(index), target);
            }
        }
        offer.ordinals.sort_unstable();
        Ok(offer)
    }

    fn ordinal(&self, index: usize) -> u32 {
        self.entry.base.get(LE).wrapping_add(index as u32)
    }

    /// If a function leads on to: an address inside the export directory is a text that says so.
    fn forward<R: Read + Seek>(
        &self,
        address: u32,
        headers: &Headers,
        source: &mut Source<R>,
    ) -> Result<Option<String>, ImageError> {
        match address.checked_sub(self.directory.address) {
            Some(delta) if delta < self.directory.len => {
                source.text(headers.locate(address, WHAT)?, WHAT).map(Some)
            }
            _ => Ok(None),
        }
    }

    fn addresses<R: Read + Seek>(
        &self,
        headers: &Headers,
        source: &mut Source<R>,
    ) -> Result<Addresses, ImageError> {
        let entry = &self.entry;
        let count = entry.number_of_functions.get(LE) as usize;
        let named = if count == 0 { 0 } else { entry.number_of_names.get(LE) as usize };
        if count > MOST_EXPORTS || named > MOST_EXPORTS {
            return Err(ImageError::excessive(WHAT));
        }
        let (mut functions, mut names) = (Vec::new(), Vec::new());
        if count > 0 {
            let at = headers.locate(entry.address_of_functions.get(LE), WHAT)?;
            let addresses: Vec<U32<LE>> = source.pods(at, count, WHAT)?;
            functions = addresses.iter().map(|address| address.get(LE)).collect();
        }
        if named > 0 {
            let at = headers.locate(entry.address_of_names.get(LE), WHAT)?;
            let texts: Vec<U32<LE>> = source.pods(at, named, WHAT)?;
            let at = headers.locate(entry.address_of_name_ordinals.get(LE), WHAT)?;
            let ordinals: Vec<U16<LE>> = source.pods(at, named, WHAT)?;
            let pairs = texts.iter().zip(&ordinals);
            names = pairs.map(|(text, at)| (text.get(LE), usize::from(at.get(LE)))).collect();
        }
        Ok(Addresses { functions, names })
    }
}

/// The exports of an image, for lookups. The names are not stored: a 64-bit hash with a random key represents each.
#[derive(Debug, Clone, Default)]
pub struct Offer {
    hashes: RandomState,
    /// The hash of each name, and the ordinal of its function; sorted.
    named: Vec<(u64, u32)>,
    /// Every ordinal, sorted.
    ordinals: Vec<u32>,
    /// If the function of an ordinal leads on to.
    forwards: HashMap<u32, String>,
}

impl Offer {
    /// Whether the image exports a symbol, and where it forwards to, as in `library.symbol`, if it does.
    pub fn find(&self, symbol: &Symbol) -> Option<Option<&str>> {
        let ordinal = match symbol {
            Symbol::Name(name) => {
                let hash = self.hash(name.as_bytes());
                let at = self.named.partition_point(|(other, _)| *other < hash);
                self.named.get(at).filter(|(other, _)| *other == hash)?.1
            }
            Symbol::Ordinal(ordinal) => {
                let at = self.ordinals.binary_search(&u32::from(*ordinal)).ok()?;
                self.ordinals[at]
            }
        };
        Some(self.forwards.get(&ordinal).map(String::as_str))
    }

    fn hash(&self, name: &[u8]) -> u64 {
        if name.is_ascii() {
            return self.hashes.hash_one(name);
        }
        // As elsewhere, bytes that are not UTF-8 are replaced.
        self.hashes.hash_one(String::from_utf8_lossy(name).as_bytes())
    }
}
