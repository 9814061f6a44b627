//! The text in which a prefix keeps its registry: one key's value is found, set or taken away, and every other
//! byte stays.

use std::ops::Range;

use super::line::{bytes, number, quoted, written};
use super::{Value, ValueName, folded, kind};
use crate::syntax::{Splice, line_end, spliced};

/// How such a text begins.
const HEADING: &str = "WINE REGISTRY Version 2";

/// A longer text is not the registry of a game's prefix: they have some 4 MB.
pub const LONGEST: usize = 64 << 20;

/// The text of a prefix's registry.
#[derive(Debug, Clone)]
pub struct PrefixRegistry<'a> {
    text: &'a str,
}

/// A key of the text.
struct Section<'a> {
    /// Its lines behind the heading, with if each starts.
    lines: Vec<(usize, &'a str)>,
    /// From the heading on, up to the end of the last line that is not blank.
    at: Range<usize>,
}

impl<'a> PrefixRegistry<'a> {
    /// Parses a text; `None` if it is not a registry of a known kind.
    pub fn read(text: &'a str) -> Option<Self> {
        (text.starts_with(HEADING) && text.len() <= LONGEST).then_some(Self { text })
    }

    /// The content of a value.
    pub fn get(&self, of: &ValueName) -> Option<Value> {
        let section = self.section(&of.key)?;
        let (at, _) = find(&section, &of.name)?;
        parse(&joined(&self.text[at])).map(|(_, value)| value)
    }

    /// Every value of a key, by name.
    pub fn values(&self, key: &str) -> Vec<(String, Value)> {
        let Some(section) = self.section(key) else { return Vec::new() };
        let places = places(&section);
        places.into_iter().filter_map(|(at, _)| parse(&joined(&self.text[at]))).collect()
    }

    /// A key and all keys in it, as far as they have their own headings.
    pub fn keys_below(&self, key: &str) -> Vec<String> {
        let (own, inside) = (folded(key), format!("{}\\", folded(key)));
        let is_below = |key: &String| folded(key) == own || folded(key).starts_with(&inside);
        self.headings().map(|(_, key)| key).filter(is_below).collect()
    }

    /// How many levels of a key are there, from the outermost.
    pub fn levels(&self, of: &ValueName) -> usize {
        let own: Vec<String> = of.levels().map(folded).collect();
        let mut most = 0;
        for key in self.headings().map(|(_, key)| folded(&key)) {
            let shared = key.split('\\').zip(&own).take_while(|(a, b)| a == b).count();
            most = most.max(shared);
        }
        most
    }

    /// The text with another value; nothing if it could not be read back.
    pub fn set(&self, of: &ValueName, value: &Value) -> Option<String> {
        let line = format!("{}={}", named(&of.name), value_text(value));
        let end = line_end(self.text);
        let splice = if let Some(section) = self.section(&of.key) {
            if let Some((at, _)) = find(&section, &of.name) {
                Splice { at, with: line }
            } else {
                let is_value = |(_, line): &&(usize, &str)| !line.starts_with('#');
                let first = section.lines.iter().find(is_value).map(|(at, _)| *at);
                match first.filter(|first| *first < section.at.end) {
                    Some(first) => Splice::insert(first, format!("{line}{end}")),
                    None => Splice::insert(section.at.end, format!("{end}{line}")),
                }
            }
        } else {
            let before = if self.text.ends_with('\n') { "" } else { end };
            let key = escaped(&of.key, &['[', ']']);
            let with = format!("{before}{end}[{key}] 0{end}{line}{end}");
            Splice::insert(self.text.len(), with)
        };
        let altered = spliced(self.text.to_owned(), vec![splice]);
        let is_read_back = PrefixRegistry { text: &altered }.get(of).as_ref() == Some(value);
        is_read_back.then_some(altered)
    }

    /// The text without a value, and without the keys that are empty then, but for so many levels that stay.
    pub fn unset(&self, of: &ValueName, levels: usize) -> String {
        let Some(section) = self.section(&of.key) else { return self.text.to_owned() };
        let Some((at, is_only)) = find(&section, &of.name) else { return self.text.to_owned() };
        let inside = format!("{}\\", folded(&of.key));
        let has_inner = self.headings().any(|(_, key)| folded(&key).starts_with(&inside));
        let is_ours = levels < of.levels().count();
        // Keys in it show that it is there, without its own heading.
        if is_only && is_ours != has_inner {
            let text = spliced(self.text.to_owned(), vec![self.without(&section)]);
            return PrefixRegistry { text: &text }.without_empty_around(of, levels);
        }

        // The line with its end: the one before it, if it is the last of its key.
        let behind = &self.text[at.end..];
        let end =
            if behind.starts_with("\r\n") { 2 } else { usize::from(behind.starts_with('\n')) };
        spliced(self.text.to_owned(), vec![Splice::remove(at.start..at.end + end)])
    }

