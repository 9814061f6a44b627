//! A text's statements about the supported versions of the game: ranges, lists, "or newer", "up to", "not compatible
//! with", as authors write them.
//!
//! No library reads such sentences; it is a small grammar over words and versions.

use std::sync::LazyLock;

use regex::Regex;

use upright_spanner_image::{Requirement, Version};

/// A sentence that names versions of the game.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Statement {
    /// The versions.
    pub supports: Requirement,
    /// The line, as it is in the text.
    pub line: String,
}

/// The first line of a text that says which versions of the game something is for; failing that, the first
/// that says for which it is not.
pub fn stated_support(text: &str) -> Option<Statement> {
    let mut refused = None;
    for line in text.lines() {
        let Some((versions, is_refusal)) = sentence(line) else { continue };
        let Ok(supports) = versions.parse() else { continue };
        let statement = Statement { supports, line: line.trim().to_owned() };
        if !is_refusal {
            return Some(statement);
        }
        refused = refused.or(Some(statement));
    }
    refused
}

/// A word, a sign or a version of a sentence.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Token {
    Word(String),
    Version(String),
    /// `4.5+`
    VersionAndLater(String),
    Sign(char),
}

fn tokens(line: &str) -> Vec<Token> {
    static PARTS: LazyLock<Option<Regex>> = LazyLock::new(|| {
        let version = r"\bv?(?<version>\d+(?:\.\d+)+(?:\.[x*])?)(?<plus>\+)?";
        Regex::new(&format!(r"(?i){version}|(?<word>[\p{{L}}']+)|(?<sign>[-–—,;:/&.<>=])")).ok()
    });
    let Some(parts) = PARTS.as_ref() else { return Vec::new() };
    let token = |part: regex::Captures<'_>| {
        let text = |name: &str| part.name(name).map(|found| found.as_str().to_lowercase());
        if let Some(version) = text("version") {
            let version = version.replace(".x", ".*");
            let is_open = part.name("plus").is_some();
            return Some(if is_open {
                Token::VersionAndLater(version)
            } else {
                Token::Version(version)
            });
        }
        let sign = || text("sign").and_then(|sign| sign.chars().next()).map(Token::Sign);
        text("word").map(Token::Word).or_else(sign)
    };
    parts.captures_iter(line).filter_map(token).collect()
}

/// The words that a sentence needs before its first version.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Wants {
    /// Nothing more.
    Nothing,
    /// That it is about the game: other things are required, too.
    TheGame,
    /// That, or versions without an end: much is `for 3.1`.
    TheGameOrAnOpenEnd,
}

/// Words between the verb and the versions that say what these are of.
const OF_THE_GAME: [&str; 6] = ["game", "version", "versions", "executable", "exe", "runtime"];
/// Words that may come in between.
const FILLERS: [&str; 13] = [
    "the",
    "at",
    "of",
    "with",
    "only",
    "following",
    "game's",
    "games",
    "all",
    "any",
    "these",
    "is",
    "are",
];

/// The versions that a line names, as a requirement, and whether it is one that refuses them.
fn sentence(line: &str) -> Option<(String, bool)> {
    let tokens = tokens(line);
    (0..tokens.len()).find_map(|at| {
        let Token::Word(word) = &tokens[at] else { return None };
        let wants = match word.as_str() {
            "supports" | "support" | "supported" | "compatible" | "incompatible" => Wants::Nothing,
            "works" | "work" | "tested" | "requires" | "require" | "required" | "needs"
            | "made" => Wants::TheGame,
            "for" => Wants::TheGameOrAnOpenEnd,
            _ => return None,
        };
        let before = &tokens[at.saturating_sub(3)..at];
        let is_no = |token: &Token| {
            let Token::Word(word) = token else { return false };
            ["not", "no", "doesn't", "isn't", "won't", "never", "un"].contains(&word.as_str())
        };
        let is_refusal = word == "incompatible" || before.iter().any(is_no);
        let versions = versions_behind(&tokens[at + 1..], wants)?;
        Some((if is_refusal { without(&versions)? } else { versions.join(", ") }, is_refusal))
    })
}

