//! Merges a newer build's settings file into the user's, line by line: the user's values, comments,
//! blank lines, order, encoding and line ends stay; sections and keys that are new come in with the
//! comments above them; keys that the newer file no longer has are kept and reported.
//!
//! For `.ini`-like text: `[section]` lines, `key = value` lines, comments after `;`, `#` or `//`.
//! Names of sections and keys are compared without regard to case.

use std::collections::BTreeMap;

use serde::Serialize;

use crate::path::fold;

/// What a merge gives.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Merged {
    /// The user's file with what was new.
    #[serde(skip)]
    pub bytes: Vec<u8>,
    /// Settings that came in, as `[section] key=value`.
    pub added: Vec<String>,
    /// Settings that the user had left as an older build brought them, and that follow the newer.
    pub followed: Vec<String>,
    /// Settings of the user's that the newer file does not have; they are kept.
    pub vanished: Vec<String>,
}

/// Merges `new` into the user's file. Where the file that the user's began as is known as `old`, a
/// value that the user never changed follows the newer file.
pub fn merge(user: &[u8], new: &[u8], old: Option<&[u8]>) -> Merged {
    let mut text = Text::read(user);
    let newer = Text::read(new).within(text.encoding);
    let old = old.map(|bytes| Text::read(bytes).within(text.encoding).values());
    let mut report =
        Merged { bytes: Vec::new(), added: Vec::new(), followed: Vec::new(), vanished: Vec::new() };
    let theirs = newer.values();
    for ((section, key), value) in text.values() {
        if !theirs.contains_key(&(section.clone(), key.clone())) {
            report.vanished.push(tell(&section, &key, &value));
        }
    }
    if let Some(old) = &old {
        text.follow(&theirs, old, &mut report.followed);
    }
    // A text with a rest is none that can be added to.
    let blocks = if text.rest.is_empty() { newer.blocks() } else { Vec::new() };
    for block in blocks {
        if !text.has(&block.section, &block.key) {
            report.added.push(tell(&block.section, &block.key, &block.value));
            text.insert(&block, &newer);
        }
    }
    report.bytes = text.write();
    // What came in must not make the file look as if it were written in another encoding.
    let back = Text::read(&report.bytes);
    if (back.encoding, &back.rest) != (text.encoding, &text.rest) {
        report.bytes = user.to_vec();
        report.added.clear();
        report.followed.clear();
    }
    report
}

/// Whether a file looks like settings that can be merged: lines with keys, and no zero bytes.
pub fn is_mergeable(bytes: &[u8]) -> bool {
    let text = Text::read(bytes);
    text.rest.is_empty()
        && text.lines.iter().all(|line| !line.text.contains('\0'))
        && !text.values().is_empty()
}

fn tell(section: &str, key: &str, value: &str) -> String {
    if section.is_empty() { format!("{key}={value}") } else { format!("[{section}] {key}={value}") }
}

/// How a text is written down.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Encoding {
    Utf8,
    Utf8WithMark,
    Utf16,
    /// Any other: each byte is kept as it is. Read as Latin-1, which every byte is.
    SingleByte,
}

/// A text taken apart into lines.
#[derive(Debug, Clone)]
struct Text {
    encoding: Encoding,
    lines: Vec<Line>,
    /// What of a UTF-16 file is no UTF-16: a last odd byte, or all of it.
    rest: Vec<u8>,
}

#[derive(Debug, Clone)]
struct Line {
    text: String,
    /// `\r\n`, `\n`, or nothing on a last line.
    end: &'static str,
    kind: Kind,
}

#[derive(Debug, Clone, PartialEq, Eq)]
enum Kind {
    Section(String),
    /// Key, value, and where the value stands in the line.
    Value(String, String, std::ops::Range<usize>),
    /// A comment, a blank line, or something that is neither section nor value.
    Other,
}

/// A value of a file with the comments right above it.
struct Block {
    section: String,
    key: String,
    value: String,
    /// The lines, as a range of the file's.
    lines: std::ops::Range<usize>,
}

impl Line {
    fn new(text: String, end: &'static str) -> Self {
        let kind = Kind::of(&text);
        Self { text, end, kind }
    }
}

