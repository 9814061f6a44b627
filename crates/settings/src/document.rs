//! Settings files: a key is found by its path, its value replaced, put in or taken away, and everything else
//! stays byte by byte.
//!
//! A parser finds the position of a value, and only the bytes there are replaced. A value that was added can be
//! removed again so that the text is as before.

use crate::encoded::{Decoded, TextEncoding, decode};
pub use crate::syntax::{Entry, Fault, KeyPath, Result};
use crate::syntax::{Splice, Spot, Syntax, spliced};
use crate::{ini, json, toml, xml};

/// A longer text is not a settings file: programs write some 100 KB.
pub const LONGEST: usize = 2 << 20;

/// How a settings file is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Format {
    /// `[section]` and `key = value` lines.
    Ini,
    /// TOML.
    Toml,
    /// JSON, also with comments and trailing commas.
    Json,
    /// XML: attributes, and elements that hold nothing but text.
    Xml,
}

impl Format {
    /// Every format.
    pub const ALL: [Self; 4] = [Self::Ini, Self::Toml, Self::Json, Self::Xml];

    /// The word used in journals and catalogs.
    pub fn name(self) -> &'static str {
        match self {
            Self::Ini => "ini",
            Self::Toml => "toml",
            Self::Json => "json",
            Self::Xml => "xml",
        }
    }

    /// The format of that word.
    pub fn from_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|format| format.name() == name)
    }

    /// The format that a file's name suggests; a file with an unknown ending is `.ini`-like.
    pub fn of_file(name: &str) -> Self {
        let ending = name.rsplit_once('.').map_or("", |(_, ending)| ending).to_ascii_lowercase();
        match ending.as_str() {
            "toml" => Self::Toml,
            "json" | "jsonc" => Self::Json,
            "xml" => Self::Xml,
            _ => Self::Ini,
        }
    }

    fn syntax(self) -> &'static dyn Syntax {
        match self {
            Self::Ini => &ini::Ini,
            Self::Toml => &toml::Toml,
            Self::Json => &json::Json,
            Self::Xml => &xml::Xml,
        }
    }
}

/// The result of looking for a key.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Lookup {
    /// The value as it is written, with its quotes.
    Value(String),
    /// It does not have it. So many of the sections or objects around it are there.
    Absent {
        /// How many, from outside.
        around: usize,
    },
}

fn text_of(bytes: &[u8]) -> Result<Decoded> {
    if bytes.len() > LONGEST {
        return Err(Fault::TooLong);
    }
    let mut decoded = decode(bytes);
    if !decoded.is_exact || decoded.text.contains('\0') {
        return Err(Fault::NotText);
    }
    if !decoded.encoding.is_unicode() {
        decoded.text = decoded.text.chars().map(lifted).collect();
    }
    Ok(decoded)
}

/// The characters for the upper half of an unknown code page, in an area that no text uses. They distinguish a value
/// of such a file from Unicode text, even if the rest of the file is ASCII.
const UNKNOWN: u32 = 0xF700;

fn lifted(c: char) -> char {
    let is_upper = ('\u{80}'..='\u{ff}').contains(&c);
    char::from_u32(UNKNOWN + u32::from(c)).filter(|_| is_upper).unwrap_or(c)
}

fn is_lifted(c: char) -> bool {
    ('\u{f780}'..='\u{f7ff}').contains(&c)
}

fn lowered(c: char) -> char {
    char::from_u32(u32::from(c).wrapping_sub(UNKNOWN)).filter(|_| is_lifted(c)).unwrap_or(c)
}

/// A text as the bytes of its file.
fn bytes_of(text: &str, encoding: TextEncoding) -> Result<Vec<u8>> {
    let is_of_page =
        text.chars().any(is_lifted) && text.chars().all(|c| c.is_ascii() || is_lifted(c));
    if encoding.is_unicode() && !(is_of_page && encoding.is_plain()) {
        return Ok(encoding.encode(text));
    }
    let lower = text.chars().map(lowered);
    let bytes: Option<Vec<u8>> = lower.map(|c| u8::try_from(u32::from(c)).ok()).collect();
    bytes.ok_or_else(|| Fault::CannotHold("its encoding cannot hold that".to_owned()))
}