/// The versions behind a verb, one alternative each.
fn versions_behind(tokens: &[Token], wants: Wants) -> Option<Vec<String>> {
    let is_start = |token: &Token| match token {
        Token::Version(_) | Token::VersionAndLater(_) => true,
        Token::Word(word) if word == "up" => true,
        _ => opening(token).is_some(),
    };
    let start = tokens.iter().position(is_start)?;
    let mut is_of_the_game = false;
    for token in &tokens[..start] {
        match token {
            Token::Word(word) if OF_THE_GAME.contains(&word.as_str()) => is_of_the_game = true,
            Token::Word(word) if FILLERS.contains(&word.as_str()) => {}
            Token::Sign(':' | '=') => {}
            // A name is there, as that of the game: what follows says whether it is.
            Token::Word(_) if start <= LONGEST_NAME => is_of_the_game = false,
            _ => return None,
        }
    }

    let plain = tokens[..start].iter().all(|token| match token {
        Token::Word(word) => {
            OF_THE_GAME.contains(&word.as_str()) || FILLERS.contains(&word.as_str())
        }
        _ => true,
    });
    let (versions, rest) = expression(&tokens[start..])?;
    // `3.2 of the game` says it behind.
    let behind = rest
        .iter()
        .take(3)
        .any(|token| matches!(token, Token::Word(word) if word == "game" || word == "executable"));
    let is_of_the_game = is_of_the_game || behind;
    let is_open = versions.iter().any(|version| !version.starts_with(|c: char| c.is_ascii_digit()));
    let is_meant = match wants {
        _ if !plain && !is_of_the_game => false,
        Wants::Nothing => true,
        Wants::TheGame => is_of_the_game,
        Wants::TheGameOrAnOpenEnd => is_of_the_game || is_open && plain,
    };
    is_meant.then_some(versions)
}

/// Words between a verb and a version that may be a name: games have longer ones, and authors shorten them.
const LONGEST_NAME: usize = 6;

/// A bound before a version.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Bound {
    AtLeast,
    AtMost,
    MoreThan,
    LessThan,
}

/// The bound that a word or a sign opens.
fn opening(token: &Token) -> Option<Bound> {
    let Token::Word(word) = token else {
        return match token {
            Token::Sign('>') => Some(Bound::MoreThan),
            Token::Sign('<') => Some(Bound::LessThan),
            _ => None,
        };
    };
    match word.as_str() {
        "from" | "since" | "least" | "between" | "starting" => Some(Bound::AtLeast),
        "until" | "till" | "most" | "through" | "upto" => Some(Bound::AtMost),
        "before" | "older" | "below" | "earlier" | "under" => Some(Bound::LessThan),
        "after" | "newer" | "above" | "later" | "beyond" => Some(Bound::MoreThan),
        _ => None,
    }
}

/// Reads versions with their bounds; gives what follows them.
fn expression(tokens: &[Token]) -> Option<(Vec<String>, &[Token])> {
    let mut alternatives: Vec<String> = Vec::new();
    let mut bound: Option<Bound> = None;
    let mut is_range = false;
    let mut at = 0;
    while let Some(token) = tokens.get(at) {
        at += 1;
        match token {
            Token::Version(version) => {
                match alternatives.last_mut() {
                    Some(last) if is_range => *last = range_to(last, version)?,
                    _ => alternatives.push(bounded(bound, version)),
                }
                (bound, is_range) = (None, false);
            }
            Token::VersionAndLater(version) => alternatives.push(format!(">={version}")),
            Token::Sign('=') => {
                bound = match bound {
                    Some(Bound::MoreThan) => Some(Bound::AtLeast),
                    Some(Bound::LessThan) => Some(Bound::AtMost),
                    other => other,
                };
            }
            Token::Sign('-' | '–' | '—') if !alternatives.is_empty() => is_range = true,
            Token::Sign(',' | '/' | '&') => {}
            Token::Sign(_) if opening(token).is_some() => bound = opening(token),
            Token::Sign(_) => return finished(alternatives, &tokens[at - 1..]),
            Token::Word(word) => match (word.as_str(), tokens.get(at)) {
                ("or" | "and", Some(Token::Word(next))) if is_later(next) => {
                    bound_last(&mut alternatives, ">=")?;
                    at += 1;
                }
                ("or" | "and", Some(Token::Word(next))) if is_earlier(next) => {
                    bound_last(&mut alternatives, "<=")?;
                    at += 1;
                }
                // `between 4.5 and 4.6`
                ("and", Some(Token::Version(_)))
                    if alternatives.last().is_some_and(|last| last.starts_with(">=")) =>
                {
                    is_range = true;
                }
                ("to" | "through" | "until" | "till", _) if !alternatives.is_empty() => {
                    is_range = true;
                }
                ("up", Some(Token::Word(next))) if next == "to" => {
                    at += 1;
                    if alternatives.is_empty() {
                        bound = Some(Bound::AtMost);
                    } else {
                        is_range = true;
                    }
                }
                ("onwards" | "onward" | "upwards" | "up", _) if !alternatives.is_empty() => {
                    bound_last(&mut alternatives, ">=")?;
                }
                ("or" | "and" | "than" | "version" | "versions" | "with" | "v", _) => {}
                _ if opening(token).is_some() => bound = opening(token),
                _ if alternatives.is_empty() => {}
                _ => return finished(alternatives, &tokens[at - 1..]),
            },
        }
    }
    finished(alternatives, &[])
}

