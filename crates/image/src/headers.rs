//! The headers of an image: machine, kind, sections and data directories ("PE Format", "Overview"
//! to "Section Table").

use std::io::{Read, Seek};

use object::LittleEndian as LE;
use object::pe;

use crate::budget::MOST_SECTIONS;
use crate::error::ImageError;
use crate::machine::{Kind, Machine};
use crate::source::Source;

/// The headers, and the map from addresses to offsets in the file.
pub(super) struct Headers {
    pub machine: Machine,
    pub kind: Kind,
    pub wide: bool,
    /// Link time in seconds since 1970, or a hash of the content in reproducible builds.
    pub built: u32,
    /// Offset of the checksum in the file: four bytes.
    pub checksum_at: u64,
    /// The offset of the security directory's entry: eight bytes.
    pub security_entry_at: u64,
    /// Its code is not in the file as it will run: an executable section that the file leaves
    /// empty, or an entry point in a section that may be written.
    pub packed: bool,
    /// There are more sections than are looked at.
    pub has_more_sections: bool,
    image_base: u64,
    headers_len: u32,
    sections: Vec<pe::ImageSectionHeader>,
    directories: Vec<pe::ImageDataDirectory>,
}

fn looks_packed(sections: &[pe::ImageSectionHeader], entry: u32) -> bool {
    let has = |section: &pe::ImageSectionHeader, flags: pe::SectionFlags| {
        section.characteristics.get(LE).contains(flags)
    };
    sections.iter().any(|section| {
        let (start, len) = (section.virtual_address.get(LE), section.virtual_size.get(LE));
        let runs = has(section, pe::IMAGE_SCN_MEM_EXECUTE);
        let holds_entry = entry.checked_sub(start).is_some_and(|delta| entry != 0 && delta < len);
        let empty = section.size_of_raw_data.get(LE) == 0 && len > 0;
        runs && (empty || holds_entry && has(section, pe::IMAGE_SCN_MEM_WRITE))
    })
}

/// A data directory: if a table starts (relative address) and its length in bytes.
#[derive(Clone, Copy)]
pub(super) struct Directory {
    pub address: u32,
    pub len: u32,
}

impl Headers {
    pub fn read<R: Read + Seek>(source: &mut Source<R>) -> Result<Self, ImageError> {
        let nt = Self::find(source)?;
        let file: pe::ImageFileHeader = source.pod(nt + 4, "the file header")?;
        let optional = nt + 4 + size_of::<pe::ImageFileHeader>() as u64;
        let magic: object::U16<LE> = source.pod(optional, "the optional header")?;
        let wide = match magic.get(LE) {
            pe::IMAGE_NT_OPTIONAL_HDR32_MAGIC => false,
            pe::IMAGE_NT_OPTIONAL_HDR64_MAGIC => true,
            _ => return Err(ImageError::malformed("the optional header")),
        };
        let (image_base, entry, headers_len, directories, directories_at) = if wide {
            let header: pe::ImageOptionalHeader64 = source.pod(optional, "the optional header")?;
            let len = size_of::<pe::ImageOptionalHeader64>() as u64;
            (
                header.image_base.get(LE),
                header.address_of_entry_point.get(LE),
                header.size_of_headers.get(LE),
                header.number_of_rva_and_sizes.get(LE),
                optional + len,
            )
        } else {
            let header: pe::ImageOptionalHeader32 = source.pod(optional, "the optional header")?;
            let len = size_of::<pe::ImageOptionalHeader32>() as u64;
            (
                u64::from(header.image_base.get(LE)),
                header.address_of_entry_point.get(LE),
                header.size_of_headers.get(LE),
                header.number_of_rva_and_sizes.get(LE),
                optional + len,
            )
        };

        let count = directories.min(16) as usize;
        let directories = source.pods(directories_at, count, "the data directories")?;
        let table = optional + u64::from(file.size_of_optional_header.get(LE));
        let count = usize::from(file.number_of_sections.get(LE));
        let sections: Vec<pe::ImageSectionHeader> =
            source.pods(table, count.min(MOST_SECTIONS), "the section table")?;

        for section in &sections {
            let end = u64::from(section.pointer_to_raw_data.get(LE))
                + u64::from(section.size_of_raw_data.get(LE));
            if section.size_of_raw_data.get(LE) > 0 && end > source.len() {
                let what = "a section";
                return Err(ImageError::Truncated { what, needed: end, present: source.len() });
            }
        }

        let dll = file.characteristics.get(LE).contains(pe::IMAGE_FILE_DLL);
        Ok(Self {
            machine: Machine::from_header(file.machine.get(LE).0),
            kind: if dll { Kind::Dll } else { Kind::Exe },
            wide,
            built: file.time_date_stamp.get(LE),
            checksum_at: optional + 64,
            security_entry_at: directories_at + 8 * pe::IMAGE_DIRECTORY_ENTRY_SECURITY as u64,
            packed: looks_packed(&sections, entry),
            has_more_sections: count > MOST_SECTIONS,
            image_base,
            headers_len,
            sections,
            directories,
        })
    }

