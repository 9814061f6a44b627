//! Describes a log of a family from a sample.

use std::path::Path;

use super::add::add_log;
use super::log::LogEntry;
use crate::error::Result;

/// The known facts of a log to describe.
#[derive(Debug)]
pub(crate) struct LogLesson<'a> {
    /// Its folder with placeholders; empty if it is the component's.
    pub folder: String,
    /// Its name.
    pub name: &'a str,
    /// The line that states the version, and the version.
    pub stated: Option<(&'a str, &'a str)>,
}

/// How a line begins that says that something is wrong, behind a date and the like.
const ERRORS: &str = r"(?i)^[\W\d]*(?:\w+\W+)?(?:error|fatal)\b.*";

/// So much of a line before the version tells it from others.
const BEFORE_VERSION: usize = 24;

/// Describes a log of a family in the catalog file at `path`.
///
/// # Errors
/// If the file cannot be read or written, or does not have the family.
pub(crate) fn learn_log(path: &Path, family: &str, lesson: &LogLesson<'_>) -> Result<()> {
    let folder = lesson.folder.trim_end_matches('/');
    let slash = if folder.is_empty() { "" } else { "/" };
    let entry = LogEntry {
        file: format!("{folder}{slash}{}", without_numbers(lesson.name)),
        version: lesson.stated.and_then(|(line, version)| version_pattern(line, version)),
        errors: vec![ERRORS.to_owned()],
        ..LogEntry::default()
    };
    add_log(path, family, &entry)
}

/// A file's name with a wildcard for each date or running number in it: four digits and more.
fn without_numbers(name: &str) -> String {
    let is_part = |c: char| c.is_ascii_digit() || "-_.".contains(c);
    let mut out = String::new();
    let mut rest = name;
    while let Some(start) = rest.find(|c: char| c.is_ascii_digit()) {
        let run = &rest[start..];
        let run = &run[..run.find(|c| !is_part(c)).unwrap_or(run.len())];
        let run = run.trim_end_matches(['-', '_', '.']);
        let is_number = run.chars().filter(char::is_ascii_digit).count() >= 4;
        out.push_str(&rest[..start]);
        out.push_str(if is_number { "*" } else { run });
        rest = &rest[start + run.len()..];
    }
    out + rest
}

/// A pattern for a line with a version: the text before it, with any numbers and blanks.
fn version_pattern(line: &str, version: &str) -> Option<String> {
    let at = line.find(version)?;
    let start = line[..at].char_indices().rev().take(BEFORE_VERSION).last();
    let before = start.map_or("", |(start, _)| &line[start..at]);
    // A word that was cut says nothing.
    let before = match before.find(char::is_whitespace) {
        Some(blank) if before.len() < at => &before[blank + 1..],
        _ => before,
    };
    let mut pattern = String::new();
    let mut chars = before.chars().peekable();
    while let Some(c) = chars.next() {
        let is_alike = |other: &char| {
            c.is_ascii_digit() && other.is_ascii_digit()
                || c.is_whitespace() && other.is_whitespace()
        };
        let word = match c {
            c if c.is_ascii_digit() => r"\d+".to_owned(),
            c if c.is_whitespace() => r"\s+".to_owned(),
            c => regex::escape(&c.to_string()),
        };
        while chars.next_if(is_alike).is_some() {}
        pattern.push_str(&word);
    }
    Some(pattern + r"(\d+(?:\.\d+)+)")
}