impl Kind {
    fn of(line: &str) -> Self {
        let trimmed = line.trim();
        if trimmed.starts_with([';', '#']) || trimmed.starts_with("//") {
            return Self::Other;
        }
        if let Some(rest) = trimmed.strip_prefix('[') {
            return match rest.split_once(']') {
                Some((name, _)) => Self::Section(name.trim().to_owned()),
                None => Self::Other,
            };
        }
        let Some(equals) = line.find('=') else {
            return Self::Other;
        };
        let key = line[..equals].trim();
        if key.is_empty() {
            return Self::Other;
        }
        let behind = &line[equals + 1..];
        let value = behind.trim();
        let start = equals + 1 + (behind.len() - behind.trim_start().len());
        let start = if value.is_empty() { equals + 1 } else { start };
        Self::Value(key.to_owned(), value.to_owned(), start..start + value.len())
    }
}

impl Text {
    fn read(bytes: &[u8]) -> Self {
        let (encoding, text, rest) = decode(bytes);
        let mut lines = Vec::new();
        let mut left = text.as_str();
        while let Some(at) = left.find('\n') {
            let (line, end) = match left[..at].strip_suffix('\r') {
                Some(line) => (line, "\r\n"),
                None => (&left[..at], "\n"),
            };
            lines.push(Line::new(line.to_owned(), end));
            left = &left[at + 1..];
        }
        if !left.is_empty() {
            lines.push(Line::new(left.to_owned(), ""));
        }
        Self { encoding, lines, rest }
    }

    /// The text with what an encoding does not have replaced, so that it reads back the same.
    fn within(mut self, encoding: Encoding) -> Self {
        if encoding == Encoding::SingleByte {
            for line in &mut self.lines {
                let text = line.text.chars().map(|c| if u32::from(c) > 0xFF { '?' } else { c });
                *line = Line::new(text.collect(), line.end);
            }
        }
        self
    }

    fn write(&self) -> Vec<u8> {
        let text: String =
            self.lines.iter().flat_map(|line| [line.text.as_str(), line.end]).collect();
        let mut bytes = encode(self.encoding, &text);
        bytes.extend_from_slice(&self.rest);
        bytes
    }

    /// Each line with the section that it stands in.
    fn sectioned(&self) -> impl Iterator<Item = (String, &Line)> {
        let mut section = String::new();
        self.lines.iter().map(move |line| {
            if let Kind::Section(name) = &line.kind {
                section.clone_from(name);
            }
            (section.clone(), line)
        })
    }

    /// The first value of each key, by section and key as they are compared.
    fn values(&self) -> BTreeMap<(String, String), String> {
        let mut values = BTreeMap::new();
        for (section, line) in self.sectioned() {
            if let Kind::Value(key, value, _) = &line.kind {
                values.entry((fold(&section), fold(key))).or_insert_with(|| value.clone());
            }
        }
        values
    }

    fn has(&self, section: &str, key: &str) -> bool {
        let (section, key) = (fold(section), fold(key));
        self.sectioned().any(|(of, line)| {
            matches!(&line.kind, Kind::Value(name, _, _) if fold(name) == key && fold(&of) == section)
        })
    }

    /// Each value with the comments and blank lines between it and the one before.
    fn blocks(&self) -> Vec<Block> {
        let mut blocks = Vec::new();
        let mut section = String::new();
        let mut start = 0;
        for (index, line) in self.lines.iter().enumerate() {
            match &line.kind {
                Kind::Section(name) => {
                    section.clone_from(name);
                    start = index + 1;
                }
                Kind::Value(key, value, _) => {
                    let (section, key, value) = (section.clone(), key.clone(), value.clone());
                    blocks.push(Block { section, key, value, lines: start..index + 1 });
                    start = index + 1;
                }
                Kind::Other => {}
            }
        }
        blocks
    }

