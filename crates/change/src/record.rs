//! Changes, and the lines in which a journal file holds them.
//!
//! The stored lines are their own types, converted both ways: nothing that is renamed elsewhere renames anything on
//! disk.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use bitcode::{Decode, Encode};
use jiff::Timestamp;
use serde::{Deserialize, Serialize};
use upright_spanner_settings::registry::{Value, ValueName, bytes_of_digits, digits_of};
use upright_spanner_settings::{Format, KeyPath};

use crate::content::{Content, Digest, FileState, Moment, Stamp};
use crate::error::{Error, Result};
use crate::line::{self, Lines};
use crate::notes::Notes;
use crate::owner::Owner;
use crate::path::{Place, TreePath, slashes};
use crate::step::{Aside, Registry, RegistryValue, SettingKey, Side, State, Step, Target, Tree};

/// How a journal file begins.
const HEADING: &str = "spanner change 1";

/// A journalled, reversible alteration of one game.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Record {
    /// Its number, by which it is named.
    pub number: i64,
    /// The id of the altered game.
    pub game: String,
    /// The game's folder.
    pub root: PathBuf,
    /// The purpose, for people.
    pub summary: String,
    /// What else the caller records of it.
    pub notes: Notes,
    /// When it began.
    pub began: Timestamp,
    /// How far it came.
    pub state: RecordState,
    /// The planned steps, in order.
    pub steps: Vec<Step>,
    /// The spare place of each step's file while it is not in its final place.
    pub spares: Vec<Option<Place>>,
    /// Contents of which the store got its copy by it: one for each original.
    pub stored: Vec<Stored>,
    /// For each step that came out differently than planned, what its target was left with.
    pub left: BTreeMap<usize, Side>,
    /// Whether it altered nothing and only recorded changes made by hand.
    pub is_noted: bool,
}

/// How far a change came.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RecordState {
    /// Begun, and neither finished nor put back: the program was interrupted.
    Open,
    /// Finished and verified.
    Done,
    /// Failed or interrupted, with everything as before.
    PutBack,
    /// Interrupted, and ended by the user with the present state.
    Settled,
}

/// A content that a change stored.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Stored {
    /// The content.
    pub content: Content,
    /// Its original place.
    pub place: Place,
    /// Its label for people, such as a version.
    pub label: Option<String>,
    /// Its date of last modification.
    pub modified: Moment,
}

/// The length of the checksum in front of the packed lines.
const CHECKSUM: usize = 16;

fn checksum(packed: &[u8]) -> [u8; CHECKSUM] {
    let mut sum = [0; CHECKSUM];
    sum.copy_from_slice(&blake3::hash(packed).as_bytes()[..CHECKSUM]);
    sum
}

impl Record {
    /// Whether it took effect: it is done, or was settled.
    pub fn counts(&self) -> bool {
        matches!(self.state, RecordState::Done | RecordState::Settled)
    }

    /// The state of each target at the end of a change that is done or settled.
    pub fn effects(&self) -> impl Iterator<Item = (&Step, &Side)> {
        let steps = self.steps.iter().enumerate().filter(|_| self.counts());
        steps.map(|(n, step)| (step, self.left.get(&n).unwrap_or(step.after())))
    }

    /// The same change after the game's folder was moved.
    #[must_use]
    pub fn moved(mut self, from: &Path, to: &Path) -> Self {
        if let Ok(rest) = self.root.strip_prefix(from) {
            self.root = if rest.as_os_str().is_empty() { to.to_owned() } else { to.join(rest) };
        }
        self.steps = self.steps.iter().map(|step| step.moved(from, to)).collect();
        let spare = |spare: &Option<Place>| spare.as_ref().map(|place| place.moved(from, to));
        self.spares = self.spares.iter().map(spare).collect();
        self
    }

    /// The text of its journal file, without an outcome.
    ///
    /// # Errors
    /// If a path is not Unicode.
    pub(crate) fn to_text(&self, path: &Path) -> Result<String> {
        let mut text = format!("{HEADING}\n");
        let mut push = |value: &Line| -> Result<()> {
            text.push_str(&line::line(value, path)?);
            Ok(())
        };
        push(&Line::Change(ChangeLine::of(self, path)?))?;
        for (number, (step, spare)) in self.steps.iter().zip(&self.spares).enumerate() {
            push(&Line::Step(Box::new(StepLine::of(number, step, spare.as_ref(), path)?)))?;
        }
        for stored in &self.stored {
            push(&Line::Stored(StoredLine::of(stored, path)?))?;
        }
        push(&Line::End { steps: self.steps.len(), stored: self.stored.len() })?;
        Ok(text)
    }

