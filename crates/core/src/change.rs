//! Changes of games, as the journal records them, with the parts that only this crate understands: the purpose of a
//! change, and the executable at that time.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::content::Content;
use crate::error::{Error, Result};
use crate::path::TreePath;
use upright_spanner_change::Notes;
pub use upright_spanner_change::{
    Fault, Mending, Owner, Record, RecordState, Side, State, Step, Target,
};
use upright_spanner_image::Version;
use upright_spanner_settings::document;

/// One journalled, reversible alteration of one game.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Change {
    /// The purpose, for the program.
    pub purpose: Purpose,
    /// The executable that counted then; if it brought another one, that.
    pub executable: Option<ExecutableMark>,
    /// Codes of the findings that the user went on despite.
    pub despite: Vec<String>,
    /// The journal's record.
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

    /// The purpose for people, as in `fit lens@2.9.1`.
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

    /// The planned steps.
    pub fn steps(&self) -> &[Step] {
        &self.record.steps
    }

    /// Whether it took effect: it is done, or was settled.
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

    /// The path of a target, or of the file that contains it; `None` if it is not in a file.
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

/// The purpose of a change, as far as later commands need it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(tag = "kind", rename_all = "kebab-case")]
pub enum Purpose {
    /// Builds were fitted.
    Fit,
    /// Files were restored as shipped, or as at an earlier point.
    Rollback,
    /// Another change was undone.
    Undo {
        /// The number of that change.
        change: i64,
    },
    /// Fitted builds that something had overwritten were restored.
    Refit,
    /// Swaps made by hand were recorded. No file was altered.
    Adopt,
    /// Copies made by hand were removed.
    RemoveCopies,
    /// Settings were set.
    Tune,
    /// A shortcut was made.
    Shortcut,
    /// Another release of the game was put into its folder.
    Wind {
        /// The folders and archives with the release.
        from: Vec<String>,
        /// The patterns of the files and folders that were moved aside.
        aside: Vec<String>,
    },
    /// A launcher was kept from updating the game, or allowed to again.
    Hold {
        /// The reason, in the user's words.
        why: Option<String>,
    },
    /// A family was taken out for now.
    Park {
        /// The family.
        family: String,
    },
    /// The files that a `park` took out were restored.
    Unpark {
        /// The number of the change that took them out.
        change: i64,
    },
}

impl Purpose {
    /// Whether it put another release of the game into its folder.
    pub fn is_wind(&self) -> bool {
        matches!(self, Self::Wind { .. })
    }
}

/// Which changes undoings turn off, and on again: read oldest first.
#[derive(Debug, Default)]
pub(crate) struct Undoings(BTreeMap<i64, (i64, bool)>);

impl Undoings {
    /// Takes note of a change; of an undoing gives the change at the root of it, and whether that is in effect
    /// again: to undo an undoing turns on what that had turned off, and so on.
    pub fn take(&mut self, change: &Change) -> Option<(i64, bool)> {
        let Purpose::Undo { change: of } = change.purpose else { return None };
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
        if other.purpose.is_wind() || root.is_some_and(|(root, _)| winds.contains(&root)) {
            winds.push(other.number());
        }
    }
    winds.contains(&change.number())
}

/// The executable that counted when a change was made, or counts since if it put another one there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ExecutableMark {
    /// Its path.
    pub path: TreePath,
    /// The version of the game.
    pub version: Option<Version>,
    /// Its length in bytes.
    pub size: u64,
    /// When it was linked, as its header says.
    pub stamp: u32,
}

/// The notes of a change as the journal stores them.
#[derive(Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct StoredNotes {
    purpose: StoredPurpose,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    executable: Option<StoredExecutable>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    despite: Vec<String>,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
enum StoredPurpose {
    Fit,
    Rollback,
    Undo(i64),
    Refit,
    Adopt,
    RemoveCopies,
    Tune,
    Shortcut,
    Wind {
        from: Vec<String>,
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        aside: Vec<String>,
    },
    Hold {
        #[serde(default, skip_serializing_if = "Option::is_none")]
        why: Option<String>,
    },
    Park(String),
    Unpark(i64),
}

