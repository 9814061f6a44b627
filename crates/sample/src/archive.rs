//! Writes archives: zips with fixed dates, so that the same recipe gives the same bytes, and archives with wrong
//! headers.

use std::io::{Cursor, Write};

use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, DateTime, ZipWriter};

/// A zip of the given entries, name and content, all dated `date` (year, month, day).
///
/// # Panics
/// When the date is not valid, or an entry's name is longer than a zip can hold.
pub fn zip(entries: &[(&str, &[u8])], date: (u16, u8, u8)) -> Vec<u8> {
    let (year, month, day) = date;
    let modified = DateTime::from_date_and_time(year, month, day, 12, 0, 0).expect("a date");
    let options = SimpleFileOptions::default()
        .compression_method(CompressionMethod::Deflated)
        .compression_level(Some(1))
        .last_modified_time(modified);
    let mut writer = ZipWriter::new(Cursor::new(Vec::new()));

    for (name, content) in entries {
        writer.start_file(*name, options).expect("an entry name that fits");
        writer.write_all(content).expect("writing to memory");
    }
    writer.finish().expect("writing to memory").into_inner()
}

/// A tar of headers with any kind and size, each with the bytes that follow it. The checksums of the headers are
/// right.
pub fn tar_of(files: &[(&[u8], u8, u64, &[u8])]) -> Vec<u8> {
    const BLOCK: usize = 512;
    let mut bytes = Vec::new();
    for (name, kind, size, content) in files {
        let mut heading = [0u8; BLOCK];
        let len = name.len().min(100);
        heading[..len].copy_from_slice(&name[..len]);
        heading[124..136].copy_from_slice(format!("{:011o}\0", size & 0o77_777_777_777).as_bytes());
        heading[148..156].copy_from_slice(b"        ");
        heading[156] = *kind;
        heading[257..265].copy_from_slice(b"ustar\x0000");
        let sum: u32 = heading.iter().map(|&byte| u32::from(byte)).sum();
        heading[148..156].copy_from_slice(format!("{sum:06o}\0 ").as_bytes());
        bytes.extend(heading);
        bytes.extend(*content);
        bytes.resize(bytes.len().next_multiple_of(BLOCK), 0);
    }
    bytes.extend([0; 2 * BLOCK]);
    bytes
}

/// A 7z from its packed bytes and its list of contents. The checksums are right, whatever the bytes are.
pub fn seven_zip(packed: &[u8], list: &[u8]) -> Vec<u8> {
    let mut start = Vec::new();
    start.extend((packed.len() as u64).to_le_bytes());
    start.extend((list.len() as u64).to_le_bytes());
    start.extend(crc32fast::hash(list).to_le_bytes());
    let mut bytes = b"7z\xBC\xAF\x27\x1C\x00\x04".to_vec();
    bytes.extend(crc32fast::hash(&start).to_le_bytes());
    bytes.extend(start);
    bytes.extend(packed);
    bytes.extend(list);
    bytes
}

/// A number as a 7z has it.
pub fn seven_zip_number(number: u64) -> Vec<u8> {
    for more in 0..8 {
        if number >> (7 * more + 7) == 0 {
            let high = (number >> (8 * more)) as u8;
            let mut bytes = vec![!(0xFFu8 >> more) | high];
            bytes.extend(&number.to_le_bytes()[..more]);
            return bytes;
        }
    }

    let mut bytes = vec![0xFF];
    bytes.extend(number.to_le_bytes());
    bytes
}