    /// The line that says how it ended; none for a change that is open.
    pub(crate) fn outcome_line(
        state: RecordState,
        left: &BTreeMap<usize, Side>,
        path: &Path,
    ) -> Result<String> {
        let left = left.iter().map(|(step, side)| LeftLine { step: *step, found: side.into() });
        let Some(state) = Outcome::of(state) else { return Ok(String::new()) };
        let outcome = OutcomeLine { state, at: Timestamp::now().to_string(), left: left.collect() };
        line::line(&Line::Outcome(outcome), path)
    }

    /// Parses a journal file as far as it is readable, and returns the faults of the rest. An outcome that was cut
    /// off does not count.
    pub fn parse(text: &str) -> (Option<Self>, Vec<String>) {
        let complete = match text.rfind('\n') {
            Some(end) => &text[..=end],
            None => text,
        };
        let Lines { lines, faults } = line::parse::<Line>(complete, HEADING);
        Self::assemble(lines, faults.into_iter().map(|fault| fault.what).collect())
    }

    /// The lines of a whole text in a form that is read quickly; nothing if it is not whole.
    pub(crate) fn packed(text: &str) -> Option<Vec<u8>> {
        let Lines { lines, faults } = line::parse::<Line>(text, HEADING);
        let packed = bitcode::encode(&lines);
        let is_whole = faults.is_empty() && Self::assemble(lines, Vec::new()).1.is_empty();
        is_whole.then(|| [&checksum(&packed)[..], &packed].concat())
    }

    /// Reads what [`Self::packed`] made; nothing if it was altered since.
    pub(crate) fn unpacked(bytes: &[u8]) -> Option<Self> {
        let (sum, packed) = bytes.split_at_checked(CHECKSUM)?;
        let is_whole = sum == checksum(packed);
        let lines = bitcode::decode(packed).ok().filter(|_| is_whole)?;
        let (record, faults) = Self::assemble(lines, Vec::new());
        record.filter(|_| faults.is_empty())
    }

    /// Assembles numbered lines into a record; adds their faults to the list.
    fn assemble(lines: Vec<(usize, Line)>, mut faults: Vec<String>) -> (Option<Self>, Vec<String>) {
        let mut record: Option<Self> = None;
        let mut end = None;
        // If a line is damaged, the steps after it keep the numbers that the outcome knows them by.
        let mut positions = BTreeMap::new();

        for (number, line) in lines {
            let fault = match (line, &mut record) {
                (Line::Change(line), none @ None) => match line.into_record() {
                    Ok(record) => {
                        *none = Some(record);
                        None
                    }
                    Err(what) => Some(what),
                },
                (Line::Step(line), Some(record)) => {
                    positions.insert(line.n, record.steps.len());
                    record.take_step(*line).err()
                }
                (Line::Stored(line), Some(record)) => record.take_stored(line).err(),
                (Line::End { steps, stored }, Some(_)) => {
                    end = Some((steps, stored));
                    None
                }
                (Line::Outcome(line), Some(record)) => {
                    record.state = line.state.into();
                    let found = |left: LeftLine| {
                        Some((*positions.get(&left.step)?, left.found.into_side()))
                    };
                    record.left = line.left.into_iter().filter_map(found).collect();
                    None
                }
                _ => Some("it is out of order".to_owned()),
            };
            faults.extend(fault.map(|what| format!("line {number}: {what}")));
        }

        let whole = record.as_ref().map(|record| (record.steps.len(), record.stored.len()));
        if whole.is_none() {
            faults.push("the line that names the change is missing".to_owned());
        } else if end != whole {
            faults.push("steps or their end are missing".to_owned());
        }

        (record, faults)
    }

