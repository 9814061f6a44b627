//! Version numbers as authors write them, ordered as people mean them.
//!
//! The grammar: an optional `v` or `version`, numbers between dots, underscores or commas, then an
//! optional stage. `rc1`, `b3`, `beta`, `alpha2`, `pre`, `dev` come before the release of the same
//! numbers; a lone letter (`1.0.2k`) and `p1`, `patch2`, `hotfix1`, `post1` come after it. Missing
//! numbers count as zero, so `2.1` equals `2.1.0.0`. Anything behind the stage is ignored.

use std::cmp::Ordering;
use std::fmt;
use std::hash::{Hash, Hasher};
use std::str::FromStr;

use serde::{Deserialize, Deserializer, Serialize, Serializer};

/// A version: its numbers and the stage it was released at.
#[derive(Debug, Clone)]
pub struct Version {
    numbers: Vec<u64>,
    stage: Stage,
}

/// Declared in ascending order: a stage before the release, the release, a patch after it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
enum Stage {
    Dev(u64),
    Alpha(u64),
    Beta(u64),
    Preview(u64),
    Candidate(u64),
    Release,
    Patch(u64),
    Letter(char),
}

/// A text in which no version was found.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("`{0}` is not a version: it should look like 2.1, 8.3.2210.0 or 3.0-rc1")]
pub struct NotAVersion(String);

impl Version {
    /// The version of a fixed block (four 16-bit numbers, most significant first).
    pub fn from_fixed(fixed: [u16; 4]) -> Self {
        let numbers = fixed.iter().map(|&n| u64::from(n)).collect();
        Self { numbers, stage: Stage::Release }
    }

    /// The same version without a zero in the fourth place, which is how people write it.
    #[must_use]
    pub fn shortened(mut self) -> Self {
        while self.numbers.len() > 3 && self.numbers.last() == Some(&0) {
            self.numbers.pop();
        }
        self
    }

    /// The same version without zeros at either end, as people say it: `0.31.4.0` is 31.4 to them.
    #[must_use]
    pub fn in_short(&self) -> Self {
        let significant = self.significant();
        let zeros = significant.iter().take_while(|&&n| n == 0).count();
        let numbers = significant[zeros..].to_vec();
        let numbers = if numbers.is_empty() { vec![0] } else { numbers };
        Self { numbers, stage: self.stage }
    }

    /// The numbers, most significant first; at least one.
    pub fn numbers(&self) -> &[u64] {
        &self.numbers
    }

    /// Whether it was released before the release of its numbers: a beta, a candidate, ...
    pub fn is_prerelease(&self) -> bool {
        self.stage < Stage::Release
    }

    /// Whether the numbers of both are the same, whatever the stage.
    pub fn same_numbers(&self, other: &Self) -> bool {
        self.significant() == other.significant()
    }

    /// Whether the version begins with the numbers of a key, as many as that has; those that are missing
    /// count as zero.
    pub fn begins_with(&self, key: &Self) -> bool {
        self.first(key.numbers.len()) == key.numbers
    }

    /// So many of its numbers; those that are missing count as zero.
    pub(crate) fn first(&self, count: usize) -> Vec<u64> {
        self.numbers.iter().copied().chain(std::iter::repeat(0)).take(count).collect()
    }

    /// Finds a version of at least `least` numbers inside a name such as `tool_22_4_7` or
    /// `pack-v0.3.1-x64`. Gives it with the part of the name before it.
    pub fn find_in(name: &str, least: usize) -> Option<(&str, Self)> {
        let digits = |c: char| c.is_ascii_digit();
        let mut from = 0;
        while let Some(start) = name[from..].find(digits).map(|at| from + at) {
            let before = &name[..start];
            let lead = before.strip_suffix(['v', 'V']).unwrap_or(before);
            let fresh = lead.is_empty() || lead.ends_with(['-', '_', ' ', '.', '(']);
            let version = name[start..].parse::<Self>().ok();
            let version = version.filter(|v| fresh && v.numbers.len() >= least);
            if let Some(version) = version {
                return Some((lead.trim_end_matches(['-', '_', ' ', '.', '(']), version));
            }
            let run = name[start..].find(|c| !digits(c)).unwrap_or(name.len() - start);
            from = start + run;
        }

        None
    }

    /// The numbers without zeros at the end, which say nothing.
    fn significant(&self) -> &[u64] {
        let len = self.numbers.iter().rposition(|&n| n != 0).map_or(0, |at| at + 1);
        &self.numbers[..len]
    }
}

