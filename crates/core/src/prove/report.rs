//! A log's statements about a component: the version, and errors.
//!
//! Only lines since the last stated version count: earlier ones belong to an earlier start.

use std::sync::LazyLock;

use regex::{Regex, RegexBuilder};

use crate::catalog::LogPatterns;
use crate::path::fold;
use upright_spanner_image::Version;

/// So much of a line is quoted.
const LONGEST_QUOTE: usize = 160;

/// The statements of a log.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(super) struct Said {
    /// The version that the component states.
    pub version: Option<String>,
    /// The line that says something: that with the version, or that with the error.
    pub line: Option<String>,
    /// What went wrong, in the log's words.
    pub error: Option<String>,
    /// Whether that is that the game's executable is not known.
    pub unknown_game: bool,
    /// Whether the version is one of those that were fitted.
    pub agrees: bool,
}

/// What lines say by a catalog's patterns.
pub(super) fn by_patterns(
    lines: &[String],
    patterns: &LogPatterns,
    fitted: &[Version],
) -> Option<Said> {
    let stated = patterns.version.as_ref().and_then(|pattern| {
        let found = |(at, line): (usize, &String)| Some((at, quoted_by(pattern, line)?));
        lines.iter().enumerate().rev().find_map(found)
    });
    let since = stated.as_ref().map_or(0, |(at, _)| *at);
    let error = lines[since..].iter().find_map(|line| {
        let unknown = patterns.unknown_game.as_ref().and_then(|pattern| quoted_by(pattern, line));
        let is_unknown = unknown.is_some();
        let error = || patterns.errors.iter().find_map(|pattern| quoted_by(pattern, line));
        Some((unknown.or_else(error)?, is_unknown))
    });
    if stated.is_none() && error.is_none() {
        return None;
    }
    let line = stated.as_ref().map(|(at, _)| quote(&lines[*at]));
    let version = stated.map(|(_, version)| version);
    let agrees = version.as_ref().is_some_and(|version| is_one_of(version, fitted));
    let (error, unknown_game) =
        error.map_or((None, false), |(text, unknown)| (Some(text), unknown));
    Some(Said { version, line, error, unknown_game, agrees })
}

/// The match of a pattern's first group in a line, or the whole match.
fn quoted_by(pattern: &Regex, line: &str) -> Option<String> {
    let found = pattern.captures(line)?;
    let text = found.get(1).or_else(|| found.get(0))?.as_str();
    Some(if text.trim().is_empty() { quote(line) } else { quote(text) })
}

/// Whether a stated version is one of some others, with more or fewer numbers.
fn is_one_of(stated: &str, versions: &[Version]) -> bool {
    let stated: Option<Version> = stated.trim_start_matches(['v', 'V']).parse().ok();
    stated.is_some_and(|stated| {
        let agrees = |other: &Version| other.begins_with(&stated) || stated.begins_with(other);
        versions.iter().any(agrees)
    })
}

/// A text as it is quoted: in one line, and short.
pub(super) fn quote(text: &str) -> String {
    let words: Vec<&str> = text.split_whitespace().collect();
    let text = words.join(" ");
    match text.char_indices().nth(LONGEST_QUOTE) {
        Some((end, _)) => format!("{}...", &text[..end]),
        None => text,
    }
}

/// The names of a component, to recognise it in a log that no catalog describes.
#[derive(Debug, Clone)]
pub(super) struct Names {
    names: Vec<String>,
    /// Finds one of them with a version behind it.
    stated: Option<Regex>,
}

/// A shorter name is part of too many words.
const SHORTEST_NAME: usize = 3;

/// How a line begins that says that something is wrong, behind a date and the like.
static ERROR: LazyLock<Option<Regex>> =
    LazyLock::new(|| expression(r"^[\W\d]*(?:t\d[\d:.]*\W+)?(?:\w+\W+)?(?:error|fatal)\b"));

/// How a line says that a component does not know the game: both words in either order.
static UNKNOWN_GAME: LazyLock<Option<Regex>> = LazyLock::new(|| {
    let unknown =
        r"\b(?:un(?:supported|known|recogni[sz]ed)|not (?:supported|known)|incompatible)\b";
    let game = r"(?:version|executable|\.exe)";
    expression(&format!("{unknown}.*{game}|{game}.*{unknown}"))
});

fn expression(text: &str) -> Option<Regex> {
    RegexBuilder::new(text).case_insensitive(true).build().ok()
}

