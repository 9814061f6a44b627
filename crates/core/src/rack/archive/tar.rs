//! Unpacks a tar. It has no list of contents: each file follows its header, so each is checked when it is read.
//! Headers are read as they are, since a library that follows extended names would hold as many bytes of them in
//! memory as they state.

use std::fs::File;
use std::io::Read;

use tar::{Archive, Entry, EntryType, PaxExtensions};

use super::kind::Packing;
use super::outline::{DO_NOT_USE, Fault, GET_AGAIN, UNPACK_BY_HAND};
use super::{Unpacker, refusal};
use crate::error::Result;

/// Longer than any name, with what else is noted beside it.
const LONGEST_NOTES: u64 = 64 << 10;

impl Unpacker<'_> {
    pub(super) fn unpack_tar(&mut self, file: File, packing: Packing, prefix: &str) -> Result<()> {
        let archive = self.archive.clone();
        let damaged = |error: std::io::Error| {
            refusal(&archive, format!("the archive is damaged ({error})"), GET_AGAIN)
        };
        let mut archive = Archive::new(packing.reader(file).map_err(damaged)?);
        let mut long_name = None;
        for entry in archive.entries().map_err(damaged)?.raw(true) {
            let mut entry = entry.map_err(damaged)?;
            if self.admitted >= self.limits.entries {
                return Err(self.fault(Fault::entries(&self.limits)));
            }
            match entry.header().entry_type() {
                EntryType::GNULongName | EntryType::XHeader => {
                    let noted = self.notes_of(&mut entry)?;
                    let is_name = entry.header().entry_type() == EntryType::GNULongName;
                    long_name = if is_name { Some(until_zero(&noted)) } else { pax_name(&noted) };
                }
                EntryType::XGlobalHeader => {}
                kind => {
                    let name = match long_name.take() {
                        Some(name) => name,
                        None => entry.path_bytes().into_owned(),
                    };
                    self.take_tar(&mut entry, kind, &name, prefix)?;
                }
            }
        }

        Ok(())
    }

    fn take_tar(
        &mut self,
        entry: &mut Entry<'_, impl Read>,
        kind: EntryType,
        name: &[u8],
        prefix: &str,
    ) -> Result<()> {
        let name = String::from_utf8_lossy(name).into_owned();
        match kind {
            EntryType::Regular | EntryType::Continuous | EntryType::Directory => {}
            EntryType::Symlink | EntryType::Link | EntryType::GNULongLink => {
                return Err(self.refuse(&name, "is a link", UNPACK_BY_HAND));
            }
            EntryType::GNUSparse => {
                return Err(self.refuse(&name, "is stored with holes", UNPACK_BY_HAND));
            }
            _ => return Err(self.refuse(&name, "is neither a file nor a folder", DO_NOT_USE)),
        }

        let is_folder = kind == EntryType::Directory || name.ends_with('/');
        if let Some(path) = self.admit(&name, prefix, is_folder)? {
            let seconds = entry.header().mtime().ok().and_then(|time| i64::try_from(time).ok());
            let modified = (seconds.unwrap_or_default(), 0);
            let size = entry.size();
            self.take(path, &name, size, modified, entry)?;
        }
        Ok(())
    }

    /// An extended name for the next file.
    fn notes_of(&self, entry: &mut Entry<'_, impl Read>) -> Result<Vec<u8>> {
        let name = String::from_utf8_lossy(&entry.path_bytes()).into_owned();
        let mut noted = Vec::new();
        let read = entry.take(LONGEST_NOTES + 1).read_to_end(&mut noted);
        read.map_err(|error| self.damaged_entry(&name, &error))?;
        if noted.len() as u64 > LONGEST_NOTES {
            return Err(self.refuse(&name, "has more notes than any name needs", DO_NOT_USE));
        }
        Ok(noted)
    }
}

fn until_zero(bytes: &[u8]) -> Vec<u8> {
    bytes.iter().copied().take_while(|&byte| byte != 0).collect()
}

fn pax_name(noted: &[u8]) -> Option<Vec<u8>> {
    let mut notes = PaxExtensions::new(noted).flatten();
    notes.find(|note| note.key_bytes() == b"path").map(|note| note.value_bytes().to_owned())
}
