//! The parts that all formats of settings files share: key paths, lookups and edits, and whole lines.

use std::fmt;
use std::ops::Range;

/// The way to a key from outside to inside: sections or objects, and the key's own name. In XML the names are
/// those of elements, `name[2]` for the second of a name, `name[key=value]` for the one with that attribute, and
/// `@name` in the end for an attribute.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct KeyPath(Vec<String>);

impl KeyPath {
    /// A path with these names; `None` if there is none, or one is empty or has several lines.
    pub fn new(names: impl IntoIterator<Item = impl Into<String>>) -> Option<Self> {
        let names: Vec<String> = names.into_iter().map(Into::into).collect();
        let is_name = |name: &String| !name.is_empty() && !name.contains(['\n', '\r', '\0']);
        (!names.is_empty() && names.iter().all(is_name)).then_some(Self(names))
    }

    /// The names.
    pub fn names(&self) -> &[String] {
        &self.0
    }

    /// The key's own name.
    pub fn key(&self) -> &str {
        self.0.last().map_or("", String::as_str)
    }

    /// The levels around the key.
    pub fn around(&self) -> &[String] {
        &self.0[..self.0.len() - 1]
    }
}

impl fmt::Display for KeyPath {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0.join("/"))
    }
}

/// A key of a file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Entry {
    /// Its path.
    pub path: KeyPath,
    /// Its value as it is written, with its quotes.
    pub value: String,
    /// The comments right above it, without their marks.
    pub comment: String,
    /// The position of the value in the text.
    pub at: Range<usize>,
}

/// Why a settings file could not be read or altered.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum Fault {
    /// It is too long.
    #[error("it is longer than 2 MB")]
    TooLong,
    /// It is not a text of an encoding that could be written back.
    #[error("it is not text in an encoding that could be written back")]
    NotText,
    /// It does not keep to its format.
    #[error("it is not valid {format}: {what}")]
    Malformed {
        /// The format.
        format: &'static str,
        /// The reason, and the position.
        what: String,
    },
    /// The value cannot be written there.
    #[error("{0}")]
    CannotHold(String),
}

/// The result of looking into a settings file or altering it.
pub type Result<T, E = Fault> = std::result::Result<T, E>;

/// Some bytes of a text, and what takes their place.
#[derive(Debug)]
pub(crate) struct Splice {
    pub at: Range<usize>,
    pub with: String,
}

impl Splice {
    pub fn insert(at: usize, with: String) -> Self {
        Self { at: at..at, with }
    }

    pub fn remove(at: Range<usize>) -> Self {
        Self { at, with: String::new() }
    }
}

/// The position of a key in a text.
#[derive(Debug)]
pub(crate) enum Spot {
    Value(Range<usize>),
    Absent { around: usize },
}

/// One format, on a text.
pub(crate) trait Syntax {
    fn find(&self, text: &str, path: &KeyPath) -> Result<Spot>;
    /// What puts a key in that is not there.
    fn put_in(&self, text: &str, path: &KeyPath, value: &str) -> Result<Splice>;
    /// The edit that removes a key, and any levels around it that are then empty, down to `around` levels.
    fn take_out(&self, text: &str, path: &KeyPath, around: usize) -> Result<Vec<Splice>>;
    fn entries(&self, text: &str) -> Result<Vec<Entry>>;
    /// The value for people.
    fn plain(&self, value: &str) -> String;
    /// The written form of a value: as text if the present value is text, or if it cannot be anything else.
    fn written(&self, plain: &str, like: Option<&str>) -> String;
}

/// A text with some of its bytes exchanged.
pub(crate) fn spliced(mut text: String, mut splices: Vec<Splice>) -> String {
    splices.sort_by_key(|splice| splice.at.start);
    for splice in splices.into_iter().rev() {
        text.replace_range(splice.at, &splice.with);
    }
    text
}

/// The whole lines that a range touches, with the last one's end.
pub(crate) fn lines_around(text: &str, at: Range<usize>) -> Range<usize> {
    let start = text[..at.start].rfind('\n').map_or(0, |end| end + 1);
    let end = text[at.end..].find('\n').map_or(text.len(), |end| at.end + end + 1);
    start..end
}

/// What puts a line, or several, behind what ends at `after`, which is the end of a line or of the text.
pub(crate) fn new_line(text: &str, after: usize, line: &str) -> Splice {
    let end = line_end(text);
    let line = line.replace('\n', end);
    let is_open = after > 0 && !text[..after].ends_with('\n');
    let with = if is_open { format!("{end}{line}") } else { format!("{line}{end}") };
    Splice::insert(after, with)
}

/// What takes whole lines out. Those that follow one another go as one.
pub(crate) fn without_all(text: &str, mut lines: Vec<Range<usize>>) -> Vec<Splice> {
    lines.sort_by_key(|line| line.start);
    let mut joined: Vec<Range<usize>> = Vec::new();
    for line in lines {
        match joined.last_mut().filter(|last| last.end >= line.start) {
            Some(last) => last.end = last.end.max(line.end),
            None => joined.push(line),
        }
    }
    joined.into_iter().map(|lines| without_lines(text, lines)).collect()
}

/// The edit that removes whole lines: with the end of the line before, if the text ends there without one.
fn without_lines(text: &str, at: Range<usize>) -> Splice {
    let is_open = at.end == text.len() && !text.ends_with('\n') && at.start > 0;
    let before = &text[..at.start];
    let start = if is_open {
        before.strip_suffix("\r\n").or_else(|| before.strip_suffix('\n')).map_or(0, str::len)
    } else {
        at.start
    };
    Splice::remove(start..at.end)
}

/// The line end that a text uses.
pub(crate) fn line_end(text: &str) -> &'static str {
    match text.find('\n') {
        Some(at) if text[..at].ends_with('\r') => "\r\n",
        _ => "\n",
    }
}

/// Whether a text is a number, or true or false, as most formats write it.
pub(crate) fn is_bare(text: &str) -> bool {
    matches!(text, "true" | "false" | "null")
        || serde_json::from_str::<serde_json::Number>(text).is_ok()
}

/// Comments right above something, without their marks; `marks` are those of the format.
pub(crate) fn comment_above(text: &str, start: usize, marks: &[&str]) -> String {
    let line = text[..start].rfind('\n').map_or(0, |end| end + 1);
    if text[line..start].contains('{') {
        // Something else begins the line.
        return String::new();
    }
    let mut comments = Vec::new();
    for above in text[..line].lines().rev() {
        let trimmed = above.trim();
        let Some(mark) = marks.iter().find(|mark| trimmed.starts_with(**mark)) else { break };
        comments.push(trimmed.trim_start_matches(mark).trim().to_owned());
    }
    comments.reverse();
    comments.join(" ").trim().to_owned()
}
