//! Plain files of checksummed lines, for precious data: a person can read them, and damage is noticed.
//!
//! The first line names the format. Each further line is 16 hexadecimal digits, a space, and a JSON document; the
//! digits are the first of the document's BLAKE3. Any other line is damaged, and affects only itself. An appended
//! line starts on its own line, even if the line before was cut off.

use std::io::{Read, Write};
use std::path::Path;

use serde::Serialize;
use serde::de::DeserializeOwned;

use crate::content::Content;
use crate::error::{Error, Result};
use crate::fault::point;
use crate::folder::{Folder, sync_file};
use crate::random::random_name;

/// The digits of a checksum: 64 bits, so that no damage passes for none by chance.
const DIGITS: usize = 16;

/// The longest file of lines that is read: a change of a hundred thousand files has 60 MB.
const LONGEST: u64 = 1 << 30;

/// A file of lines as it was read.
#[derive(Debug)]
pub struct Lines<T> {
    /// The readable lines, in order, each with its number in the file.
    pub lines: Vec<(usize, T)>,
    /// The faults of the others.
    pub faults: Vec<LineFault>,
}

/// The fault of a line.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LineFault {
    /// Its number in the file.
    pub number: usize,
    /// Whether the line is damaged; an undamaged one may still contain something unknown.
    pub is_damaged: bool,
    /// The fault.
    pub what: String,
}

fn checksum(document: &str) -> String {
    Content::of_bytes(document.as_bytes()).blake3.to_string()[..DIGITS].to_owned()
}

/// One line, with its end.
///
/// # Errors
/// If the value cannot be written as JSON, as a path that is not Unicode.
pub fn line(value: &impl Serialize, path: &Path) -> Result<String> {
    let document = serde_json::to_string(value)
        .map_err(|error| Error::Journal { path: path.to_owned(), what: error.to_string() })?;
    Ok(format!("{} {document}\n", checksum(&document)))
}

/// Reads lines of a format that begins with `heading`.
pub fn parse<T: DeserializeOwned>(text: &str, heading: &str) -> Lines<T> {
    let mut read = Lines { lines: Vec::new(), faults: Vec::new() };
    let mut rest = text.lines().enumerate();
    match rest.next() {
        Some((_, first)) if first == heading => {}
        _ => {
            let what = format!("it does not begin with `{heading}`");
            read.faults.push(LineFault { number: 1, is_damaged: false, what });
        }
    }

    for (number, line) in rest.filter(|(_, line)| !line.is_empty()) {
        let document = line.split_once(' ').filter(|(sum, document)| *sum == checksum(document));
        let number = number + 1;
        let fault = |is_damaged, what| {
            let what = format!("line {number}: {what}");
            LineFault { number, is_damaged, what }
        };
        match document.map(|(_, document)| serde_json::from_str(document)) {
            Some(Ok(value)) => read.lines.push((number, value)),
            Some(Err(error)) => read.faults.push(fault(false, error.to_string())),
            None => read.faults.push(fault(true, "it is damaged".to_owned())),
        }
    }

    read
}

/// Writes a whole file that is not there yet: under another name, durable, then under its own.
///
/// # Errors
/// If it is there already or cannot be written.
pub fn write_new(folder: &Folder, name: &str, text: &str) -> Result<()> {
    let staged = write_staged(folder, text.as_bytes())?;
    let named = folder.rename_new(&staged, folder, name);
    finish(folder, &staged, named)
}

/// Writes a whole file in place of the one that may be there, durable when done.
///
/// # Errors
/// If it cannot be written; the old one is there as before then.
pub fn write_over(folder: &Folder, name: &str, text: &str) -> Result<()> {
    write_bytes_over(folder, name, text.as_bytes())
}

/// The same for bytes that are not text.
///
/// # Errors
/// As for [`write_over`].
pub fn write_bytes_over(folder: &Folder, name: &str, bytes: &[u8]) -> Result<()> {
    let staged = write_staged(folder, bytes)?;
    let named = folder.rename(&staged, folder, name);
    finish(folder, &staged, named)
}

fn write_staged(folder: &Folder, bytes: &[u8]) -> Result<String> {
    let staged = random_name(".new-");
    let path = folder.path().join(&staged);
    let mut file = folder.create(&staged, None)?;
    let written = file.write_all(bytes).map_err(Error::io("write", &path));
    let synced = written.and_then(|()| sync_file(&file, &path));
    drop(file);
    if synced.is_err() {
        let _ = folder.remove_file(&staged);
    }
    synced.map(|()| staged)
}

fn finish(folder: &Folder, staged: &str, named: Result<()>) -> Result<()> {
    if named.is_err() {
        let _ = folder.remove_file(staged);
    }
    named?;
    folder.sync()
}

/// Appends a line to a file that is there; durable when done.
///
/// # Errors
/// If it is not there or cannot be written to.
pub fn append(folder: &Folder, name: &str, text: &str) -> Result<()> {
    let path = folder.path().join(name);
    point("write", &path)?;
    let mut options = cap_std::fs::OpenOptions::new();
    options.append(true).read(true);
    let doing = || Error::io("write", &path);
    let mut file = folder.open_with(name, &options).map_err(doing())?;
    // A line that was cut off by a loss of power ends here.
    let text = if ends_with_line(&mut file).map_err(doing())? {
        text.to_owned()
    } else {
        format!("\n{text}")
    };
    file.write_all(text.as_bytes()).map_err(doing())?;
    sync_file(&file, &path)
}

fn ends_with_line(file: &mut std::fs::File) -> std::io::Result<bool> {
    use std::io::{Seek, SeekFrom};
    if file.metadata()?.len() == 0 {
        return Ok(true);
    }
    file.seek(SeekFrom::End(-1))?;
    let mut last = [0];
    file.read_exact(&mut last)?;
    Ok(last == *b"\n")
}

/// The text of a file of lines; `None` if it does not exist. Bytes that are not Unicode count as damage.
///
/// # Errors
/// If it cannot be read.
pub fn read(folder: &Folder, name: &str) -> Result<Option<String>> {
    let path = folder.path().join(name);
    let Some(file) = folder.read(name)? else { return Ok(None) };
    let mut bytes = Vec::new();
    file.take(LONGEST).read_to_end(&mut bytes).map_err(Error::io("read", &path))?;
    Ok(Some(String::from_utf8_lossy(&bytes).into_owned()))
}