/// The list of contents of a 7z with one block of files and one coder: its method and properties, the packed and
/// unpacked lengths, and the files' names and lengths.
pub fn seven_zip_list(
    method: &[u8],
    properties: &[u8],
    (packed, unpacked): (u64, u64),
    files: &[(&str, u64)],
) -> Vec<u8> {
    let number = seven_zip_number;
    let mut list = vec![0x01, 0x04, 0x06, 0x00, 0x01, 0x09];
    list.extend(number(packed));
    list.extend([0x00, 0x07, 0x0B, 0x01, 0x00, 0x01]);
    list.push(method.len() as u8 | if properties.is_empty() { 0 } else { 0x20 });
    list.extend(method);
    if !properties.is_empty() {
        list.extend(number(properties.len() as u64));
        list.extend(properties);
    }

    list.push(0x0C);
    list.extend(number(unpacked));
    list.extend([0x00, 0x08, 0x0D]);
    list.extend(number(files.len() as u64));
    if let [others @ .., _] = files {
        list.push(0x09);
        for (_, len) in others {
            list.extend(number(*len));
        }
    }

    list.extend([0x00, 0x00, 0x05]);
    list.extend(number(files.len() as u64));
    let names: Vec<u8> = files
        .iter()
        .flat_map(|(name, _)| name.encode_utf16().chain([0]).flat_map(u16::to_le_bytes))
        .collect();
    list.push(0x11);
    list.extend(number(names.len() as u64 + 1));
    list.push(0x00);
    list.extend(names);
    list.extend([0x00, 0x00]);
    list
}

/// The header of one file of a zip, local or in the central directory.
#[derive(Debug, Clone, Default)]
pub struct ZipHeader {
    /// Its name.
    pub name: Vec<u8>,
    /// Bits for encryption and the like.
    pub flags: u16,
    /// How it is packed: 0 is not at all.
    pub method: u16,
    /// Its checksum.
    pub checksum: u32,
    /// Its length, packed.
    pub packed: u32,
    /// Its length, unpacked.
    pub unpacked: u32,
    /// Extra fields.
    pub extra: Vec<u8>,
}

impl ZipHeader {
    /// The correct header of a file that is not compressed.
    pub fn of(name: &str, content: &[u8]) -> Self {
        let len = u32::try_from(content.len()).unwrap_or(u32::MAX);
        Self {
            name: name.as_bytes().to_vec(),
            checksum: crc32fast::hash(content),
            packed: len,
            unpacked: len,
            ..Self::default()
        }
    }

    /// The part that both have.
    fn common(&self) -> Vec<u8> {
        let mut bytes = 20u16.to_le_bytes().to_vec();
        bytes.extend(self.flags.to_le_bytes());
        bytes.extend(self.method.to_le_bytes());
        bytes.extend([0, 0, 0x21, 0x5A]);
        for number in [self.checksum, self.packed, self.unpacked] {
            bytes.extend(number.to_le_bytes());
        }
        for len in [self.name.len(), self.extra.len()] {
            bytes.extend((len as u16).to_le_bytes());
        }
        bytes
    }
}

/// A file of a zip as it is written, which need not be as it is listed.
#[derive(Debug, Clone, Default)]
pub struct ZipFile {
    /// The local header.
    pub before: ZipHeader,
    /// Its bytes.
    pub content: Vec<u8>,
    /// The header in the central directory.
    pub listed: ZipHeader,
    /// The offset in the central directory, if it should be wrong.
    pub at: Option<u32>,
}

impl ZipFile {
    /// One of which all that is stated is true.
    pub fn of(name: &str, content: &[u8]) -> Self {
        let header = ZipHeader::of(name, content);
        Self { before: header.clone(), content: content.to_vec(), listed: header, at: None }
    }
}

/// The bytes of a zip of files whose headers may be wrong.
pub fn zip_of(files: &[ZipFile]) -> Vec<u8> {
    let (mut bytes, mut list) = (Vec::new(), Vec::new());
    for file in files {
        let at = file.at.unwrap_or(bytes.len() as u32);
        bytes.extend(b"PK\x03\x04");
        bytes.extend(file.before.common());
        bytes.extend(&file.before.name);
        bytes.extend(&file.before.extra);
        bytes.extend(&file.content);
        list.extend(b"PK\x01\x02\x14\x00");
        list.extend(file.listed.common());
        list.extend([0; 10]);
        list.extend(at.to_le_bytes());
        list.extend(&file.listed.name);
        list.extend(&file.listed.extra);
    }

    let (at, count) = (bytes.len() as u32, files.len() as u16);
    bytes.extend(&list);
    bytes.extend(b"PK\x05\x06\x00\x00\x00\x00");
    bytes.extend(count.to_le_bytes());
    bytes.extend(count.to_le_bytes());
    bytes.extend((list.len() as u32).to_le_bytes());
    bytes.extend(at.to_le_bytes());
    bytes.extend([0, 0]);
    bytes
}
