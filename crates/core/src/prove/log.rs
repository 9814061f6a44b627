//! Logs: found, and read from the end. None is ever altered.

use std::fs::File;
use std::io::{Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};

use encoding_rs::Encoding;
use jiff::Timestamp;

use crate::catalog::Pattern;
use crate::path::{extension, fold};
use upright_spanner_change::{Folder, Found};
use upright_spanner_settings::encoded;

/// A log that was found.
#[derive(Debug)]
pub(super) struct LogFile {
    /// Its location.
    pub path: PathBuf,
    /// When it was last written.
    pub written: Timestamp,
    file: File,
}

/// So much is read from the end first: what real components write between two starts.
const FIRST_READ: u64 = 1 << 20;

/// The most bytes that are read: the output of some hours of constant logging.
const MOST_READ: u64 = 64 << 20;

/// So much shows how a text is written.
const SAMPLE: u64 = 4 << 10;

/// The number of files of one name that are read, the newest first: if logs are numbered, the wanted one is the last
/// or the one before.
const MOST_FILES: usize = 4;

/// So many entries of folders are looked at when a log is searched for.
const MOST_ENTRIES: usize = 20_000;

impl LogFile {
    /// Opens a plain file of a folder, if there is one of that name.
    pub fn open(folder: &Folder, name: &str) -> Option<Self> {
        let file = folder.read(name).ok()??;
        let written = Timestamp::try_from(file.metadata().ok()?.modified().ok()?).ok()?;
        Some(Self { path: folder.path().join(name), written, file })
    }

    /// Opens a log that the user named.
    pub fn named(path: &Path) -> std::io::Result<Self> {
        let file = upright_spanner_image::file::open_plain(path)?;
        let written = Timestamp::try_from(file.metadata()?.modified()?);
        let written = written.map_err(std::io::Error::other)?;
        Ok(Self { path: path.to_owned(), written, file })
    }

    /// Hands its last lines to a search, more and more of them until it finds something, or all has been read.
    pub fn search<T>(
        &mut self,
        encoding: Option<&'static Encoding>,
        mut search: impl FnMut(&[String]) -> Option<T>,
    ) -> Option<T> {
        let len = self.file.metadata().ok()?.len();
        let encoding = encoding.unwrap_or_else(|| self.encoding());
        let mut wanted = FIRST_READ;
        loop {
            let lines = self.last_lines(len, wanted, encoding)?;
            let found = search(&lines);
            if found.is_some() || wanted >= len || wanted >= MOST_READ {
                return found;
            }
            wanted = (wanted * 4).min(MOST_READ);
        }
    }

    /// How it is written, by its start.
    fn encoding(&self) -> &'static Encoding {
        encoded::encoding_of(&self.bytes(0, SAMPLE).unwrap_or_default())
    }

    fn last_lines(
        &self,
        len: u64,
        wanted: u64,
        encoding: &'static Encoding,
    ) -> Option<Vec<String>> {
        // Units of two bytes begin at an even place.
        let from = len.saturating_sub(wanted) & !1;
        let bytes = self.bytes(from, len - from).ok()?;
        let text = encoding.decode_without_bom_handling(&bytes).0;
        // The first may have begun before.
        let lines = text.lines().skip(usize::from(from > 0));
        Some(lines.map(plain).collect())
    }

    fn bytes(&self, from: u64, len: u64) -> std::io::Result<Vec<u8>> {
        let mut file = &self.file;
        file.seek(SeekFrom::Start(from))?;
        let mut bytes = Vec::new();
        file.take(len).read_to_end(&mut bytes)?;
        Ok(bytes)
    }
}

/// A line without what colours it on a terminal, and without other signs that are not text.
fn plain(line: &str) -> String {
    let mut out = String::with_capacity(line.len());
    let mut chars = line.chars().peekable();
    while let Some(c) = chars.next() {
        if c == '\u{1b}' && chars.next_if_eq(&'[').is_some() {
            // What steers a terminal ends with a letter.
            while chars.next_if(|c| !c.is_ascii_alphabetic()).is_some() {}
            chars.next();
        } else if c == '\t' || !c.is_control() && c != '\u{feff}' {
            out.push(c);
        }
    }
    out
}

/// A folder that may contain logs: a known folder, and a path below it on which no link is followed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Haunt {
    /// The known folder.
    pub base: PathBuf,
    /// The way from there; empty for that folder itself.
    pub below: String,
    /// How many levels of folders in it are looked into.
    pub depth: usize,
}

impl Haunt {
    fn open(&self) -> Option<Folder> {
        Folder::open(&self.base).ok()?.below(&self.below).ok()?
    }
}

/// The newest files of a folder whose names are as a pattern says.
pub(super) fn named(haunt: &Haunt, name: &Pattern) -> Vec<LogFile> {
    let Some(opened) = haunt.open() else { return Vec::new() };
    let names = opened.names().unwrap_or_default();
    let names = names.iter().filter_map(|name| name.to_str());
    let matching = names.filter(|candidate| name.is_match(candidate)).take(MOST_ENTRIES);
    let mut logs: Vec<LogFile> = matching.filter_map(|name| LogFile::open(&opened, name)).collect();
    logs.sort_by_key(|log| std::cmp::Reverse(log.written));
    logs.truncate(MOST_FILES);
    logs
}

/// The texts in some folders that were written since a moment and could be logs, the newest first. Links are not
/// followed.
pub(super) fn likely(haunts: &[Haunt], since: Timestamp) -> Vec<LogFile> {
    let mut left = MOST_ENTRIES;
    let mut logs = Vec::new();
    for haunt in haunts {
        if let Some(folder) = haunt.open() {
            gather(&folder, haunt.depth, since, &mut left, &mut logs);
        }
    }
    logs.sort_by(|a: &LogFile, b| b.written.cmp(&a.written).then_with(|| a.path.cmp(&b.path)));
    logs.dedup_by(|a, b| a.path == b.path);
    logs
}

fn gather(
    folder: &Folder,
    depth: usize,
    since: Timestamp,
    left: &mut usize,
    logs: &mut Vec<LogFile>,
) {
    for name in folder.names().unwrap_or_default() {
        let Some(name) = name.to_str().filter(|_| *left > 0) else { continue };
        *left -= 1;
        match folder.find(name) {
            Ok(Found::Folder(_)) if depth > 0 => {
                if let Ok(Some(inner)) = folder.below(name) {
                    gather(&inner, depth - 1, since, left, logs);
                }
            }
            Ok(Found::File(_)) if is_log_name(name) => {
                let log = LogFile::open(folder, name);
                logs.extend(log.filter(|log| log.written >= since));
            }
            _ => {}
        }
    }
}

/// Whether a file could be a log: by its ending, also with a number or a date behind it.
fn is_log_name(name: &str) -> bool {
    extension(name) == "txt" || fold(name).contains(".log")
}