    /// Takes the newer value wherever the user's is the one that an older build brought.
    fn follow(
        &mut self,
        newer: &BTreeMap<(String, String), String>,
        old: &BTreeMap<(String, String), String>,
        followed: &mut Vec<String>,
    ) {
        let mut section = String::new();
        for line in &mut self.lines {
            let Kind::Value(key, value, place) = &line.kind else {
                if let Kind::Section(name) = &line.kind {
                    section.clone_from(name);
                }
                continue;
            };
            let id = (fold(&section), fold(key));
            let Some(new) = newer.get(&id) else { continue };
            if old.get(&id) == Some(value) && new != value {
                followed.push(tell(&section, key, new));
                let mut text = line.text.clone();
                text.replace_range(place.clone(), new);
                *line = Line::new(text, line.end);
            }
        }
    }

    /// Puts a block of another file behind the last value of its section, making the section at the
    /// end if there is none.
    fn insert(&mut self, block: &Block, from: &Self) {
        let end = self.line_end(from);
        let wanted = fold(&block.section);
        let mut behind = None;
        for (index, (section, line)) in self.sectioned().enumerate() {
            let in_section = fold(&section) == wanted;
            if in_section && !matches!(line.kind, Kind::Other) {
                behind = Some(index + 1);
            }
        }
        let mut lines: Vec<Line> = Vec::new();
        let at = match behind {
            Some(at) => at,
            // What stands before the first section has none, and comes first.
            None if block.section.is_empty() => 0,
            None => {
                if self.lines.last().is_some_and(|line| !line.text.trim().is_empty()) {
                    lines.push(Line::new(String::new(), end));
                }
                lines.push(Line::new(format!("[{}]", block.section), end));
                self.lines.len()
            }
        };
        let skipped =
            from.lines[block.lines.clone()].iter().skip_while(|line| line.text.trim().is_empty());
        lines.extend(skipped.map(|line| Line::new(line.text.clone(), end)));
        if let Some(before) = at.checked_sub(1).and_then(|before| self.lines.get_mut(before)) {
            if before.end.is_empty() {
                before.end = end;
            }
        }
        self.lines.splice(at..at, lines);
    }

    /// The line end that the file uses; the other file's where it has none.
    fn line_end(&self, other: &Self) -> &'static str {
        let mut ends = self.lines.iter().chain(&other.lines).map(|line| line.end);
        ends.find(|end| !end.is_empty()).unwrap_or("\n")
    }
}

fn decode(bytes: &[u8]) -> (Encoding, String, Vec<u8>) {
    match bytes {
        [0xEF, 0xBB, 0xBF, rest @ ..] if std::str::from_utf8(rest).is_ok() => {
            (Encoding::Utf8WithMark, String::from_utf8_lossy(rest).into_owned(), Vec::new())
        }
        [0xFF, 0xFE, rest @ ..] => {
            let units: Vec<u16> =
                rest.chunks_exact(2).map(|pair| u16::from_le_bytes([pair[0], pair[1]])).collect();
            match String::from_utf16(&units) {
                Ok(text) => (Encoding::Utf16, text, rest.chunks_exact(2).remainder().to_vec()),
                // It claims to be what it is not: no line of it can be told, and it is left alone.
                Err(_) => (Encoding::Utf16, String::new(), rest.to_vec()),
            }
        }
        bytes => match std::str::from_utf8(bytes) {
            Ok(text) => (Encoding::Utf8, text.to_owned(), Vec::new()),
            Err(_) => single_byte(bytes),
        },
    }
}

fn single_byte(bytes: &[u8]) -> (Encoding, String, Vec<u8>) {
    (Encoding::SingleByte, bytes.iter().map(|&byte| char::from(byte)).collect(), Vec::new())
}

fn encode(encoding: Encoding, text: &str) -> Vec<u8> {
    match encoding {
        Encoding::Utf8 => text.as_bytes().to_vec(),
        Encoding::Utf8WithMark => [&[0xEF, 0xBB, 0xBF], text.as_bytes()].concat(),
        Encoding::Utf16 => {
            [0xFEFF].into_iter().chain(text.encode_utf16()).flat_map(u16::to_le_bytes).collect()
        }
        Encoding::SingleByte => {
            text.chars().map(|c| u8::try_from(u32::from(c)).unwrap_or(b'?')).collect()
        }
    }
}
