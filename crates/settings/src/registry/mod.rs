//! Values of the registry as texts hold them: `.reg` files, which people pass on, and the files in which a prefix
//! keeps its registry.
//!
//! This is our own code, since general parsers of `.reg` files accept different files than the system does.

mod line;
mod prefix;
mod reg_file;

use std::fmt;

pub use prefix::PrefixRegistry;
pub use reg_file::{RegFile, RegItem, RegLine};

/// The user's own part of the registry.
pub const CURRENT_USER: &str = "HKEY_CURRENT_USER";

/// The content of a value: its type, 0 to 11 as the system numbers it, and its bytes as the system stores them.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Value {
    /// The type.
    pub kind: u32,
    /// The bytes: texts in UTF-16LE with a zero at their end, numbers the lowest byte first.
    pub data: Vec<u8>,
}

/// The types that have their own forms in texts.
pub mod kind {
    /// A text.
    pub const SZ: u32 = 1;
    /// A text with names of environment variables, which the system expands.
    pub const EXPAND_SZ: u32 = 2;
    /// Bytes.
    pub const BINARY: u32 = 3;
    /// A number of 32 bits.
    pub const DWORD: u32 = 4;
    /// Several texts.
    pub const MULTI_SZ: u32 = 7;
    /// A number of 64 bits.
    pub const QWORD: u32 = 11;
}

/// The types by the words that people use.
const KINDS: [(&str, u32); 6] = [
    ("text", kind::SZ),
    ("expandable", kind::EXPAND_SZ),
    ("binary", kind::BINARY),
    ("dword", kind::DWORD),
    ("texts", kind::MULTI_SZ),
    ("qword", kind::QWORD),
];

impl Value {
    /// A text.
    pub fn text(text: &str) -> Self {
        Self { kind: kind::SZ, data: utf16(text) }
    }

    /// A number of 32 bits.
    pub fn dword(number: u32) -> Self {
        Self { kind: kind::DWORD, data: number.to_le_bytes().to_vec() }
    }

    /// The value of a type that people write so: texts as they are, numbers as decimals or with `0x`, bytes in
    /// hexadecimal digits.
    pub fn parse(kind: u32, text: &str) -> Option<Self> {
        let number = || match text.strip_prefix("0x") {
            Some(digits) => u64::from_str_radix(digits, 16).ok(),
            None => text.parse().ok(),
        };
        let data = match kind {
            kind::SZ | kind::EXPAND_SZ => utf16(text),
            kind::MULTI_SZ => utf16(&format!("{}\0", text.replace('\n', "\0"))),
            kind::DWORD => u32::try_from(number()?).ok()?.to_le_bytes().to_vec(),
            kind::QWORD => number()?.to_le_bytes().to_vec(),
            _ => bytes_of_digits(text)?,
        };
        Some(Self { kind, data })
    }

    /// The text, if it is a whole one.
    pub fn as_text(&self) -> Option<String> {
        if !matches!(self.kind, kind::SZ | kind::EXPAND_SZ) {
            return None;
        }
        let text = text_of(&self.data)?;
        let text = text.strip_suffix('\0')?;
        (!text.contains('\0')).then(|| text.to_owned())
    }

    /// The number, if it is one.
    pub fn as_number(&self) -> Option<u64> {
        match self.kind {
            kind::DWORD => self.data[..].try_into().ok().map(u32::from_le_bytes).map(u64::from),
            kind::QWORD => self.data[..].try_into().ok().map(u64::from_le_bytes),
            _ => None,
        }
    }
}

/// The number of a type by its word, or as `0` to `11`.
pub fn kind_of(word: &str) -> Option<u32> {
    let named = KINDS.iter().find(|(name, _)| *name == word).map(|(_, kind)| *kind);
    named.or_else(|| word.parse().ok().filter(|kind| *kind <= kind::QWORD))
}