    /// The text without the keys around a value that are empty, but for so many levels that stay.
    fn without_empty_around(&self, of: &ValueName, levels: usize) -> String {
        let all: Vec<&str> = of.levels().collect();
        let mut text = self.text.to_owned();
        for depth in (levels + 1..all.len()).rev() {
            let registry = PrefixRegistry { text: &text };
            let key = all[..depth].join("\\");
            let Some(section) = registry.section(&key) else { continue };
            if !places(&section).is_empty() || registry.keys_below(&key).len() > 1 {
                break;
            }
            let without = registry.without(&section);
            text = spliced(text, vec![without]);
        }
        text
    }

    /// What takes a key out, with the blank line before it.
    fn without(&self, section: &Section<'_>) -> Splice {
        let text = self.text;
        let start = section.at.start;
        let blank = text[..start].strip_suffix("\r\n").or_else(|| text[..start].strip_suffix('\n'));
        let start = blank.filter(|before| before.ends_with('\n')).map_or(start, str::len);
        let behind = &text[section.at.end..];
        let end =
            if behind.starts_with("\r\n") { 2 } else { usize::from(behind.starts_with('\n')) };
        Splice::remove(start..section.at.end + end)
    }

    /// Where headings start, with the names of their keys.
    fn headings(&self) -> impl Iterator<Item = (usize, String)> + 'a {
        lines(self.text).filter_map(|(at, line)| Some((at, heading(line)?)))
    }

    fn section(&self, key: &str) -> Option<Section<'a>> {
        let wanted = folded(key);
        let (start, _) = self.headings().find(|(_, key)| folded(key) == wanted)?;
        let rest = &self.text[start..];
        let mut own = lines(rest).map(|(at, line)| (start + at, line));
        let first = own.next()?;
        let lines: Vec<(usize, &str)> =
            own.take_while(|(_, line)| !line.starts_with('[')).collect();
        let last = lines.iter().rev().find(|(_, line)| !line.trim().is_empty()).unwrap_or(&first);
        let at = start..last.0 + last.1.len();
        Some(Section { lines, at })
    }
}

/// The lines of a text without their ends, with if each starts.
fn lines(text: &str) -> impl Iterator<Item = (usize, &str)> {
    let mut start = 0;
    text.split_inclusive('\n').map(move |line| {
        let at = start;
        start += line.len();
        (at, line.trim_end_matches(['\r', '\n']))
    })
}

/// The key that a line is the heading of.
fn heading(line: &str) -> Option<String> {
    let (key, _) = line.strip_prefix('[')?.rsplit_once(']')?;
    Some(unescaped(key))
}

/// The values of a key: line numbers, continued lines included, and name.
fn places(section: &Section<'_>) -> Vec<(Range<usize>, String)> {
    let mut places = Vec::new();
    let mut lines = section.lines.iter();
    while let Some(&(start, line)) = lines.next() {
        let name = match line.strip_prefix('@') {
            Some(_) => String::new(),
            None => match quoted(line) {
                Some((name, _)) => unescaped(name),
                None => continue,
            },
        };
        let (mut end, mut last) = (start + line.len(), line);
        while last.ends_with('\\') {
            let Some(&(at, next)) = lines.next() else { break };
            (end, last) = (at + next.len(), next);
        }
        places.push((start..end, name));
    }
    places
}

/// Where a value of a key is, and whether it is the only one of that name.
fn find(section: &Section<'_>, name: &str) -> Option<(Range<usize>, bool)> {
    let places = places(section);
    let is_only = places.len() == 1;
    let found = places.into_iter().find(|(_, other)| folded(other) == folded(name));
    found.map(|(at, _)| (at, is_only))
}