    /// The offset of the NT headers, or the kind of file that it is instead.
    fn find<R: Read + Seek>(source: &mut Source<R>) -> Result<u64, ImageError> {
        if source.len() == 0 {
            return Err(ImageError::Empty);
        }
        let start = source.bytes(0, source.len().min(64), "the start of the file")?;
        if !start.starts_with(b"MZ") {
            return Err(ImageError::NotAnImage { looks_like: kind_of_bytes(&start) });
        }
        if start.len() < 64 {
            let present = source.len();
            return Err(ImageError::Truncated { what: "the DOS header", needed: 64, present });
        }

        let nt = u64::from(u32::from_le_bytes([start[60], start[61], start[62], start[63]]));
        if nt == 0 {
            return Err(ImageError::NotAnImage { looks_like: "a DOS program" });
        }
        let signature = source.bytes(nt, 4, "the PE header")?;
        match &signature[..] {
            b"PE\0\0" => Ok(nt),
            [b'N', b'E', ..] => Err(ImageError::NotAnImage { looks_like: "a 16-bit program" }),
            _ => Err(ImageError::NotAnImage { looks_like: "a DOS program" }),
        }
    }

    /// A data directory by its index, if the image has it.
    pub fn directory(&self, index: usize) -> Option<Directory> {
        let entry = self.directories.get(index)?;
        let address = entry.virtual_address.get(LE);
        (address != 0).then(|| Directory { address, len: entry.size.get(LE) })
    }

    /// Where a relative address is in the file.
    pub fn offset(&self, address: u32) -> Option<u64> {
        let within = self.sections.iter().find_map(|section| {
            let start = section.virtual_address.get(LE);
            let delta = address.checked_sub(start)?;
            (delta < section.size_of_raw_data.get(LE))
                .then(|| u64::from(section.pointer_to_raw_data.get(LE)) + u64::from(delta))
        });
        within.or_else(|| (address < self.headers_len).then_some(u64::from(address)))
    }

    /// As [`Self::offset`], with the name of the table that pointed there for the error.
    pub fn locate(&self, address: u32, what: &'static str) -> Result<u64, ImageError> {
        self.offset(address).ok_or(ImageError::malformed(what))
    }

    /// A relative address from an absolute one, as old delay-import tables have them.
    pub fn relative(&self, absolute: u32) -> u32 {
        u64::from(absolute).wrapping_sub(self.image_base) as u32
    }
}

/// The kind of a file that is not an image, by its first bytes.
fn kind_of_bytes(start: &[u8]) -> &'static str {
    match start {
        [0x7F, b'E', b'L', b'F', ..] => "an ELF library or program (Linux)",
        [b'P', b'K', 3 | 5 | 7, 4 | 6 | 8, ..] => "a zip-based archive",
        [b'7', b'z', 0xBC, 0xAF, ..] => "a 7z archive",
        bytes if bytes.iter().all(|&b| b >= 0x20 || matches!(b, b'\t' | b'\r' | b'\n')) => {
            "a text file"
        }
        _ => "another kind of file",
    }
}
