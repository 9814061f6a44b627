//! Reads the texts of builds: their encodings, and the part of a change log between two versions.

use upright_spanner_image::Version;

/// The sections of a change log about versions after `from`, up to and including `to`. `None` if the text has no
/// sections by version, or none of these.
pub fn since(text: &str, from: &Version, to: &Version) -> Option<String> {
    let mut wanted = false;
    let mut out = String::new();
    for line in text.lines() {
        if let Some(version) = heading(line) {
            wanted = version > *from && (version < *to || version.same_numbers(to));
        }
        if wanted {
            out.push_str(line);
            out.push('\n');
        }
    }

    let out = out.trim_end();
    (!out.is_empty()).then(|| out.to_owned())
}

/// The version that a heading of a change log names: a short line that begins with it, after marks
/// such as `#`, `[`, `v` or `Version`, and after the name of the product.
fn heading(line: &str) -> Option<Version> {
    const LONGEST: usize = 80;
    let marked = line.starts_with('#') || line.starts_with('=') || line.starts_with('[');
    let text = line.trim_start_matches(['#', '=', '[', '*', ' ']).trim();
    if text.len() > LONGEST || line.starts_with([' ', '\t']) || line.starts_with("- ") {
        return None;
    }

    let words: Vec<&str> = text.split_whitespace().collect();
    let version = |word: &&str| {
        let word = word.trim_matches(|c: char| !c.is_alphanumeric());
        let number = word.trim_start_matches(['v', 'V']);
        let telling = number.contains('.') && number.starts_with(|c: char| c.is_ascii_digit());
        number.parse().ok().filter(|_| telling)
    };
    let at = words.iter().position(|word| version(word).is_some())?;
    // Prose names versions too; a heading has the version in front, or little before it.
    let lead = if marked { 4 } else { usize::from(words.len() <= 4) * 2 };
    let ends_as_prose = !marked && text.ends_with('.') && words.len() > 1;
    (at <= lead && !ends_as_prose).then(|| version(&words[at])).flatten()
}
