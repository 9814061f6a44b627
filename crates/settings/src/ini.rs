//! `.ini`-like text, line by line: `[section]` lines, `key = value` lines, comments after `;`, `#` or `//`.
//! Names of sections and keys are compared without regard to case.
//!
//! Our own: libraries for such files drop comments, order, encodings or line ends, and to lose none of them is
//! what this is for.

use std::collections::{BTreeMap, HashMap, HashSet};

use crate::encoded::{Decoded, TextEncoding, decode};
use crate::syntax::{
    Entry, Fault, KeyPath, Result, Splice, Spot, Syntax, comment_above, line_end, lines_around,
    new_line, without_all,
};

/// A text with more lines is not a settings file that anyone edits, and is left alone.
pub const MOST_LINES: usize = 50_000;

/// A longer name is not that of a section: it is text that happens to be in brackets.
const LONGEST_NAME: usize = 200;

/// A text taken apart into lines.
#[derive(Debug, Clone)]
pub(crate) struct Text {
    pub(crate) encoding: TextEncoding,
    pub(crate) lines: Vec<Line>,
    /// The file itself, if it is not a text of lines that could be written back.
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
    /// Key, value, and the position of the value in the line.
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
        Self { encoding, lines: lines_of(&text), as_it_is: None }
    }

    pub(crate) fn can_hold(&self, text: &str) -> bool {
        can_hold(self.encoding, text)
    }

    pub(crate) fn write(&self) -> Vec<u8> {
        let text: String =
            self.lines.iter().flat_map(|line| [line.text.as_str(), line.end]).collect();
        self.as_it_is.clone().unwrap_or_else(|| self.encoding.encode(&text))
    }

    /// Each line with the number of the section that it is in.
    pub(crate) fn sectioned<'a>(
        &'a self,
        names: &'a mut Names,
    ) -> impl Iterator<Item = (usize, &'a Line)> {
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

/// The lines of a text.
fn lines_of(text: &str) -> Vec<Line> {
    let mut lines = Vec::new();
    let mut left = text;
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
    lines
}

/// A name in the form in which names are compared.
pub(crate) fn fold(name: &str) -> String {
    name.to_lowercase()
}

/// Whether a file can contain a text: in an unknown code page only ASCII can be written.
pub(crate) fn can_hold(encoding: TextEncoding, text: &str) -> bool {
    encoding.is_unicode() || text.is_ascii()
}

/// `.ini`-like text, key by key.
pub(crate) struct Ini;

/// A line of a text with if it starts, and the section that it is in.
struct Located {
    start: usize,
    end: usize,
    section: String,
    line: Line,
}

impl Ini {
    fn read(text: &str) -> Result<Vec<Located>> {
        let lines = lines_of(text);
        if lines.len() > MOST_LINES {
            let what = format!("it has more than {MOST_LINES} lines");
            return Err(Fault::Malformed { format: "ini", what });
        }

        let (mut start, mut section) = (0, String::new());
        let located = lines.into_iter().map(|line| {
            if let Kind::Section(name) = &line.kind {
                section.clone_from(name);
            }
            let (here, end) = (start, start + line.text.len() + line.end.len());
            start = end;
            Located { start: here, end, section: section.clone(), line }
        });
        Ok(located.collect())
    }

    /// The section and the key of a path.
    fn names(path: &KeyPath) -> Result<(&str, &str)> {
        match path.names() {
            [key] => Ok(("", key)),
            [section, key] => Ok((section, key)),
            _ => Err(Fault::CannotHold(format!("{path} is deeper than a section and a key"))),
        }
    }
}

/// The part of a value that is not a comment behind it: a mark after a space, outside of quotes.
fn without_comment(value: &str) -> &str {
    let mut quoted = false;
    let mut before = ' ';
    for (at, c) in value.char_indices() {
        quoted ^= c == '"';
        let rest = &value[at..];
        let is_mark = rest.starts_with([';', '#']) || rest.starts_with("//");
        if !quoted && at > 0 && is_mark && before.is_whitespace() {
            return value[..at].trim_end();
        }
        before = c;
    }
    value
}

impl Syntax for Ini {
    fn find(&self, text: &str, path: &KeyPath) -> Result<Spot> {
        let (section, key) = Self::names(path)?;
        let mut has_section = false;
        for located in Self::read(text)?.iter().filter(|line| line.is_in(section)) {
            has_section = true;
            if let Kind::Value(name, value, at) = &located.line.kind {
                if fold(name) == fold(key) {
                    let start = located.start + at.start;
                    return Ok(Spot::Value(start..start + without_comment(value).len()));
                }
            }
        }
        Ok(Spot::Absent { around: usize::from(has_section && !section.is_empty()) })
    }

    fn put_in(&self, text: &str, path: &KeyPath, value: &str) -> Result<Splice> {
        let (section, key) = Self::names(path)?;
        let located = Self::read(text)?;
        // As the lines above it are written.
        let values = || located.iter().filter(|line| matches!(line.line.kind, Kind::Value(..)));
        let near = values().rfind(|line| line.is_in(section)).or_else(|| values().next_back());
        let spaced = near.is_some_and(|near| near.line.text.contains(" ="));
        let line = if spaced { format!("{key} = {value}") } else { format!("{key}={value}") };

        let mut taken = located.iter().filter(|line| line.line.kind != Kind::Other);
        Ok(match taken.rfind(|line| line.is_in(section)) {
            Some(last) => new_line(text, last.end, &line),
            None if section.is_empty() => Splice::insert(0, format!("{line}{}", line_end(text))),
            None => new_line(text, text.len(), &format!("[{section}]\n{line}")),
        })
    }

    fn take_out(&self, text: &str, path: &KeyPath, around: usize) -> Result<Vec<Splice>> {
        let (section, _) = Self::names(path)?;
        let Spot::Value(at) = self.find(text, path)? else { return Ok(Vec::new()) };
        let own = lines_around(text, at);
        let mut lines = vec![own.clone()];
        if !section.is_empty() && around == 0 {
            let located = Self::read(text)?;
            let others =
                located.iter().filter(|line| line.is_in(section) && line.start != own.start);
            let (heads, rest): (Vec<_>, Vec<_>) = others.partition(|line| line.is_head());
            if rest.iter().all(|line| line.line.text.trim().is_empty()) {
                lines.extend(heads.iter().map(|head| head.start..head.end));
            }
        }
        Ok(without_all(text, lines))
    }

    fn entries(&self, text: &str) -> Result<Vec<Entry>> {
        let mut seen = HashSet::new();
        let mut entries = Vec::new();
        for located in Self::read(text)? {
            let Kind::Value(key, value, at) = &located.line.kind else { continue };
            let names = [&located.section, key].into_iter().filter(|name| !name.is_empty());
            let Some(path) = KeyPath::new(names) else { continue };
            if seen.insert(fold(&path.to_string())) {
                let value = without_comment(value).to_owned();
                let comment = comment_above(text, located.start, &[";", "#", "//"]);
                let start = located.start + at.start;
                let at = start..start + value.len();
                entries.push(Entry { path, value, comment, at });
            }
        }
        Ok(entries)
    }

    fn plain(&self, value: &str) -> String {
        unquoted(value).unwrap_or(value).to_owned()
    }

    fn written(&self, plain: &str, like: Option<&str>) -> String {
        match like.and_then(unquoted) {
            Some(_) => format!("\"{plain}\""),
            None => plain.to_owned(),
        }
    }
}

impl Located {
    fn is_in(&self, section: &str) -> bool {
        fold(&self.section) == fold(section)
    }

    fn is_head(&self) -> bool {
        matches!(self.line.kind, Kind::Section(_))
    }
}

fn unquoted(value: &str) -> Option<&str> {
    value.strip_prefix('"')?.strip_suffix('"')
}
