//! The name of a build: family, version, variant and edition, from its files, its package's name and its texts.

use std::sync::LazyLock;

use regex::Regex;

use super::variants::{GRAPHICS, without_machine};
use crate::catalog::{family_of, slug};
use crate::path::{fold, stem};
use upright_spanner_image::{Facts, Machine, Version};

/// Words in a folder's or an archive's name that say no more than the file itself does.
const PLAIN_WORDS: [&str; 19] = [
    "x64", "x86", "win64", "win32", "amd64", "arm64", "x86_64", "arm", "other", "64", "32",
    "64bit", "32bit", "bin", "main", "release", "debug", "for", "edition",
];

/// What distinguishes a build from others of its version.
#[derive(Debug, Clone, Copy)]
pub(super) struct Distinction<'a> {
    pub machine: Option<Machine>,
    /// The label among the variants of its package.
    pub label: Option<&'a str>,
    pub edition: Option<&'a str>,
    pub is_debug: bool,
    /// The names of the package and of the folders that everything in it is in.
    pub package: &'a str,
}

impl Distinction<'_> {
    /// The name of the variant; none if it is the usual one.
    pub fn variant(&self) -> Option<String> {
        let unusual = self.machine.filter(|machine| *machine != Machine::X86_64);
        let machine = unusual.map(|machine| machine.name().to_owned());
        let label = self.label.unwrap_or_default();
        // What tells the game's version apart is one word with numbers in it.
        let (label, key) = match label.split_once("for-") {
            Some((label, key)) => (label, Some(format!("for-{key}"))),
            None => (label, None),
        };
        let mut place = telling(label);
        if place.is_empty() {
            place.extend(telling(self.package).into_iter().filter(|w| GRAPHICS.contains(&&**w)));
        }
        if let Some(edition) = self.edition.map(slug).filter(|edition| !place.contains(edition)) {
            place.push(edition);
        }
        place.extend(key);
        let debug = self.is_debug.then(|| "debug".to_owned());
        let words: Vec<String> = machine.into_iter().chain(place).chain(debug).collect();
        (!words.is_empty()).then(|| words.join("-"))
    }
}

/// The words of a name that say something, in lower case.
fn telling(name: &str) -> Vec<String> {
    let words = name.split(|c: char| !c.is_alphanumeric() && c != '_').map(fold);
    let mut telling: Vec<String> = Vec::new();
    for word in words.flat_map(|word| word.split('_').map(str::to_owned).collect::<Vec<_>>()) {
        let plain = word.is_empty() || PLAIN_WORDS.contains(&word.as_str());
        if !plain && !telling.contains(&word) {
            telling.push(word);
        }
    }
    telling
}

/// The words by which an archive's name differs from another's, without numbers and the family.
pub(crate) fn distinctive(name: &str, other: &str, family: &str) -> Option<String> {
    const ENDINGS: [&str; 9] = ["zip", "7z", "tar", "gz", "xz", "zst", "tgz", "txz", "tzst"];
    let others = telling(other);
    let family = telling(family);
    let mut words = telling(name);
    words.retain(|word| {
        let number = word.trim_start_matches('v').chars().all(|c| c.is_ascii_digit());
        !number
            && !others.contains(word)
            && !family.contains(word)
            && !ENDINGS.contains(&word.as_str())
    });
    (!words.is_empty()).then(|| words.join("-"))
}

/// The family of a library that no catalog knows. `has_twin` says that the package has the same library for
/// another machine under another name.
pub(super) fn family(facts: Option<&Facts>, name: &str, has_twin: bool) -> String {
    let family = facts.map_or_else(
        || {
            let stem = stem(name);
            let named = Version::find_in(stem, 2).map(|(before, _)| before);
            slug(named.filter(|before| !before.is_empty()).unwrap_or(stem))
        },
        |facts| family_of(facts, name),
    );
    if has_twin { without_machine(&family).to_owned() } else { family }
}

/// The edition that a name or a text is for, if it says so.
pub(super) fn edition(names: &[&str], texts: &[String]) -> Option<String> {
    static NAMED: LazyLock<Option<Regex>> =
        LazyLock::new(|| Regex::new(r"(?i)([a-z][a-z0-9]*)[ _.-]edition(?:[^a-z]|$)").ok());
    static TOLD: LazyLock<Option<Regex>> = LazyLock::new(|| {
        let told = r"(?im)\bfor the ([a-z][\w-]*) edition\b|^\W*edition\s*:\s*([a-z][\w-]*)";
        Regex::new(told).ok()
    });
    // Words before the keyword that are not an edition.
    const NONE: [&str; 12] = [
        "the", "this", "any", "each", "every", "first", "new", "latest", "current", "other", "an",
        "your",
    ];
    let found = |pattern: &Option<Regex>, text: &str| {
        let found = pattern.as_ref()?.captures(text)?;
        let word = found.iter().skip(1).flatten().next()?.as_str().to_lowercase();
        (!NONE.contains(&word.as_str())).then_some(word)
    };
    let named = names.iter().find_map(|name| found(&NAMED, name));
    named.or_else(|| texts.iter().find_map(|text| found(&TOLD, text)))
}

/// The version that a name holds.
pub(super) fn version_in(name: &str) -> Option<Version> {
    Version::find_in(stem(name), 2).map(|(_, version)| version)
}

/// The version that a text names right behind a library's name, as in `Brine 2.8.1`.
pub(super) fn noted_version(texts: &[String], library: &str) -> Option<Version> {
    let name = fold(stem(library));
    let name = Version::find_in(&name, 2).map_or(name.as_str(), |(before, _)| before);
    if name.is_empty() {
        return None;
    }
    let mut lines = texts.iter().flat_map(|text| text.lines().map(fold).collect::<Vec<_>>());
    lines.find_map(|line| {
        let (_, rest) = line.split_once(name)?;
        let word = rest.split_whitespace().find(|word| *word != "version")?;
        let word = word.trim_start_matches('v').trim_end_matches([',', '.', ':', ')']);
        word.parse().ok().filter(|_| word.contains('.'))
    })
}
