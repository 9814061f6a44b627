//! Which versions something supports, as people write it.
//!
//! Alternatives between commas, each a version (`8.3.2210`), a wildcard (`8.3.*`), a range with both
//! ends in it (`7.9 - 8.2.400` or `7.9..8.2.400`), or comparisons that all must hold
//! (`>=7.5 <8.3.2100`). Missing numbers count as zero, as everywhere.

use std::fmt;
use std::str::FromStr;

use serde::{Deserialize, Deserializer, Serialize, Serializer};

use crate::version::Version;

/// A set of versions.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Requirement {
    alternatives: Vec<Vec<Test>>,
    text: String,
}

/// The relation of a version to a requirement.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Coverage {
    /// It is among the versions.
    Inside,
    /// It is newer than all of them.
    TooNew,
    /// It is older than all of them.
    TooOld,
    /// Between the listed versions.
    Between,
}

#[derive(Debug, Clone, PartialEq, Eq)]
enum Test {
    Exactly(Version),
    /// Every version that begins with these numbers.
    Beginning(Version),
    AtLeast(Version),
    MoreThan(Version),
    AtMost(Version),
    LessThan(Version),
}

/// A text that is not a requirement.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error(
    "`{0}` says no versions: write 8.3.2210, 8.3.*, 7.9 - 8.2.400 or >=7.5 <8.3.2100, and commas \
     between alternatives"
)]
pub struct NotARequirement(String);

impl Requirement {
    /// The relation of a version to the set.
    pub fn check(&self, version: &Version) -> Coverage {
        let holds = |tests: &Vec<Test>| tests.iter().all(|test| test.holds(version));
        if self.alternatives.iter().any(holds) {
            return Coverage::Inside;
        }
        // A version beyond every alternative fails an upper bound of each; one before, a lower.
        let all = |fails: fn(&Test, &Version) -> bool| {
            self.alternatives.iter().all(|tests| tests.iter().any(|test| fails(test, version)))
        };
        match (all(Test::is_exceeded_by), all(Test::is_not_reached_by)) {
            (true, false) => Coverage::TooNew,
            (false, true) => Coverage::TooOld,
            _ => Coverage::Between,
        }
    }

    /// Whether a version is in the set.
    pub fn includes(&self, version: &Version) -> bool {
        self.check(version) == Coverage::Inside
    }
}

impl Test {
    fn holds(&self, version: &Version) -> bool {
        match self {
            Self::Exactly(wanted) => version == wanted,
            Self::Beginning(wanted) => beginning(version, wanted) == wanted.numbers(),
            Self::AtLeast(least) => version >= least,
            Self::MoreThan(bound) => version > bound,
            Self::AtMost(most) => version <= most,
            Self::LessThan(bound) => version < bound,
        }
    }

    fn is_exceeded_by(&self, version: &Version) -> bool {
        match self {
            Self::Exactly(bound) | Self::AtMost(bound) => version > bound,
            Self::LessThan(bound) => version >= bound,
            Self::Beginning(wanted) => beginning(version, wanted).as_slice() > wanted.numbers(),
            Self::AtLeast(_) | Self::MoreThan(_) => false,
        }
    }

    fn is_not_reached_by(&self, version: &Version) -> bool {
        match self {
            Self::Exactly(bound) | Self::AtLeast(bound) => version < bound,
            Self::MoreThan(bound) => version <= bound,
            Self::Beginning(wanted) => beginning(version, wanted).as_slice() < wanted.numbers(),
            Self::AtMost(_) | Self::LessThan(_) => false,
        }
    }
}

/// As many numbers of a version as another has.
fn beginning(version: &Version, wanted: &Version) -> Vec<u64> {
    version.first(wanted.numbers().len())
}

impl From<Version> for Requirement {
    /// That version alone.
    fn from(version: Version) -> Self {
        let text = version.to_string();
        Self { alternatives: vec![vec![Test::Exactly(version)]], text }
    }
}

impl FromStr for Requirement {
    type Err = NotARequirement;

    fn from_str(text: &str) -> Result<Self, NotARequirement> {
        let wrong = || NotARequirement(text.chars().take(80).collect());
        let alternatives: Option<Vec<Vec<Test>>> =
            text.split(',').map(|part| alternative(part.trim())).collect();
        let alternatives = alternatives.ok_or_else(wrong)?;
        Ok(Self { alternatives, text: text.trim().to_owned() })
    }
}

fn alternative(text: &str) -> Option<Vec<Test>> {
    if let Some((from, to)) = text.split_once("..").or_else(|| text.split_once(" - ")) {
        return Some(vec![Test::AtLeast(version(from)?), Test::AtMost(version(to)?)]);
    }
    // A sign may be separated from its version by blanks.
    let mut joined = text.to_owned();
    for sign in [">=", "<=", ">", "<", "="] {
        joined = joined.replace(&format!("{sign} "), sign);
    }
    let tests: Option<Vec<Test>> = joined.split_whitespace().map(test).collect();
    tests.filter(|tests| !tests.is_empty())
}

fn test(text: &str) -> Option<Test> {
    let sign = text.find(|c| !matches!(c, '<' | '>' | '=')).unwrap_or(text.len());
    let (sign, rest) = text.split_at(sign);
    let wildcard = rest.strip_suffix(".*").or_else(|| rest.strip_suffix(".x"));
    match (sign, wildcard) {
        ("", Some(beginning)) => version(beginning).map(Test::Beginning),
        ("" | "=", None) => version(rest).map(Test::Exactly),
        (">=", None) => version(rest).map(Test::AtLeast),
        (">", None) => version(rest).map(Test::MoreThan),
        ("<=", None) => version(rest).map(Test::AtMost),
        ("<", None) => version(rest).map(Test::LessThan),
        _ => None,
    }
}

/// A version, with nothing behind it that the grammar of versions would pass over.
fn version(text: &str) -> Option<Version> {
    let text = text.trim();
    let plain = text.chars().all(|c| c.is_ascii_alphanumeric() || "._-".contains(c));
    text.parse().ok().filter(|_| plain)
}

impl fmt::Display for Requirement {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(&self.text)
    }
}

impl Serialize for Requirement {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for Requirement {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        String::deserialize(deserializer)?.parse().map_err(serde::de::Error::custom)
    }
}
