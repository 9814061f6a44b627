//! Texts: cleaned of what could steer a terminal, shortened, counted, dated.

use std::borrow::Cow;
use std::fmt::Write as _;

use jiff::Timestamp;
use jiff::tz::TimeZone;
use unicode_width::UnicodeWidthStr;

/// Characters that steer a terminal, turn the direction of text or are not seen: control characters of
/// both ranges, separators of lines, and what Unicode calls ignorable by default (`DerivedCoreProperties`,
/// `Default_Ignorable_Code_Point`), marks and overrides of direction among it.
fn steers(c: char) -> bool {
    c.is_control()
        || matches!(c, '\u{00AD}' | '\u{034F}' | '\u{061C}' | '\u{115F}' | '\u{1160}')
        || matches!(c, '\u{17B4}' | '\u{17B5}' | '\u{180B}'..='\u{180F}' | '\u{200B}'..='\u{200F}')
        || matches!(c, '\u{2028}'..='\u{202E}' | '\u{2060}'..='\u{206F}' | '\u{3164}')
        || matches!(c, '\u{FE00}'..='\u{FE0F}' | '\u{FEFF}' | '\u{FFA0}' | '\u{FFF0}'..='\u{FFFB}')
        || matches!(c, '\u{1BCA0}'..='\u{1BCA3}' | '\u{1D173}'..='\u{1D17A}')
        || matches!(c, '\u{E0000}'..='\u{E0FFF}')
}

/// Whether a text of several lines has nothing in it that steers a terminal.
pub fn is_clean(text: &str) -> bool {
    !text.chars().any(|c| steers(c) && c != '\n')
}

/// A text from a file or a file's name, safe to print: what could steer the terminal is replaced.
pub fn clean(text: &str) -> Cow<'_, str> {
    if text.chars().any(steers) {
        Cow::Owned(text.chars().map(|c| if steers(c) { '\u{FFFD}' } else { c }).collect())
    } else {
        Cow::Borrowed(text)
    }
}

/// JSON with terminal control characters as escapes. They occur only inside strings, except the line ends of the
/// layout.
pub fn escape_controls(json: &str) -> String {
    let mut out = String::with_capacity(json.len());
    for c in json.chars() {
        if steers(c) && c != '\n' {
            for unit in c.encode_utf16(&mut [0; 2]) {
                let _ = write!(out, "\\u{unit:04x}");
            }
        } else {
            out.push(c);
        }
    }

    out
}

/// A path cut down to `width` columns: the end is what tells files apart, so the start goes.
pub fn fit_path(path: &str, width: usize) -> String {
    let path = clean(path);
    if path.width() <= width {
        return path.into_owned();
    }
    let starts = path.match_indices(['/', '\\']).map(|(at, _)| at);
    let kept = starts.map(|at| &path[at..]).find(|rest| rest.width() < width);
    let Some(kept) = kept else {
        let name = path.rsplit(['/', '\\']).next().unwrap_or_default();
        return cut(name, width);
    };
    format!("…{kept}")
}

/// A text cut down to `width` columns.
pub fn cut(text: &str, width: usize) -> String {
    let mut out = String::new();
    for c in text.chars() {
        if out.width() + 2 > width && text.width() > width {
            out.push('…');
            break;
        }
        out.push(c);
    }
    out
}

/// A text in lines of at most `width` columns, each after `indent`; the first after `first`, which
/// takes the same number of columns but may be coloured.
pub fn wrapped(text: &str, first: &str, indent: usize, width: usize) -> String {
    let text = clean(text);
    // Codes and names with hyphens are typed again: they are not broken.
    let options = textwrap::Options::new(width.saturating_sub(indent).max(20))
        .word_splitter(textwrap::WordSplitter::NoHyphenation);
    let lines = textwrap::wrap(&text, options);
    let mut out = String::new();

    for (index, line) in lines.iter().enumerate() {
        let lead = if index == 0 { first.to_owned() } else { " ".repeat(indent) };
        let _ = writeln!(out, "{lead}{line}");
    }
    out
}

pub use upright_spanner_core::path::slashes;
pub use upright_spanner_core::size::humane as bytes;

/// `1 file`, `2 files`, `2 libraries`.
pub fn count(number: usize, what: &str) -> String {
    match what.strip_suffix('y') {
        _ if number == 1 => format!("1 {what}"),
        Some(stem) => format!("{number} {stem}ies"),
        None => format!("{number} {what}s"),
    }
}

/// The day of a moment in seconds since 1970, in local time; nothing for a moment beyond dates.
pub fn date(seconds: i64) -> String {
    Timestamp::from_second(seconds).map_or_else(
        |_| String::new(),
        |moment| moment.to_zoned(TimeZone::system()).strftime("%Y-%m-%d").to_string(),
    )
}

/// A moment to the minute, in local time.
pub fn moment(moment: Timestamp) -> String {
    moment.to_zoned(TimeZone::system()).strftime("%Y-%m-%d %H:%M").to_string()
}

/// An argument as it has to be typed.
pub fn quoted(argument: &str) -> String {
    let plain = |c: char| c.is_alphanumeric() || "-_./@+:\\".contains(c);
    if !argument.is_empty() && argument.chars().all(plain) {
        argument.to_owned()
    } else {
        format!("\"{argument}\"")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_steers_a_terminal_does_not_get_through() {
        assert_eq!(clean("a\u{1b}[31mb\u{9b}c\u{202e}d"), "a\u{fffd}[31mb\u{fffd}c\u{fffd}d");
        assert_eq!(escape_controls("{\n\"\u{7f}\u{9b}\""), "{\n\"\\u007f\\u009b\"");
        for unseen in ['\u{61c}', '\u{200b}', '\u{200f}', '\u{2066}', '\u{feff}', '\u{e0041}'] {
            assert_eq!(clean(&format!("a{unseen}b")), "a\u{fffd}b");
            let escaped = escape_controls(&format!("\"{unseen}\""));
            assert!(escaped.is_ascii(), "{escaped}");
            assert_eq!(serde_json::from_str::<String>(&escaped).unwrap(), unseen.to_string());
        }
        assert_eq!(clean("Żółw\u{301} 龜"), "Żółw\u{301} 龜");
    }

    #[test]
    fn a_path_that_is_too_long_keeps_its_end() {
        assert_eq!(fit_path("one/two/three.dll", 40), "one/two/three.dll");
        assert_eq!(fit_path("one/two/three.dll", 16), "…/two/three.dll");
        assert_eq!(fit_path("one/two/three.dll", 12), "…/three.dll");
        assert_eq!(fit_path("one/two/three.dll", 6), "three…");
    }

    #[test]
    fn sizes_read_as_in_a_file_manager() {
        for (size, text) in [
            (0, "0 B"),
            (1023, "1023 B"),
            (1024, "1.0 KB"),
            (1 << 20, "1.0 MB"),
            (40 << 20, "40.0 MB"),
        ] {
            assert_eq!(bytes(size), text);
        }
    }
}
