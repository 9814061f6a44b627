//! Merges a newer build's settings file into the user's, line by line: the user's values, comments,
//! blank lines, order, encoding and line ends stay; sections and keys that are new come in with the
//! comments above them; keys that the newer file no longer has are kept and reported.

use std::collections::{BTreeMap, HashMap, HashSet};

use serde::Serialize;

use crate::ini::{Kind, Line, Names, Text, can_hold, fold};

/// A key, by its section and its name as they are compared.
type Id = (usize, String);

/// The result of a merge.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize)]
pub struct Merged {
    /// The user's file with the new keys.
    #[serde(skip)]
    pub bytes: Vec<u8>,
    /// Settings that came in, as `[section] key=value`.
    pub added: Vec<String>,
    /// Settings that the user had left as an older build brought them, and that follow the newer.
    pub followed: Vec<String>,
    /// Settings of the user's that the newer file does not have; they are kept.
    pub vanished: Vec<String>,
    /// New settings that stay out, since nothing says how their letters are written in the user's file.
    pub left_out: Vec<String>,
}

/// Merges `new` into the user's file. If the original of the user's file is known as `old`, a value that the user
/// never changed follows the new file.
pub fn merge(user: &[u8], new: &[u8], old: Option<&[u8]>) -> Merged {
    let mut text = Text::read(user);
    let mut newer = Text::read(new);
    // A comment that cannot come in is not a reason to keep its setting out.
    newer.lines.retain(|line| line.kind != Kind::Other || text.can_hold(&line.text));
    let mut names = Names::default();
    let old = old.map(|bytes| Text::read(bytes).values(&mut names));
    let mut report = Merged::default();
    let theirs = newer.values(&mut names);
    let ours = text.values(&mut names);
    for (id, value) in ours.iter().filter(|(id, _)| !theirs.contains_key(id)) {
        report.vanished.push(tell(names.name(id.0), &id.1, value));
    }
    report.vanished.sort();
    if let Some(old) = &old {
        text.follow(&theirs, old, &mut names, &mut report);
    }
    if text.as_it_is.is_none() {
        let mut had: HashSet<Id> = ours.into_keys().collect();
        let mut blocks = newer.blocks(&mut names);
        blocks.retain(|block| had.insert((block.section, fold(&block.key))));
        let (blocks, others): (Vec<Block>, Vec<Block>) = blocks.into_iter().partition(|block| {
            newer.lines[block.lines.clone()].iter().all(|l| text.can_hold(&l.text))
        });
        let words = |block: &Block| tell(&block.section_name, &block.key, &block.value);
        report.added.extend(blocks.iter().map(words));
        report.left_out.extend(others.iter().map(words));
        text.insert(&blocks, &newer, &mut names);
    }

    report.bytes = text.write();
    // What came in must not make the file look as if it were written in another encoding.
    let back = Text::read(&report.bytes);
    if (back.encoding, back.as_it_is) != (text.encoding, text.as_it_is) {
        report.bytes = user.to_vec();
        report.added.clear();
        report.followed.clear();
    }

    report
}

/// Whether a file looks like settings that can be merged: lines with keys, and no zero bytes.
pub fn is_mergeable(bytes: &[u8]) -> bool {
    let text = Text::read(bytes);
    text.as_it_is.is_none()
        && text.lines.iter().all(|line| !line.text.contains('\0'))
        && text.lines.iter().any(|line| matches!(line.kind, Kind::Value(..)))
}

fn tell(section: &str, key: &str, value: &str) -> String {
    if section.is_empty() { format!("{key}={value}") } else { format!("[{section}] {key}={value}") }
}

/// Lines to insert at one place of a text.
struct Arrival {
    /// Before which line; none if it comes at the end, as its own section.
    at: Option<usize>,
    lines: Vec<Line>,
}

/// A value of a file with the comments right above it.
struct Block {
    section: usize,
    /// The section's name as it is written.
    section_name: String,
    key: String,
    value: String,
    /// The lines, as a range of the file's.
    lines: std::ops::Range<usize>,
}

