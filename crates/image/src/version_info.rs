//! Reads a version resource (`VS_VERSIONINFO`, Windows SDK, "Version Information").
//!
//! Resources in the wild have lengths that count units instead of bytes, strings without their
//! padding, and blocks that run past their parent. A block is therefore read up to its own end or
//! its parent's, whichever comes first, and a value starts at the first unit that is not zero.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::resource::ResourceKind;

/// Version resources in an image's directory. The length that one can state for itself is 16 bits wide.
pub(super) const RESOURCE: ResourceKind =
    ResourceKind { number: 16, what: "the version resource", name: None, longest: u16::MAX as u64 };

/// Everything that a version resource says.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct VersionInfo {
    /// The fixed block, if there is a valid one.
    pub fixed: Option<FixedInfo>,
    /// The string tables in file order, one a language and code page.
    pub tables: Vec<StringTable>,
    /// Language and code page pairs that the resource says it is translated to.
    pub translations: Vec<(u16, u16)>,
}

/// The fixed block (`VS_FIXEDFILEINFO`).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct FixedInfo {
    /// File version, most significant number first.
    pub file_version: [u16; 4],
    /// Product version, most significant number first.
    pub product_version: [u16; 4],
    /// `dwFileFlags`, masked: 1 debug, 2 pre-release, 4 patched, 8 private build, 32 special.
    pub flags: u32,
}

/// One table of strings.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema, Deserialize)]
pub struct StringTable {
    /// Windows language identifier, if the table's key gives one.
    pub language: Option<u16>,
    /// Code page identifier, if the table's key gives one.
    pub code_page: Option<u16>,
    /// Keys and values in file order.
    pub strings: Vec<(String, String)>,
}

impl VersionInfo {
    /// The first value of a string in any table; keys are compared without regard to case.
    pub fn string(&self, key: &str) -> Option<&str> {
        let strings = self.tables.iter().flat_map(|table| &table.strings);
        let mut values =
            strings.filter(|(k, _)| k.eq_ignore_ascii_case(key)).map(|(_, v)| v.trim());
        values.find(|value| !value.is_empty())
    }

    /// Adds the strings of another language.
    pub(super) fn merge(&mut self, other: Self) {
        self.fixed = self.fixed.or(other.fixed);
        self.tables.extend(other.tables);
        for pair in other.translations {
            if !self.translations.contains(&pair) {
                self.translations.push(pair);
            }
        }
    }
}

/// Reads as much as possible, but at most `left` strings; the second value tells whether anything was malformed.
pub(super) fn parse(bytes: &[u8], left: &mut usize) -> (VersionInfo, bool) {
    let mut info = VersionInfo::default();
    let Some(root) = Block::at(bytes, 0, bytes.len()) else {
        return (info, true);
    };
    let mut damaged = root.cut || root.key != "VS_VERSION_INFO";
    let children_at = match fixed_block(bytes, root.after_key, root.end) {
        Some((fixed, behind)) => {
            info.fixed = Some(fixed);
            behind
        }
        None => root.after_key,
    };
    for child in children(bytes, children_at, root.end) {
        damaged |= child.cut;
        match child.key.as_str() {
            "StringFileInfo" => {
                for table in children(bytes, child.after_key, child.end) {
                    damaged |= table.cut;
                    if *left == 0 {
                        damaged = true;
                        break;
                    }
                    *left -= 1;
                    info.tables.push(string_table(bytes, &table, left, &mut damaged));
                }
            }
            "VarFileInfo" => {
                for var in children(bytes, child.after_key, child.end) {
                    damaged |= var.cut;
                    if var.key == "Translation" {
                        info.translations.extend(translations(bytes, &var));
                    }
                }
            }
            _ => damaged = true,
        }
    }

    (info, damaged)
}

/// One block: if its content starts and ends, and its key.
struct Block {
    key: String,
    after_key: usize,
    /// Length of the value as the block states it, in bytes or units.
    value_len: usize,
    end: usize,
    /// The stated length was impossible and the parent's end was taken instead.
    cut: bool,
}