fn finished(alternatives: Vec<String>, rest: &[Token]) -> Option<(Vec<String>, &[Token])> {
    (!alternatives.is_empty()).then_some((alternatives, rest))
}

fn is_later(word: &str) -> bool {
    ["newer", "later", "above", "higher", "up", "upwards", "onward", "onwards", "greater"]
        .contains(&word)
}

fn is_earlier(word: &str) -> bool {
    ["older", "earlier", "below", "lower", "less"].contains(&word)
}

fn bounded(bound: Option<Bound>, version: &str) -> String {
    let sign = match bound {
        None => "",
        Some(Bound::AtLeast) => ">=",
        Some(Bound::AtMost) => "<=",
        Some(Bound::MoreThan) => ">",
        Some(Bound::LessThan) => "<",
    };
    format!("{sign}{version}")
}

/// A range from the last version to this one.
fn range_to(last: &str, version: &str) -> Option<String> {
    let from = last.trim_start_matches(">=");
    if !from.starts_with(|c: char| c.is_ascii_digit()) || from.contains(['*', ' ']) {
        return None;
    }
    // `4.5 to 4.6.x` ends with the last of these.
    Some(match version.strip_suffix(".*") {
        Some(_) => format!(">={from}, {version}"),
        None => format!("{from} - {version}"),
    })
}

fn bound_last(alternatives: &mut [String], sign: &str) -> Option<()> {
    let last = alternatives.last_mut()?;
    if !last.starts_with(|c: char| c.is_ascii_digit()) {
        return None;
    }
    *last = format!("{sign}{}", last.trim_end_matches(".*"));
    Some(())
}

/// All versions except some: the ranges around them.
fn without(versions: &[String]) -> Option<String> {
    let [one] = versions else {
        let plain: Option<Vec<Version>> = versions.iter().map(|text| text.parse().ok()).collect();
        let mut plain =
            plain.filter(|_| versions.iter().all(|text| !text.contains(['*', '-', ' '])))?;
        plain.sort();
        let first = format!("<{}", plain.first()?);
        let between = plain.windows(2).map(|pair| format!(">{} <{}", pair[0], pair[1]));
        let last = format!(">{}", plain.last()?);
        return Some([vec![first], between.collect(), vec![last]].concat().join(", "));
    };
    if let Some((from, to)) = one.split_once(" - ") {
        return Some(format!("<{from}, >{to}"));
    }
    Some(match one.as_str() {
        text if text.starts_with(">=") => format!("<{}", &text[2..]),
        text if text.starts_with("<=") => format!(">{}", &text[2..]),
        text if text.starts_with('>') => format!("<={}", &text[1..]),
        text if text.starts_with('<') => format!(">={}", &text[1..]),
        text if text.contains('*') => return None,
        text => format!("<{text}, >{text}"),
    })
}