    fn take_step(&mut self, line: StepLine) -> Result<(), String> {
        let step = Step::of(
            line.target.into_target()?,
            line.before.into_side(),
            line.after.into_side(),
            &line.owner.into(),
        );
        let beneath = line.beneath.map(SideLine::into_side);
        self.steps.push(step.from_source(line.source).over(beneath));
        self.spares.push(line.spare.map(PlaceLine::into_place).transpose()?);
        Ok(())
    }

    fn take_stored(&mut self, line: StoredLine) -> Result<(), String> {
        self.stored.push(Stored {
            content: Content { blake3: line.blake3, size: line.size },
            place: line.place.into_place()?,
            label: line.label,
            modified: line.modified,
        });
        Ok(())
    }
}

/// A line of a journal file.
#[derive(Debug, Serialize, Deserialize, Encode, Decode)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
enum Line {
    Change(ChangeLine),
    Step(Box<StepLine>),
    Stored(StoredLine),
    End { steps: usize, stored: usize },
    Outcome(OutcomeLine),
}

#[derive(Debug, Serialize, Deserialize, Encode, Decode)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct ChangeLine {
    number: i64,
    game: String,
    root: String,
    summary: String,
    began: String,
    #[serde(with = "crate::notes")]
    notes: String,
    #[serde(default, skip_serializing_if = "is_false")]
    noted: bool,
}

#[derive(Debug, Serialize, Deserialize, Encode, Decode)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct StepLine {
    n: usize,
    target: TargetLine,
    before: SideLine,
    after: SideLine,
    owner: OwnerLine,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    source: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    spare: Option<PlaceLine>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    beneath: Option<SideLine>,
}

#[derive(Debug, Serialize, Deserialize, Encode, Decode)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
enum OwnerLine {
    Family(String),
    Game,
    Saves,
    Hold,
    Compatibility,
    Shortcut,
}

impl From<&Owner> for OwnerLine {
    fn from(owner: &Owner) -> Self {
        match owner {
            Owner::Family(id) => Self::Family(id.clone()),
            Owner::Game => Self::Game,
            Owner::Saves => Self::Saves,
            Owner::Hold => Self::Hold,
            Owner::Compatibility => Self::Compatibility,
            Owner::Shortcut => Self::Shortcut,
        }
    }
}

impl From<OwnerLine> for Owner {
    fn from(line: OwnerLine) -> Self {
        match line {
            OwnerLine::Family(id) => Self::Family(id),
            OwnerLine::Game => Self::Game,
            OwnerLine::Saves => Self::Saves,
            OwnerLine::Hold => Self::Hold,
            OwnerLine::Compatibility => Self::Compatibility,
            OwnerLine::Shortcut => Self::Shortcut,
        }
    }
}

#[derive(Debug, Serialize, Deserialize, Encode, Decode)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
enum TargetLine {
    File(PlaceLine),
    Folder(PlaceLine),
    Aside { place: PlaceLine, kept: PlaceLine },
    ReadOnly(PlaceLine),
    Setting(SettingLine),
    RegistryValue(ValueLine),
}

#[derive(Debug, Serialize, Deserialize, Encode, Decode)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct SettingLine {
    file: PlaceLine,
    format: String,
    key: Vec<String>,
}

#[derive(Debug, Serialize, Deserialize, Encode, Decode)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct ValueLine {
    /// The file that holds the registry; none for that of Windows itself.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    file: Option<PlaceLine>,
    key: String,
    name: String,
}

#[derive(Debug, Serialize, Deserialize, Encode, Decode)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct PlaceLine {
    #[serde(default, skip_serializing_if = "Option::is_none")]
    bay: Option<String>,
    path: TreePath,
}

#[derive(Debug, Serialize, Deserialize, Encode, Decode)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
enum SideLine {
    Absent,
    File(FileLine),
    Folder {
        #[serde(default, skip_serializing_if = "Option::is_none")]
        mode: Option<u32>,
    },
    Tree {
        listing: Digest,
        size: u64,
        files: u64,
        bytes: u64,
    },
    Mark(bool),
    /// A mark if the system makes it of the file's permission bits.
    MarkOf {
        set: bool,
        mode: u32,
    },
    Setting(String),
    /// A type, and bytes in hexadecimal digits.
    Value {
        kind: u32,
        data: String,
    },
    Unset {
        around: usize,
    },
}

