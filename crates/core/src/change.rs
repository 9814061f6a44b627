//! Changes: what was done to games, as the journal records it, with what only this crate understands of
//! it: what a change was for, and which executable counted then.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use jiff::Timestamp;

use crate::content::Content;
use crate::path::TreePath;
pub use upright_spanner_change::{Fault, Mending, Record, RecordState, Side, State, Step, Target};
use upright_spanner_image::Version;
use upright_spanner_settings::document;

/// The family under which is recorded what keeps a launcher from updating a game.
pub(crate) const HOLD: &str = "hold";

/// The family under which files of the game itself are recorded.
pub(crate) const GAME_FILES: &str = "game-files";

/// One journalled, reversible alteration of one game.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Change {
    /// What it was for, for the program.
    pub purpose: Purpose,
    /// The executable that counted then; where it brought another one, that.
    pub executable: Option<ExecutableMark>,
    /// Codes of the findings that the user went on despite.
    pub despite: Vec<String>,
    /// What the journal says.
    pub record: Record,
}

impl Change {
    /// Its number, by which it is named.
    pub fn number(&self) -> i64 {
        self.record.number
    }

    /// The id of the game.
    pub fn game(&self) -> &str {
        &self.record.game
    }

    /// The game's folder.
    pub fn root(&self) -> &Path {
        &self.record.root
    }

    /// What it was for, as in `fit lens@2.9.1`.
    pub fn summary(&self) -> &str {
        &self.record.summary
    }

    /// When it began.
    pub fn began(&self) -> Timestamp {
        self.record.began
    }

    /// How far it came.
    pub fn state(&self) -> RecordState {
        self.record.state
    }

    /// What was to be done to each target.
    pub fn steps(&self) -> &[Step] {
        &self.record.steps
    }

    /// Whether what it did counts: it is done, or was ended with what was there.
    pub fn counts(&self) -> bool {
        self.record.counts()
    }

    /// Every content that it names.
    pub(crate) fn contents(&self) -> impl Iterator<Item = Content> + '_ {
        let sides = self.steps().iter().flat_map(|step| [step.before(), step.after()]);
        let left = self.record.left.values();
        let beneath = self.steps().iter().filter_map(Step::beneath);
        let stored = self.record.stored.iter().map(|stored| stored.content);
        let of_side = |side: &Side| match &side.state {
            State::Tree(tree) => Some(tree.listing),
            state => state.content(),
        };
        sides.chain(left).chain(beneath).filter_map(of_side).chain(stored)
    }

    /// Where a target of it was on disk, or the file that it was in; nothing for what is in no file.
    pub fn on_disk(&self, target: &Target) -> Option<PathBuf> {
        target.place().map(|place| place.on(self.root()))
    }

    /// A text that targets of this and other changes share which are one.
    pub(crate) fn key_of(&self, target: &Target) -> String {
        target.key_on(self.root())
    }
}

/// The word used in output and in JSON.
pub fn state_name(state: RecordState) -> &'static str {
    match state {
        RecordState::Open => "open",
        RecordState::Done => "done",
        RecordState::PutBack => "put-back",
        RecordState::Settled => "settled",
    }
}

/// What a change was for, as far as later commands need to know.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Purpose {
    /// Builds were put in.
    Fit,
    /// Files were put back as shipped, or as at an earlier point.
    Rollback,
    /// The change of this number was undone.
    Undo(i64),
    /// Fitted builds were put back after something else had overwritten them.
    Refit,
    /// Swaps made by hand were taken under management. No file was altered.
    Adopt,
    /// Copies made by hand were removed.
    RemoveCopies,
    /// Settings were set.
    Tune,
    /// A shortcut was made.
    Shortcut,
    /// Another release of the game itself was put onto its folder.
    Wind,
    /// A launcher was kept from updating the game, or let again.
    Hold,
    /// A family was taken out for now.
    Park(String),
    /// What the change of this number took out was put back.
    Unpark(i64),
}

impl Purpose {
    /// The words in the journal.
    pub fn to_text(&self) -> String {
        match self {
            Self::Fit => "fit".to_owned(),
            Self::Rollback => "rollback".to_owned(),
            Self::Undo(number) => format!("undo {number}"),
            Self::Refit => "refit".to_owned(),
            Self::Tune => "tune".to_owned(),
            Self::Shortcut => "shortcut".to_owned(),
            Self::Wind => "wind".to_owned(),
            Self::Hold => "hold".to_owned(),
            Self::Adopt => "adopt".to_owned(),
            Self::RemoveCopies => "remove-copies".to_owned(),
            Self::Park(family) => format!("park {family}"),
            Self::Unpark(number) => format!("unpark {number}"),
        }
    }

    fn from_text(text: &str) -> Option<Self> {
        let (word, rest) = text.split_once(' ').unwrap_or((text, ""));
        let number = || rest.parse().ok();
        Some(match word {
            "fit" => Self::Fit,
            "rollback" => Self::Rollback,
            "undo" => Self::Undo(number()?),
            "refit" => Self::Refit,
            "tune" => Self::Tune,
            "shortcut" => Self::Shortcut,
            "wind" => Self::Wind,
            "hold" => Self::Hold,
            "adopt" => Self::Adopt,
            "remove-copies" => Self::RemoveCopies,
            "park" => Self::Park(rest.to_owned()),
            "unpark" => Self::Unpark(number()?),
            _ => return None,
        })
    }
}