impl Text {
    /// Each value with the comments and blank lines between it and the one before.
    fn blocks(&self, names: &mut Names) -> Vec<Block> {
        let mut blocks = Vec::new();
        let (mut section, mut section_name) = (0, String::new());
        let mut start = 0;

        for (index, line) in self.lines.iter().enumerate() {
            match &line.kind {
                Kind::Section(name) => {
                    section = names.number(name);
                    section_name.clone_from(name);
                    start = index + 1;
                }
                Kind::Value(key, value, _) => {
                    let (key, value) = (key.clone(), value.clone());
                    let (section_name, lines) = (section_name.clone(), start..index + 1);
                    blocks.push(Block { section, section_name, key, value, lines });
                    start = index + 1;
                }
                Kind::Other => {}
            }
        }

        blocks
    }

    /// Takes the newer value wherever the user's is the one that an older build brought.
    fn follow(
        &mut self,
        newer: &BTreeMap<Id, String>,
        old: &BTreeMap<Id, String>,
        names: &mut Names,
        report: &mut Merged,
    ) {
        let (mut section, mut section_name) = (0, String::new());
        let encoding = self.encoding;
        for line in &mut self.lines {
            let Kind::Value(key, value, place) = &line.kind else {
                if let Kind::Section(name) = &line.kind {
                    section = names.number(name);
                    section_name.clone_from(name);
                }
                continue;
            };
            let id = (section, fold(key));
            let Some(new) = newer.get(&id) else { continue };
            if old.get(&id) == Some(value) && new != value {
                if !can_hold(encoding, new) {
                    report.left_out.push(tell(&section_name, key, new));
                    continue;
                }
                report.followed.push(tell(&section_name, key, new));
                let mut text = line.text.clone();
                text.replace_range(place.clone(), new);
                *line = Line::new(text, line.end);
            }
        }
    }

    /// Inserts blocks of another file after the last value of their sections; a missing section is added at the end.
    fn insert(&mut self, blocks: &[Block], from: &Self, names: &mut Names) {
        let end = self.line_end(from);
        // Lines before the first section belong to none, and come first.
        let mut behind = HashMap::from([(0, 0)]);
        for (index, (section, line)) in self.sectioned(names).enumerate() {
            if !matches!(line.kind, Kind::Other) {
                behind.insert(section, index + 1);
            }
        }

        let mut arrivals: Vec<Arrival> = Vec::new();
        let mut known: HashMap<usize, usize> = HashMap::new();
        let mut is_above = false;

        for block in blocks {
            let number = *known.entry(block.section).or_insert_with(|| {
                let at = behind.get(&block.section).copied();
                let mut lines = Vec::new();
                if at.is_none() {
                    // An inserted block ends with a value, so it touches the next line only at the end.
                    let last = self.lines.last().map(|line| line.text.trim().is_empty());
                    if last == Some(false) || is_above || last.is_none() && !arrivals.is_empty() {
                        lines.push(Line::new(String::new(), end));
                    }
                    is_above = true;
                    lines.push(Line::new(format!("[{}]", block.section_name), end));
                }
                arrivals.push(Arrival { at, lines });
                arrivals.len() - 1
            });
            let lines = &from.lines[block.lines.clone()];
            let skipped = lines.iter().skip_while(|line| line.text.trim().is_empty());
            let lines = skipped.map(|line| Line::new(line.text.clone(), end));
            arrivals[number].lines.extend(lines);
        }

        let of = self.lines.len();
        arrivals.sort_by_key(|arrival| (arrival.at.unwrap_or(of), arrival.at.is_none()));
        let mut own = std::mem::take(&mut self.lines).into_iter();
        for arrival in arrivals {
            let at = arrival.at.unwrap_or(of);
            while of - own.len() < at {
                self.lines.extend(own.next());
            }
            if let Some(before) = self.lines.last_mut().filter(|line| line.end.is_empty()) {
                before.end = end;
            }
            self.lines.extend(arrival.lines);
        }

        self.lines.extend(own);
    }

    /// The line end that the file uses; the other file's if it has none.
    fn line_end(&self, other: &Self) -> &'static str {
        let mut ends = self.lines.iter().chain(&other.lines).map(|line| line.end);
        ends.find(|end| !end.is_empty()).unwrap_or("\n")
    }
}