/// A value's lines as one.
fn joined(text: &str) -> String {
    let lines: Vec<&str> = text.lines().collect();
    let last = lines.len().saturating_sub(1);
    let whole = lines.iter().enumerate().map(|(n, line)| {
        let line = if n == 0 { line } else { line.trim_start() };
        if n == last { line } else { line.trim_end_matches('\\') }
    });
    whole.collect()
}

/// A value's line taken apart.
fn parse(line: &str) -> Option<(String, Value)> {
    let (name, behind) = if let Some(behind) = line.strip_prefix('@') {
        (String::new(), behind)
    } else {
        let (name, behind) = quoted(line)?;
        (unescaped(name), behind)
    };
    let form = behind.strip_prefix('=')?;
    let of_text = |kind: u32, text: &str| {
        let (inner, _) = quoted(text)?;
        let data = units(inner).into_iter().chain([0]).flat_map(u16::to_le_bytes).collect();
        Some(Value { kind, data })
    };
    let value = if form.starts_with('"') {
        of_text(kind::SZ, form)?
    } else if let Some(text) = form.strip_prefix("str:") {
        of_text(kind::SZ, text)?
    } else if let Some((kind, text)) = form.strip_prefix("str(").and_then(|f| f.split_once("):")) {
        of_text(number(kind)?, text)?
    } else if let Some(digits) = form.strip_prefix("dword:") {
        Value::dword(number(digits.trim())?)
    } else if let Some(list) = form.strip_prefix("hex:") {
        Value { kind: kind::BINARY, data: bytes(list)? }
    } else {
        let (kind, list) = form.strip_prefix("hex(")?.split_once("):")?;
        Value { kind: number(kind)?, data: bytes(list)? }
    };
    Some((name, value))
}

fn named(name: &str) -> String {
    if name.is_empty() { "@".to_owned() } else { format!("\"{}\"", escaped(name, &['"'])) }
}

fn value_text(value: &Value) -> String {
    match (value.as_text(), value.kind) {
        (Some(text), kind::SZ) => format!("\"{}\"", escaped(&text, &['"'])),
        (Some(text), kind::EXPAND_SZ) => format!("str(2):\"{}\"", escaped(&text, &['"'])),
        _ => written(value),
    }
}

/// A text as such files store it: characters outside ASCII by number.
fn escaped(text: &str, marks: &[char]) -> String {
    let mut out = String::new();
    for unit in text.encode_utf16() {
        match char::from_u32(u32::from(unit)) {
            Some('\\') => out.push_str(r"\\"),
            Some(c) if marks.contains(&c) => out.extend(['\\', c]),
            Some('\n') => out.push_str(r"\n"),
            Some(c) if (' '..='~').contains(&c) => out.push(c),
            _ => out.extend([r"\x".to_owned(), format!("{unit:04x}")]),
        }
    }
    out
}

fn unescaped(text: &str) -> String {
    String::from_utf16_lossy(&units(text))
}

/// The text that an escaped text represents, in units of UTF-16.
fn units(text: &str) -> Vec<u16> {
    let mut out = Vec::new();
    let mut buffer = [0; 2];
    let mut rest = text;
    while let Some(c) = rest.chars().next() {
        rest = &rest[c.len_utf8()..];
        let Some(mark) = rest.chars().next().filter(|_| c == '\\') else {
            out.extend_from_slice(c.encode_utf16(&mut buffer));
            continue;
        };
        let digits = |from: &str, radix: u32, most: usize| {
            from.chars().take(most).take_while(|c| c.is_digit(radix)).count()
        };
        let (octal, hex) = (digits(rest, 8, 3), digits(&rest[mark.len_utf8()..], 16, 4));
        let (unit, len) = match mark {
            'x' if hex > 0 => (u16::from_str_radix(&rest[1..=hex], 16).ok(), 1 + hex),
            _ if octal > 0 => (u16::from_str_radix(&rest[..octal], 8).ok(), octal),
            _ => (None, mark.len_utf8()),
        };
        rest = &rest[len..];
        match unit {
            Some(unit) => out.push(unit),
            None => out.extend_from_slice(control(mark).encode_utf16(&mut buffer)),
        }
    }
    out
}

/// The character that a letter after `\` represents.
fn control(letter: char) -> char {
    match letter {
        'a' => '\x07',
        'b' => '\x08',
        'e' => '\x1b',
        'f' => '\x0c',
        'n' => '\n',
        'r' => '\r',
        't' => '\t',
        'v' => '\x0b',
        other => other,
    }
}