impl FromStr for Version {
    type Err = NotAVersion;

    fn from_str(text: &str) -> Result<Self, NotAVersion> {
        parse(text).ok_or_else(|| NotAVersion(text.chars().take(80).collect()))
    }
}

fn parse(text: &str) -> Option<Version> {
    let mut rest = strip_word(text.trim());
    let mut numbers = Vec::new();
    loop {
        let (number, behind) = take_number(rest)?;
        numbers.push(number);
        rest = behind;
        match next_number(rest) {
            Some(next) => rest = next,
            None => break,
        }
    }

    Some(Version { numbers, stage: parse_stage(rest) })
}

/// Takes `v`, `version`, `release` and the like off the front, if a number follows.
fn strip_word(text: &str) -> &str {
    let word = text.find(|c: char| !c.is_ascii_alphabetic()).unwrap_or(0);
    let known = ["v", "ver", "version", "release", "build", "r"];
    if known.iter().any(|k| text[..word].eq_ignore_ascii_case(k)) {
        text[word..].trim_start_matches([' ', '.', '-', '_', ':'])
    } else {
        text
    }
}

fn take_number(text: &str) -> Option<(u64, &str)> {
    let len = text.find(|c: char| !c.is_ascii_digit()).unwrap_or(text.len());
    let digits = &text[..len];
    (len > 0).then(|| (digits.parse().unwrap_or(u64::MAX), &text[len..]))
}

/// What follows a separator, if a number does: `.4`, `_4`, `, 4`, ` . 4`.
fn next_number(text: &str) -> Option<&str> {
    let behind = text.trim_start().strip_prefix(['.', ',', '_'])?.trim_start();
    behind.starts_with(|c: char| c.is_ascii_digit()).then_some(behind)
}

fn parse_stage(text: &str) -> Stage {
    let text = text.trim_start_matches([' ', '-', '_', '.', '~']);
    let len = text.find(|c: char| !c.is_ascii_alphabetic()).unwrap_or(text.len());
    let (word, rest) = text.split_at(len);
    let counted = rest.trim_start_matches([' ', '-', '_', '.']);
    let number = take_number(counted).map(|(number, _)| number);
    let n = number.unwrap_or(0);

    match word.to_ascii_lowercase().as_str() {
        "dev" | "nightly" | "snapshot" => Stage::Dev(n),
        "alpha" => Stage::Alpha(n),
        "a" if number.is_some() => Stage::Alpha(n),
        "beta" => Stage::Beta(n),
        "b" if number.is_some() => Stage::Beta(n),
        "pre" | "preview" | "prerelease" => Stage::Preview(n),
        "rc" | "cr" => Stage::Candidate(n),
        "p" | "patch" | "hotfix" | "fix" | "sp" | "post" | "rev" if number.is_some() => {
            Stage::Patch(n)
        }
        letter if letter.len() == 1 && number.is_none() => {
            letter.chars().next().map_or(Stage::Release, Stage::Letter)
        }
        _ => Stage::Release,
    }
}

impl Ord for Version {
    fn cmp(&self, other: &Self) -> Ordering {
        self.significant().cmp(other.significant()).then(self.stage.cmp(&other.stage))
    }
}

impl PartialOrd for Version {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl PartialEq for Version {
    fn eq(&self, other: &Self) -> bool {
        self.cmp(other) == Ordering::Equal
    }
}

impl Eq for Version {}

impl Hash for Version {
    fn hash<H: Hasher>(&self, state: &mut H) {
        self.significant().hash(state);
        self.stage.hash(state);
    }
}

impl fmt::Display for Version {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let numbers: Vec<String> = self.numbers.iter().map(u64::to_string).collect();
        let mut text = numbers.join(".");
        let (word, number) = match self.stage {
            Stage::Release => ("", 0),
            Stage::Letter(letter) => {
                text.push(letter);
                ("", 0)
            }
            Stage::Dev(n) => ("-dev", n),
            Stage::Alpha(n) => ("-alpha", n),
            Stage::Beta(n) => ("-beta", n),
            Stage::Preview(n) => ("-pre", n),
            Stage::Candidate(n) => ("-rc", n),
            Stage::Patch(n) => ("-p", n),
        };
        text.push_str(word);
        if number > 0 || self.stage == Stage::Patch(0) {
            text.push_str(&number.to_string());
        }
        f.pad(&text)
    }
}

impl Serialize for Version {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for Version {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        String::deserialize(deserializer)?.parse().map_err(serde::de::Error::custom)
    }
}