/// The word of a type, or its number.
pub fn kind_name(kind: u32) -> String {
    let named = KINDS.iter().find(|(_, number)| *number == kind);
    named.map_or_else(|| kind.to_string(), |(name, _)| (*name).to_owned())
}

/// The value as people read it.
impl fmt::Display for Value {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if let Some(text) = self.as_text() {
            return f.write_str(&text);
        }
        if let Some(number) = self.as_number() {
            return write!(f, "{number}");
        }
        if let Some(text) = text_of(&self.data).filter(|_| self.kind == kind::MULTI_SZ) {
            return f.write_str(text.trim_end_matches('\0').replace('\0', ", ").as_str());
        }
        f.write_str(&digits_of(&self.data))
    }
}

/// A key and the name of a value in it; the key's own value has no name.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct ValueName {
    /// The key below `HKEY_CURRENT_USER`, as in `Software\Maker\Product`.
    pub key: String,
    /// The value's name; empty for the key's own.
    pub name: String,
}

/// The longest name that a level of a key can have, in units of UTF-16.
const LONGEST_KEY: usize = 255;

/// The longest name of a value, in units of UTF-16.
const LONGEST_NAME: usize = 16_383;

impl ValueName {
    /// A value of a key below `HKEY_CURRENT_USER`.
    ///
    /// # Errors
    /// The reason why the registry cannot have these names.
    pub fn new(key: &str, name: &str) -> Result<Self, &'static str> {
        let key = key.trim_matches('\\');
        let is_long = |text: &str, most: usize| text.encode_utf16().count() > most;
        if key.is_empty() || key.split('\\').any(str::is_empty) {
            return Err("a level of the key has no name");
        }
        if key.split('\\').any(|level| is_long(level, LONGEST_KEY)) || is_long(name, LONGEST_NAME) {
            return Err("a name in it is longer than the registry takes");
        }
        if [key, name].iter().any(|text| text.contains(['\0', '\n', '\r'])) {
            return Err("a name in it has line ends or zeros");
        }
        Ok(Self { key: key.to_owned(), name: name.to_owned() })
    }

    /// The levels of the key.
    pub fn levels(&self) -> impl Iterator<Item = &str> {
        self.key.split('\\')
    }

    /// Whether both are the same to the system, which regards no case.
    pub fn same_as(&self, other: &Self) -> bool {
        folded(&self.key) == folded(&other.key) && folded(&self.name) == folded(&other.name)
    }
}

impl fmt::Display for ValueName {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let name = if self.name.is_empty() { "(default)" } else { &self.name };
        write!(f, r"{CURRENT_USER}\{}: {name}", self.key)
    }
}

/// A name as names are compared.
pub fn folded(name: &str) -> String {
    name.to_lowercase()
}

/// A text as the registry keeps it.
fn utf16(text: &str) -> Vec<u8> {
    text.encode_utf16().chain([0]).flat_map(u16::to_le_bytes).collect()
}

/// The bytes as text, including zeros; `None` if they are not text.
fn text_of(data: &[u8]) -> Option<String> {
    let units: Vec<u16> =
        data.chunks_exact(2).map(|pair| u16::from_le_bytes([pair[0], pair[1]])).collect();
    (data.len() % 2 == 0).then(|| String::from_utf16(&units).ok()).flatten()
}

/// Bytes as hexadecimal digits, with commas between them.
pub fn digits_of(data: &[u8]) -> String {
    data.iter().map(|byte| format!("{byte:02x}")).collect::<Vec<_>>().join(",")
}

/// The bytes that hexadecimal digits are, with or without commas and blanks between them.
pub fn bytes_of_digits(text: &str) -> Option<Vec<u8>> {
    let digits: Vec<u8> = text.bytes().filter(|b| !b", \t".contains(b)).collect();
    if digits.len() % 2 != 0 || !digits.is_ascii() {
        return None;
    }
    let byte = |pair: &[u8]| u8::from_str_radix(std::str::from_utf8(pair).ok()?, 16).ok();
    digits.chunks_exact(2).map(byte).collect()
}