/// Looks up a key in a file.
///
/// # Errors
/// If the file is not valid in this format.
pub fn get(format: Format, bytes: &[u8], path: &KeyPath) -> Result<Lookup> {
    let text = text_of(bytes)?.text;
    Ok(match format.syntax().find(&text, path)? {
        Spot::Value(at) => Lookup::Value(text[at].to_owned()),
        Spot::Absent { around } => Lookup::Absent { around },
    })
}

/// Every key of a file that has a value, in its order.
///
/// # Errors
/// If the file is not valid in this format.
pub fn entries(format: Format, bytes: &[u8]) -> Result<Vec<Entry>> {
    format.syntax().entries(&text_of(bytes)?.text)
}

/// The file with a key set to a value, or added with it; `value` is the text that is written.
///
/// # Errors
/// If the file is not valid in this format, or cannot contain the value there.
pub fn set(format: Format, bytes: &[u8], path: &KeyPath, value: &str) -> Result<Vec<u8>> {
    let decoded = text_of(bytes)?;
    let syntax = format.syntax();
    let splice = match syntax.find(&decoded.text, path)? {
        Spot::Value(at) => Splice { at, with: value.to_owned() },
        Spot::Absent { .. } => syntax.put_in(&decoded.text, path, value)?,
    };
    let altered = spliced(decoded.text.clone(), vec![splice]);
    let bytes = bytes_of(&altered, decoded.encoding)?;
    // A value that would be read differently, or would damage its surroundings, is not written.
    let is_read_back = get(format, &bytes, path)? == Lookup::Value(value.to_owned());
    if is_read_back && others(syntax, &altered, path)? == others(syntax, &decoded.text, path)? {
        Ok(bytes)
    } else {
        Err(Fault::CannotHold(format!("`{value}` would not be read back as the value of {path}")))
    }
}

/// Whether the encoding of a typed value is known: for an unknown code page only the first half is. Text that the
/// file itself contained can always be restored.
pub fn can_hold(bytes: &[u8], value: &str) -> bool {
    ini::can_hold(decode(bytes).encoding, value)
}

/// The keys of a text except one and the levels around it: an element that was empty then has no text.
fn others(syntax: &dyn Syntax, text: &str, path: &KeyPath) -> Result<Vec<(KeyPath, String)>> {
    let own = match syntax.find(text, path)? {
        Spot::Value(at) => Some(at),
        Spot::Absent { .. } => None,
    };
    let entries = syntax.entries(text)?.into_iter().filter(|entry| Some(&entry.at) != own.as_ref());
    let leads_there = |other: &KeyPath| {
        let mut names = other.names().iter().zip(path.names());
        names.all(|(a, b)| ini::fold(a) == ini::fold(b))
    };
    let others = entries.filter(|entry| !leads_there(&entry.path));
    Ok(others.map(|entry| (entry.path, entry.value)).collect())
}

/// The file without a key, and without levels around it that are then empty, except for `around` levels that stay. A
/// file without the key is returned unchanged.
///
/// # Errors
/// If the file is not valid in this format.
pub fn unset(format: Format, bytes: &[u8], path: &KeyPath, around: usize) -> Result<Vec<u8>> {
    let decoded = text_of(bytes)?;
    let syntax = format.syntax();
    match syntax.find(&decoded.text, path)? {
        Spot::Absent { .. } => Ok(bytes.to_vec()),
        Spot::Value(_) => {
            let splices = syntax.take_out(&decoded.text, path, around)?;
            bytes_of(&spliced(decoded.text, splices), decoded.encoding)
        }
    }
}

/// The value for people, without quotes and escapes.
pub fn plain(format: Format, value: &str) -> String {
    format.syntax().plain(value).chars().map(lowered).collect()
}

/// How a value is written in a file, if it replaces `like`, or of nothing.
pub fn written(format: Format, plain: &str, like: Option<&str>) -> String {
    format.syntax().written(plain, like)
}
