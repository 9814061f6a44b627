//! Writes zip archives with fixed dates, so that the same recipe gives the same bytes.

use std::io::{Cursor, Write};

use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, DateTime, ZipWriter};

/// A zip of the given entries, name and content, all dated `date` (year, month, day).
///
/// # Panics
/// When the date is none, or an entry's name is longer than a zip can hold.
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
