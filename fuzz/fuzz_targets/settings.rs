//! The user's settings, a newer build's and an older build's: any bytes, and texts of sections and keys.
#![no_main]

use libfuzzer_sys::arbitrary::{self, Arbitrary};
use libfuzzer_sys::fuzz_target;
use upright_spanner_core::plan::merge;

/// The recipe of a file.
#[derive(Debug, Arbitrary)]
enum Recipe<'a> {
    Bytes(&'a [u8]),
    Lines { lines: Vec<Line<'a>>, has_returns: bool, is_utf16: bool },
}

/// A line of it; names are few, so that files have some of them in common.
#[derive(Debug, Arbitrary)]
enum Line<'a> {
    Section(u8),
    Key(u8, u8),
    Comment(&'a str),
    Blank,
    Odd(&'a str),
}

fn cook(recipe: Recipe<'_>) -> Vec<u8> {
    let (lines, has_returns, is_utf16) = match recipe {
        Recipe::Bytes(bytes) => return bytes.to_vec(),
        Recipe::Lines { lines, has_returns, is_utf16 } => (lines, has_returns, is_utf16),
    };
    let end = if has_returns { "\r\n" } else { "\n" };
    let text: String = lines
        .iter()
        .map(|line| match line {
            Line::Section(name) => format!("[s{}]{end}", name % 5),
            Line::Key(name, value) => format!("k{} = {value}{end}", name % 7),
            Line::Comment(text) => format!("; {text}{end}"),
            Line::Blank => end.to_owned(),
            Line::Odd(text) => (*text).to_owned(),
        })
        .collect();
    if is_utf16 {
        [0xFEFF].into_iter().chain(text.encode_utf16()).flat_map(u16::to_le_bytes).collect()
    } else {
        text.into_bytes()
    }
}

fuzz_target!(|files: (Recipe<'_>, Recipe<'_>, Recipe<'_>)| {
    let (user, new, old) = (cook(files.0), cook(files.1), cook(files.2));
    let once = merge(&user, &new, None);
    assert!(once.bytes.len() >= user.len());
    assert_eq!(merge(&once.bytes, &new, None).bytes, once.bytes);
    assert_eq!(merge(&user, b"", None).bytes, user);
    let _ = merge(&user, &new, Some(&old));
});