#[derive(Debug, Serialize, Deserialize, Encode, Decode)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct FileLine {
    blake3: Digest,
    size: u64,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    label: Option<String>,
    modified: Moment,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    created: Option<Moment>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    mode: Option<u32>,
    #[serde(default, skip_serializing_if = "is_false")]
    read_only: bool,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    attributes: Option<u32>,
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde wants it so")]
fn is_false(value: &bool) -> bool {
    !value
}

#[derive(Debug, Serialize, Deserialize, Encode, Decode)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct StoredLine {
    blake3: Digest,
    size: u64,
    place: PlaceLine,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    label: Option<String>,
    modified: Moment,
}

#[derive(Debug, Serialize, Deserialize, Encode, Decode)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct OutcomeLine {
    state: Outcome,
    at: String,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    left: Vec<LeftLine>,
}

/// How a change that is not open any more ended.
#[derive(Debug, Clone, Copy, Serialize, Deserialize, Encode, Decode)]
#[serde(rename_all = "kebab-case")]
enum Outcome {
    Done,
    PutBack,
    Settled,
}

impl Outcome {
    fn of(state: RecordState) -> Option<Self> {
        match state {
            RecordState::Open => None,
            RecordState::Done => Some(Self::Done),
            RecordState::PutBack => Some(Self::PutBack),
            RecordState::Settled => Some(Self::Settled),
        }
    }
}

impl From<Outcome> for RecordState {
    fn from(outcome: Outcome) -> Self {
        match outcome {
            Outcome::Done => Self::Done,
            Outcome::PutBack => Self::PutBack,
            Outcome::Settled => Self::Settled,
        }
    }
}

#[derive(Debug, Serialize, Deserialize, Encode, Decode)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct LeftLine {
    step: usize,
    found: SideLine,
}

/// A path as text. One that is not Unicode cannot be journalled, and nothing that has one comes here.
fn text(path: &Path, journal: &Path) -> Result<String> {
    let what = || format!("{} is not Unicode and cannot be journalled", slashes(path));
    let wrong = || Error::Journal { path: journal.to_owned(), what: what() };
    path.to_str().map(str::to_owned).ok_or_else(wrong)
}

impl ChangeLine {
    fn of(record: &Record, journal: &Path) -> Result<Self> {
        Ok(Self {
            number: record.number,
            game: record.game.clone(),
            root: text(&record.root, journal)?,
            summary: record.summary.clone(),
            began: record.began.to_string(),
            notes: record.notes.text().to_owned(),
            noted: record.is_noted,
        })
    }

    fn into_record(self) -> Result<Record, String> {
        let wrong = |_| format!("`{}` is not a moment", self.began);
        Ok(Record {
            number: self.number,
            game: self.game,
            root: self.root.into(),
            summary: self.summary,
            notes: Notes::from_text(self.notes),
            began: self.began.parse().map_err(wrong)?,
            state: RecordState::Open,
            steps: Vec::new(),
            spares: Vec::new(),
            stored: Vec::new(),
            left: BTreeMap::new(),
            is_noted: self.noted,
        })
    }
}

impl StepLine {
    fn of(n: usize, step: &Step, spare: Option<&Place>, journal: &Path) -> Result<Self> {
        Ok(Self {
            n,
            target: TargetLine::of(step.target(), journal)?,
            before: step.before().into(),
            after: step.after().into(),
            owner: step.owner().into(),
            source: step.source().map(str::to_owned),
            spare: spare.map(|spare| PlaceLine::of(spare, journal)).transpose()?,
            beneath: step.beneath().map(SideLine::from),
        })
    }
}

impl TargetLine {
    fn of(target: &Target, journal: &Path) -> Result<Self> {
        let line = |place| PlaceLine::of(place, journal);
        Ok(match target {
            Target::File(place) => Self::File(line(place)?),
            Target::Folder(place) => Self::Folder(line(place)?),
            Target::Aside(aside) => {
                Self::Aside { place: line(&aside.place)?, kept: line(&aside.kept)? }
            }
            Target::ReadOnly(place) => Self::ReadOnly(line(place)?),
            Target::Setting(key) => Self::Setting(SettingLine {
                file: line(&key.place)?,
                format: key.format.name().to_owned(),
                key: key.path.names().to_vec(),
            }),
            Target::Value(RegistryValue { registry, value }) => Self::RegistryValue(ValueLine {
                file: match registry {
                    Registry::Windows => None,
                    Registry::Prefix(place) => Some(line(place)?),
                },
                key: value.key.clone(),
                name: value.name.clone(),
            }),
        })
    }

