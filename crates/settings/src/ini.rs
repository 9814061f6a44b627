//! `.ini`-like text, line by line: `[section]` lines, `key = value` lines, comments after `;`, `#` or `//`.
//! Names of sections and keys are compared without regard to case.
//!
//! Our own: libraries for such files drop comments, order, encodings or line ends, and to lose none of them is
//! what this is for.

use std::collections::{BTreeMap, HashMap};

use crate::encoded::{Decoded, TextEncoding, decode};

/// A text with more lines is not a settings file that anyone edits, and is left alone.
pub const MOST_LINES: usize = 50_000;

/// A longer name is not that of a section: it is text that happens to stand in brackets.
const LONGEST_NAME: usize = 200;

/// A text taken apart into lines.
#[derive(Debug, Clone)]
pub(crate) struct Text {
    pub(crate) encoding: TextEncoding,
    pub(crate) lines: Vec<Line>,
    /// The file itself, where it is not a text of lines that could be written back.
    pub(crate) as_it_is: Option<Vec<u8>>,
}

#[derive(Debug, Clone)]
pub(crate) struct Line {
    pub(crate) text: String,
    /// `\r\n`, `\n`, or nothing on a last line.
    pub(crate) end: &'static str,
    pub(crate) kind: Kind,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Kind {
    Section(String),
    /// Key, value, and where the value stands in the line.
    Value(String, String, std::ops::Range<usize>),
    /// A comment, a blank line, or something that is neither section nor value.
    Other,
}

/// The names of sections as they are compared, each with a number: the first section has none, and 0.
pub(crate) struct Names {
    numbers: HashMap<String, usize>,
    names: Vec<String>,
}

/// A key, by its section and its name as they are compared.
type Id = (usize, String);

impl Default for Names {
    fn default() -> Self {
        Self { numbers: HashMap::from([(String::new(), 0)]), names: vec![String::new()] }
    }
}

impl Names {
    pub(crate) fn number(&mut self, name: &str) -> usize {
        let name = fold(name);
        if let Some(number) = self.numbers.get(&name) {
            return *number;
        }
        self.names.push(name.clone());
        self.numbers.insert(name, self.names.len() - 1);
        self.names.len() - 1
    }

    pub(crate) fn name(&self, number: usize) -> &str {
        &self.names[number]
    }
}

impl Line {
    pub(crate) fn new(text: String, end: &'static str) -> Self {
        let kind = Kind::of(&text);
        Self { text, end, kind }
    }
}

impl Kind {
    pub(crate) fn of(line: &str) -> Self {
        let trimmed = line.trim();
        if trimmed.starts_with([';', '#']) || trimmed.starts_with("//") {
            return Self::Other;
        }
        if let Some(rest) = trimmed.strip_prefix('[') {
            return match rest.split_once(']') {
                Some((name, _)) if name.len() <= LONGEST_NAME => {
                    Self::Section(name.trim().to_owned())
                }
                _ => Self::Other,
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
    pub(crate) fn read(bytes: &[u8]) -> Self {
        let Decoded { encoding, text, is_exact } = decode(bytes);
        let is_long = text.bytes().filter(|&byte| byte == b'\n').count() > MOST_LINES;
        if !is_exact || is_long {
            return Self { encoding, lines: Vec::new(), as_it_is: Some(bytes.to_vec()) };
        }

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
        Self { encoding, lines, as_it_is: None }
    }

    pub(crate) fn can_hold(&self, text: &str) -> bool {
        can_hold(self.encoding, text)
    }

    pub(crate) fn write(&self) -> Vec<u8> {
        let text: String =
            self.lines.iter().flat_map(|line| [line.text.as_str(), line.end]).collect();
        self.as_it_is.clone().unwrap_or_else(|| self.encoding.encode(&text))
    }

    /// Each line with the number of the section that it stands in.
    pub(crate) fn sectioned<'a>(&'a self, names: &'a mut Names) -> impl Iterator<Item = (usize, &'a Line)> {
        let mut section = 0;
        self.lines.iter().map(move |line| {
            if let Kind::Section(name) = &line.kind {
                section = names.number(name);
            }
            (section, line)
        })
    }

    /// The first value of each key.
    pub(crate) fn values(&self, names: &mut Names) -> BTreeMap<Id, String> {
        let mut values = BTreeMap::new();
        for (section, line) in self.sectioned(names) {
            if let Kind::Value(key, value, _) = &line.kind {
                values.entry((section, fold(key))).or_insert_with(|| value.clone());
            }
        }
        values
    }
}

/// A name in the form in which names are compared.
pub(crate) fn fold(name: &str) -> String {
    name.to_lowercase()
}

/// Whether a text can come into a file: into one of an unknown code page, only ASCII can.
pub(crate) fn can_hold(encoding: TextEncoding, text: &str) -> bool {
    encoding.is_unicode() || text.is_ascii()
}