impl Names {
    /// Takes up names.
    pub fn new<'a>(names: impl IntoIterator<Item = &'a str>) -> Self {
        let mut names: Vec<String> = names.into_iter().map(fold).collect();
        names.retain(|name| name.len() >= SHORTEST_NAME);
        names.sort();
        names.dedup();
        let any = names.iter().map(|name| regex::escape(name)).collect::<Vec<_>>().join("|");
        // Words for its kind, or that its version follows, may be between its name and the version.
        let what = "dll|version|ver|build|release|runtime|loader|plugin|overlay|extender|wrapper|v";
        let between = r"[\s:.,()\[\]_\-]*";
        let behind = format!(r"(?:{between}\b(?:{what})\b)*{between}v?(\d+(?:\.\d+)+)");
        let stated = format!(r"\b(?:{any})\b{behind}");
        let expression = |text: &str| RegexBuilder::new(text).case_insensitive(true).build().ok();
        let stated = if names.is_empty() { None } else { expression(&stated) };
        Self { names, stated }
    }

    /// Whether a text has one of them.
    pub fn are_in(&self, text: &str) -> bool {
        let text = fold(text);
        let is_word = |at: usize, name: &str| {
            let before = text[..at].chars().next_back();
            let after = text[at + name.len()..].chars().next();
            ![before, after].into_iter().flatten().any(char::is_alphabetic)
        };
        self.names
            .iter()
            .any(|name| text.match_indices(name.as_str()).any(|(at, _)| is_word(at, name)))
    }

    /// What lines say, as far as it shows without a description; `is_own` says that the log is that of the
    /// component, by its name.
    pub fn said_in(&self, lines: &[String], is_own: bool, fitted: &[Version]) -> Option<Said> {
        let is_about = |line: &str| is_own || self.are_in(line);
        let agreeing = |line: &str| {
            let version = versions_in(line).find(|version| is_one_of(version, fitted))?;
            is_about(line).then(|| (version.to_owned(), true))
        };
        let stating = |line: &str| {
            let found = self.stated.as_ref()?.captures(line)?;
            Some((found.get(1)?.as_str().to_owned(), false))
        };
        let stated = lines.iter().enumerate().rev().find_map(|(at, line)| {
            let (version, agrees) = agreeing(line).or_else(|| stating(line))?;
            Some((at, version, agrees))
        });
        let since = stated.as_ref().map_or(0, |(at, _, _)| *at);
        let matches = |pattern: &LazyLock<Option<Regex>>, line: &str| {
            pattern.as_ref().is_some_and(|pattern| pattern.is_match(line))
        };
        let error = lines[since..].iter().find_map(|line| {
            let unknown = is_about(line) && matches(&UNKNOWN_GAME, line);
            (unknown || is_about(line) && matches(&ERROR, line)).then(|| (quote(line), unknown))
        });
        if stated.is_none() && error.is_none() {
            return None;
        }
        let (error, unknown_game) =
            error.map_or((None, false), |(text, unknown)| (Some(text), unknown));
        let (line, version, agrees) = match stated {
            Some((at, version, agrees)) => (Some(quote(&lines[at])), Some(version), agrees),
            None => (None, None, false),
        };
        Some(Said { version, line, error, unknown_game, agrees })
    }
}

/// What in a line could be a version: numbers with points between them.
fn versions_in(line: &str) -> impl Iterator<Item = &str> {
    let words = line.split(|c: char| !c.is_ascii_digit() && c != '.');
    words.map(|word| word.trim_matches('.')).filter(|word| word.contains('.'))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn lines(text: &str) -> Vec<String> {
        text.lines().map(str::to_owned).collect()
    }

    static NAMES: LazyLock<Names> = LazyLock::new(|| Names::new(["reed", "Reed script extender"]));

    fn fitted() -> Vec<Version> {
        vec!["2.4.1".parse().unwrap()]
    }

    /// The version, whether it agrees, and whether there is an error.
    type Judgement<'a> = (Option<&'a str>, bool, bool);

    #[test]
    fn what_is_not_described_is_judged_with_care() {
        // The text, whether the log has the component's name, and the expected result.
        let cases: [(&str, bool, Option<Judgement<'_>>); 15] = [
            ("Reed 2.4.1 ready", false, Some((Some("2.4.1"), true, false))),
            ("[11:20:31.442] reed.dll v2.4.1", false, Some((Some("2.4.1"), true, false))),
            ("version: 2.4.1", true, Some((Some("2.4.1"), true, false))),
            ("version: 2.4.1", false, None),
            ("Reed version 2.3.0", false, Some((Some("2.3.0"), false, false))),
            // The version of something else does not count.
            ("reed attached to game 4.5.3", true, None),
            ("2026.11.27 started", true, None),
            ("reeds 2.3.0", false, None),
            ("Reed plugin loader, version 2.3.0", false, Some((Some("2.3.0"), false, false))),
            // Only lines after the last start count.
            ("error: old\nReed 2.4.1\nready", true, Some((Some("2.4.1"), true, false))),
            ("Reed 2.4.1\n[12:01] ERROR no scripts", true, Some((Some("2.4.1"), true, true))),
            ("Reed 2.4.1\nsome other error in a file", true, Some((Some("2.4.1"), true, false))),
            ("Fatal: cannot go on", true, Some((None, false, true))),
            ("Fatal: cannot go on", false, None),
            ("reed: game executable version is unsupported", false, Some((None, false, true))),
        ];
        for (text, is_own, wanted) in cases {
            let said = NAMES.said_in(&lines(text), is_own, &fitted());
            let got = said
                .as_ref()
                .map(|said| (said.version.as_deref(), said.agrees, said.error.is_some()));
            assert_eq!(got, wanted, "{text}");
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::default() })]

        #[test]
        fn whatever_stands_there_is_quoted_short_and_in_one_line(
            text in "(?s).{0,400}", is_own: bool, before in "(?s).{0,60}",
        ) {
            let all = lines(&format!("{before}\n{text}"));
            if let Some(said) = NAMES.said_in(&all, is_own, &fitted()) {
                for quoted in said.line.iter().chain(&said.error) {
                    prop_assert!(quoted.chars().count() <= LONGEST_QUOTE + 3);
                    prop_assert!(!quoted.contains(['\n', '\r']));
                }
            }
        }

        #[test]
        fn the_last_start_is_found_wherever_it_stands(
            before in prop::collection::vec("[a-z ]{0,30}", 0..20),
            after in prop::collection::vec("[a-c ]{0,30}", 0..20),
        ) {
            let start = ["Reed 2.3.0".to_owned(), "error: then".to_owned(), "Reed 2.4.1".to_owned()];
            let all: Vec<String> = before.into_iter().chain(start).chain(after).collect();
            let said = NAMES.said_in(&all, true, &fitted()).unwrap();
            prop_assert_eq!(said.version.as_deref(), Some("2.4.1"));
            prop_assert!(said.agrees && said.error.is_none());
        }
    }
}