/// A mark of an executable as the home's files store it.
#[derive(Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub(crate) struct StoredExecutable {
    path: TreePath,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    version: Option<Version>,
    size: u64,
    linked: u32,
}

impl From<StoredPurpose> for Purpose {
    fn from(stored: StoredPurpose) -> Self {
        match stored {
            StoredPurpose::Fit => Self::Fit,
            StoredPurpose::Rollback => Self::Rollback,
            StoredPurpose::Undo(change) => Self::Undo { change },
            StoredPurpose::Refit => Self::Refit,
            StoredPurpose::Adopt => Self::Adopt,
            StoredPurpose::RemoveCopies => Self::RemoveCopies,
            StoredPurpose::Tune => Self::Tune,
            StoredPurpose::Shortcut => Self::Shortcut,
            StoredPurpose::Wind { from, aside } => Self::Wind { from, aside },
            StoredPurpose::Hold { why } => Self::Hold { why },
            StoredPurpose::Park(family) => Self::Park { family },
            StoredPurpose::Unpark(change) => Self::Unpark { change },
        }
    }
}

impl From<Purpose> for StoredPurpose {
    fn from(purpose: Purpose) -> Self {
        match purpose {
            Purpose::Fit => Self::Fit,
            Purpose::Rollback => Self::Rollback,
            Purpose::Undo { change } => Self::Undo(change),
            Purpose::Refit => Self::Refit,
            Purpose::Adopt => Self::Adopt,
            Purpose::RemoveCopies => Self::RemoveCopies,
            Purpose::Tune => Self::Tune,
            Purpose::Shortcut => Self::Shortcut,
            Purpose::Wind { from, aside } => Self::Wind { from, aside },
            Purpose::Hold { why } => Self::Hold { why },
            Purpose::Park { family } => Self::Park(family),
            Purpose::Unpark { change } => Self::Unpark(change),
        }
    }
}

impl From<StoredExecutable> for ExecutableMark {
    fn from(stored: StoredExecutable) -> Self {
        let StoredExecutable { path, version, size, linked } = stored;
        Self { path, version, size, stamp: linked }
    }
}

impl From<ExecutableMark> for StoredExecutable {
    fn from(mark: ExecutableMark) -> Self {
        let ExecutableMark { path, version, size, stamp } = mark;
        Self { path, version, size, linked: stamp }
    }
}

/// The notes of a change for the journal.
///
/// # Errors
/// If they cannot be written as JSON.
pub(crate) fn notes(
    purpose: Purpose,
    executable: Option<ExecutableMark>,
    despite: Vec<String>,
) -> Result<Notes> {
    let executable = executable.map(StoredExecutable::from);
    let stored = StoredNotes { purpose: purpose.into(), executable, despite };
    Notes::of(&stored).map_err(|error| Error::Invalid {
        what: format!("the change cannot be recorded: {error}"),
        remedy: "Use names that are Unicode.".into(),
    })
}

impl TryFrom<Record> for Change {
    /// Why its notes cannot be read.
    type Error = String;

    fn try_from(record: Record) -> Result<Self, String> {
        let stored: StoredNotes = record.notes.read().map_err(|error| error.to_string())?;
        let StoredNotes { purpose, executable, despite } = stored;
        let executable = executable.map(ExecutableMark::from);
        Ok(Self { purpose: purpose.into(), executable, despite, record })
    }
}

/// The version that people call a side of a step by, if it has one.
pub fn version_of(side: &Side) -> Option<Version> {
    side.label.as_ref()?.parse().ok()
}

/// The value of a key or a registry value on one side of a step, for people; `None` if it has none, or the step is
/// about something else.
pub fn value_of(target: &Target, side: &Side) -> Option<String> {
    match (target, &side.state) {
        (Target::Setting(key), State::Setting(value)) => Some(document::plain(key.format, value)),
        (_, State::Value(value)) => Some(value.to_string()),
        _ => None,
    }
}

/// `version 2.7.4`, or its size if it states none.
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