impl Block {
    fn at(bytes: &[u8], start: usize, limit: usize) -> Option<Self> {
        let stated = usize::from(unit(bytes, start, limit)?);
        let value_len = usize::from(unit(bytes, start + 2, limit)?);
        let _kind = unit(bytes, start + 4, limit)?;
        let cut = stated < 8 || start + stated > limit;
        let end = if cut { limit } else { start + stated };
        let (key, after_key) = text(bytes, start + 6, end);
        Some(Self { key, after_key, value_len, end, cut })
    }
}

/// The blocks between two places, one behind the other, however they are padded.
fn children(bytes: &[u8], start: usize, end: usize) -> impl Iterator<Item = Block> + '_ {
    let mut at = start;
    std::iter::from_fn(move || {
        while unit(bytes, at, end)? == 0 {
            at += 2;
        }
        let block = Block::at(bytes, at, end)?;
        at = block.end.next_multiple_of(2);
        Some(block)
    })
}

fn fixed_block(bytes: &[u8], start: usize, end: usize) -> Option<(FixedInfo, usize)> {
    const SIGNATURE: [u8; 4] = 0xFEEF_04BD_u32.to_le_bytes();
    const LEN: usize = 52;
    let at = (start..start + 8).find(|&at| bytes.get(at..at + 4) == Some(&SIGNATURE))?;
    let block = bytes.get(at..at + LEN).filter(|_| at + LEN <= end)?;
    let word = |n: usize| {
        u32::from_le_bytes([block[4 * n], block[4 * n + 1], block[4 * n + 2], block[4 * n + 3]])
    };
    let quad =
        |high: u32, low: u32| [(high >> 16) as u16, high as u16, (low >> 16) as u16, low as u16];
    let fixed = FixedInfo {
        file_version: quad(word(2), word(3)),
        product_version: quad(word(4), word(5)),
        flags: word(6) & word(7),
    };
    Some((fixed, at + LEN))
}

fn string_table(bytes: &[u8], table: &Block, left: &mut usize, damaged: &mut bool) -> StringTable {
    let hex = |range| table.key.get(range).and_then(|digits| u16::from_str_radix(digits, 16).ok());
    let mut strings = Vec::new();
    for string in children(bytes, table.after_key, table.end) {
        *damaged |= string.cut || *left == 0;
        if *left == 0 {
            break;
        }
        *left -= 1;
        let mut at = string.after_key;
        while at < string.end && unit(bytes, at, string.end) == Some(0) {
            at += 2;
        }
        let (value, _) = text(bytes, at, string.end);
        if !string.key.is_empty() {
            strings.push((string.key, value));
        }
    }

    StringTable { language: hex(0..4), code_page: hex(4..8), strings }
}

fn translations(bytes: &[u8], var: &Block) -> Vec<(u16, u16)> {
    let start = var.after_key.next_multiple_of(4);
    let end = var.end.min(start + var.value_len);
    let pair = |at| Some((unit(bytes, at, end)?, unit(bytes, at + 2, end)?));
    (start..end).step_by(4).map_while(pair).collect()
}

/// A 16-bit unit before `limit`.
fn unit(bytes: &[u8], at: usize, limit: usize) -> Option<u16> {
    let pair = bytes.get(at..at + 2).filter(|_| at + 2 <= limit)?;
    Some(u16::from_le_bytes([pair[0], pair[1]]))
}

/// The text from `start` to its zero or to `end`, and the position of the unit after it.
fn text(bytes: &[u8], start: usize, end: usize) -> (String, usize) {
    let mut units = Vec::new();
    let mut at = start;
    while let Some(value) = unit(bytes, at, end) {
        at += 2;
        if value == 0 {
            break;
        }
        units.push(value);
    }
    (String::from_utf16_lossy(&units), at)
}