    fn into_target(self) -> Result<Target, String> {
        Ok(match self {
            Self::File(place) => Target::File(place.into_place()?),
            Self::Folder(place) => Target::Folder(place.into_place()?),
            Self::Aside { place, kept } => {
                Target::Aside(Aside { place: place.into_place()?, kept: kept.into_place()? })
            }
            Self::ReadOnly(place) => Target::ReadOnly(place.into_place()?),
            Self::Setting(SettingLine { file, format, key }) => Target::Setting(SettingKey {
                place: file.into_place()?,
                format: Format::from_name(&format)
                    .ok_or_else(|| format!("no format `{format}`"))?,
                path: KeyPath::new(key).ok_or("a key has no name")?,
            }),
            Self::RegistryValue(ValueLine { file, key, name }) => Target::Value(RegistryValue {
                registry: match file {
                    None => Registry::Windows,
                    Some(file) => Registry::Prefix(file.into_place()?),
                },
                value: ValueName::new(&key, &name)?,
            }),
        })
    }
}

impl PlaceLine {
    fn of(place: &Place, journal: &Path) -> Result<Self> {
        let bay = place.bay().map(|bay| text(bay, journal)).transpose()?;
        Ok(Self { bay, path: place.path().clone() })
    }

    fn into_place(self) -> Result<Place, String> {
        let Some(bay) = self.bay else { return Ok(self.path.into()) };
        Place::stored(bay.into(), self.path).map_err(|error| error.to_string())
    }
}

impl From<&Side> for SideLine {
    fn from(side: &Side) -> Self {
        match &side.state {
            State::Absent => Self::Absent,
            State::Folder(mode) => Self::Folder { mode: *mode },
            State::Tree(tree) => Self::Tree {
                listing: tree.listing.blake3,
                size: tree.listing.size,
                files: tree.files,
                bytes: tree.bytes,
            },
            State::Mark { set, mode: None } => Self::Mark(*set),
            State::Mark { set, mode: Some(mode) } => Self::MarkOf { set: *set, mode: *mode },
            State::Setting(value) => Self::Setting(value.clone()),
            State::Value(Value { kind, data }) => {
                Self::Value { kind: *kind, data: digits_of(data) }
            }
            State::Unset { around } => Self::Unset { around: *around },
            State::File(FileState { content, stamp }) => Self::File(FileLine {
                blake3: content.blake3,
                size: content.size,
                label: side.label.clone(),
                modified: stamp.modified,
                created: stamp.created,
                mode: stamp.mode,
                read_only: stamp.read_only,
                attributes: stamp.attributes,
            }),
        }
    }
}

impl SideLine {
    fn into_side(self) -> Side {
        match self {
            Self::Absent => Side::ABSENT,
            Self::Folder { mode } => State::Folder(mode).into(),
            Self::Tree { listing, size, files, bytes } => {
                let listing = Content { blake3: listing, size };
                State::Tree(Tree { listing, files, bytes }).into()
            }
            Self::Mark(set) => State::mark(set).into(),
            Self::MarkOf { set, mode } => State::Mark { set, mode: Some(mode) }.into(),
            Self::Setting(value) => State::Setting(value).into(),
            Self::Value { kind, data } => {
                State::Value(Value { kind, data: bytes_of_digits(&data).unwrap_or_default() })
                    .into()
            }
            Self::Unset { around } => State::Unset { around }.into(),
            Self::File(line) => {
                let content = Content { blake3: line.blake3, size: line.size };
                let stamp = Stamp {
                    modified: line.modified,
                    created: line.created,
                    mode: line.mode,
                    read_only: line.read_only,
                    attributes: line.attributes,
                };
                Side::file(FileState { content, stamp }, line.label)
            }
        }
    }
}

impl StoredLine {
    fn of(stored: &Stored, journal: &Path) -> Result<Self> {
        Ok(Self {
            blake3: stored.content.blake3,
            size: stored.content.size,
            place: PlaceLine::of(&stored.place, journal)?,
            label: stored.label.clone(),
            modified: stored.modified,
        })
    }
}
