//! The syntax that both kinds of text share.

use super::{Value, digits_of, kind};

/// A quoted line in two parts: the text between the quotes as written, and the rest.
pub(super) fn quoted(text: &str) -> Option<(&str, &str)> {
    let inner = text.strip_prefix('"')?;
    let mut escaped = false;
    for (at, c) in inner.char_indices() {
        match c {
            _ if escaped => escaped = false,
            '\\' => escaped = true,
            '"' => return Some((&inner[..at], &inner[at + 1..])),
            _ => {}
        }
    }
    None
}

/// A number of up to eight hexadecimal digits.
pub(super) fn number(digits: &str) -> Option<u32> {
    let is_one = (1..=8).contains(&digits.len()) && digits.bytes().all(|b| b.is_ascii_hexdigit());
    is_one.then(|| u32::from_str_radix(digits, 16).ok()).flatten()
}

/// Bytes in hexadecimal digits between commas, one or two for each, with blanks before them; nothing if something
/// else is there, as a blank before a comma.
pub(super) fn bytes(list: &str) -> Option<Vec<u8>> {
    let list = list.trim_matches([' ', '\t']).trim_end_matches(',').trim_end();
    if list.is_empty() {
        return Some(Vec::new());
    }
    let byte = |digits: &str| {
        let digits = digits.trim_start_matches([' ', '\t']);
        let is_one =
            (1..=2).contains(&digits.len()) && digits.bytes().all(|b| b.is_ascii_hexdigit());
        is_one.then(|| u8::from_str_radix(digits, 16).ok()).flatten()
    };
    list.split(',').map(byte).collect()
}

/// A value behind the name as both kinds of text hold it, if it is not a text.
pub(super) fn written(value: &Value) -> String {
    match (value.kind, value.as_number()) {
        (kind::DWORD, Some(number)) => format!("dword:{number:08x}"),
        (kind::BINARY, _) => format!("hex:{}", digits_of(&value.data)),
        (kind, _) => format!("hex({kind:x}):{}", digits_of(&value.data)),
    }
}