/// Which changes undoings turn off, and on again: read oldest first.
#[derive(Debug, Default)]
pub(crate) struct Undoings(BTreeMap<i64, (i64, bool)>);

impl Undoings {
    /// Takes note of a change; of an undoing gives the change at the root of it, and whether that is in effect
    /// again: to undo an undoing turns on what that had turned off, and so on.
    pub fn take(&mut self, change: &Change) -> Option<(i64, bool)> {
        let Purpose::Undo(of) = change.purpose else { return None };
        let (root, on) = self.0.get(&of).map_or((of, false), |(root, on)| (*root, !on));
        self.0.insert(change.number(), (root, on));
        Some((root, on))
    }
}

/// Whether a change put another release of the game onto its folder, or took one back.
pub(crate) fn winds<'a>(change: &Change, changes: impl IntoIterator<Item = &'a Change>) -> bool {
    let mut undoings = Undoings::default();
    let mut winds = Vec::new();
    for other in changes.into_iter().filter(|other| other.number() <= change.number()) {
        let root = undoings.take(other);
        if other.purpose == Purpose::Wind || root.is_some_and(|(root, _)| winds.contains(&root)) {
            winds.push(other.number());
        }
    }
    winds.contains(&change.number())
}

/// The executable that counted when a change was made, or counts since where it put another one there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ExecutableMark {
    /// Where it was.
    pub path: TreePath,
    /// The version of the game.
    pub version: Option<Version>,
    /// Its length in bytes.
    pub size: u64,
    /// When it was linked, as its header says.
    pub stamp: u32,
}

/// The keys of what a change's notes say in the journal.
const PURPOSE: &str = "deed";
const DESPITE: &str = "despite";
const EXECUTABLE: &str = "executable";
const VERSION: &str = "executable-version";
const SIZE: &str = "executable-size";
const LINKED: &str = "executable-linked";

/// What the journal is to note of a change besides its steps.
pub(crate) fn notes(
    purpose: &Purpose,
    executable: Option<&ExecutableMark>,
    despite: &[String],
) -> BTreeMap<String, String> {
    let mut notes = BTreeMap::from([(PURPOSE.to_owned(), purpose.to_text())]);
    if !despite.is_empty() {
        notes.insert(DESPITE.to_owned(), despite.join(" "));
    }
    if let Some(mark) = executable {
        notes.insert(EXECUTABLE.to_owned(), mark.path.to_string());
        notes.insert(SIZE.to_owned(), mark.size.to_string());
        notes.insert(LINKED.to_owned(), mark.stamp.to_string());
        if let Some(version) = &mark.version {
            notes.insert(VERSION.to_owned(), version.to_string());
        }
    }

    notes
}

impl TryFrom<Record> for Change {
    /// What of it cannot be understood.
    type Error = String;

    fn try_from(record: Record) -> Result<Self, String> {
        let note = |key: &str| record.notes.get(key).map(String::as_str);
        let unknown = |key: &str| {
            format!("`{key}` is `{}`, which has no meaning here", note(key).unwrap_or(""))
        };
        let purpose = note(PURPOSE).and_then(Purpose::from_text).ok_or_else(|| unknown(PURPOSE))?;
        let executable = match note(EXECUTABLE) {
            None => None,
            Some(path) => Some(ExecutableMark {
                path: TreePath::new(path).map_err(|error| error.to_string())?,
                version: match note(VERSION) {
                    None => None,
                    Some(text) => Some(text.parse().map_err(|_| unknown(VERSION))?),
                },
                size: note(SIZE).and_then(|n| n.parse().ok()).ok_or_else(|| unknown(SIZE))?,
                stamp: note(LINKED).and_then(|n| n.parse().ok()).ok_or_else(|| unknown(LINKED))?,
            }),
        };

        let despite = note(DESPITE).unwrap_or_default().split_whitespace();
        let despite = despite.map(str::to_owned).collect();
        Ok(Self { purpose, executable, despite, record })
    }
}

/// The version that people call a side of a step by, where it has one.
pub fn version_of(side: &Side) -> Option<Version> {
    side.label.as_ref()?.parse().ok()
}

/// What a key or a value of the registry holds on a side of its step, as people read it; nothing where it is not
/// there, or the step is about something else.
pub fn value_of(target: &Target, side: &Side) -> Option<String> {
    match (target, &side.state) {
        (Target::Setting(key), State::Setting(value)) => Some(document::plain(key.format, value)),
        (_, State::Value(value)) => Some(value.to_string()),
        _ => None,
    }
}

/// `version 2.7.4`, or its size where it states none.
pub fn describe(side: &Side) -> String {
    match (&side.label, &side.state) {
        (Some(label), _) => format!("version {label}"),
        (None, State::Setting(value)) => format!("`{value}`"),
        (None, State::Value(value)) => format!("`{value}`"),
        (None, State::Unset { .. }) => "no value".to_owned(),
        (None, State::Absent) => "no file".to_owned(),
        (None, State::File(file)) => format!("a file of {} bytes", file.content.size),
        (None, State::Folder(_)) => "a folder".to_owned(),
        (None, State::Tree(tree)) => format!("{} files, {} bytes", tree.files, tree.bytes),
        (None, State::Mark { set: true, .. }) => "the read-only mark".to_owned(),
        (None, State::Mark { set: false, .. }) => "no read-only mark".to_owned(),
    }
}
