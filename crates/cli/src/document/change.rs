//! Steps and changes: the states of targets before and after.

use schemars::JsonSchema;
use serde::Serialize;
use upright_spanner_core::change::{
    self, ExecutableMark, Owner, Purpose, State, Target, state_name,
};
use upright_spanner_core::registry::{CURRENT_USER, ValueName, digits_of};

use super::{SchemaNumber, text};
use crate::text::slashes;

/// A finished change.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Changed {
    schema: SchemaNumber,
    game: String,
    change: Change,
}

/// A change of one game.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Change {
    /// The number that `undo` and `history show` take.
    number: i64,
    /// The game's id.
    game: String,
    summary: String,
    /// The purpose.
    purpose: Purpose,
    /// The executable that counted then.
    executable: Option<Executable>,
    /// Codes of the findings that were overridden.
    despite: Vec<String>,
    /// When it began, as in `2026-01-31T12:00:00Z`.
    began: String,
    /// How it ended: `open` if it was cut off, `put-back` if it failed, `settled` by `doctor --settle`.
    #[schemars(extend("enum" = ["open", "done", "put-back", "settled"]))]
    state: &'static str,
    steps: Vec<Step>,
    folders: Folders,
}

/// The executable that counts, at some time.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Executable {
    path: String,
    version: Option<String>,
    /// In bytes.
    size: u64,
    /// The link time in its header, or the linker's number in its place.
    stamp: u32,
}

/// One target, before and after.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Step {
    #[serde(flatten)]
    place: Place,
    /// Whether it is about the file, its read-only mark, a key in it, or a value of the registry.
    #[schemars(extend("enum" = ["file", "aside", "read-only", "setting", "registry-value"]))]
    kind: &'static str,
    /// The key in a settings file, from outside to inside.
    #[serde(skip_serializing_if = "Option::is_none")]
    key: Option<Vec<String>>,
    /// The value of the registry.
    #[serde(skip_serializing_if = "Option::is_none")]
    value: Option<RegistryValue>,
    #[serde(flatten)]
    owner: StepOwner,
    before: Side,
    after: Side,
    /// The build that it comes from.
    #[serde(skip_serializing_if = "Option::is_none")]
    build: Option<String>,
    /// Its place while it is moved aside.
    #[serde(skip_serializing_if = "Option::is_none")]
    kept: Option<String>,
    /// The state that the target would have without its present content.
    #[serde(skip_serializing_if = "Option::is_none")]
    beneath: Option<Side>,
}

/// The part of the game that a target belongs to.
#[derive(Debug, Serialize, JsonSchema)]
pub struct StepOwner {
    /// `component`, or the part of the game.
    #[schemars(extend("enum" = ["component", "game", "saves", "hold", "compatibility", "shortcut"]))]
    owner: &'static str,
    /// The family of a component.
    family: Option<String>,
}

impl From<&Owner> for StepOwner {
    fn from(owner: &Owner) -> Self {
        let name = match owner {
            Owner::Family(_) => "component",
            Owner::Game => "game",
            Owner::Saves => "saves",
            Owner::Hold => "hold",
            Owner::Compatibility => "compatibility",
            Owner::Shortcut => "shortcut",
        };
        Self { owner: name, family: owner.family().map(str::to_owned) }
    }
}

/// The place of something.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Place {
    /// Relative to the game's folder, or to the bay.
    path: String,
    /// The folder, if it is not in the game's.
    #[serde(skip_serializing_if = "Option::is_none")]
    bay: Option<String>,
}

/// A value of the registry, below `HKEY_CURRENT_USER`.
#[derive(Debug, Serialize, JsonSchema)]
pub struct RegistryValue {
    /// As in `Software\Maker\Product`.
    key: String,
    /// Empty for the key's own value.
    name: String,
}

/// The content of a registry value.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Value {
    /// The type, as the system numbers it: 1 for text, 4 for a number of 32 bits, and so on.
    kind: u32,
    /// The content as people read it.
    text: String,
    /// The bytes, in hexadecimal digits with commas between them.
    data: String,
}

/// The state of a target: null if it is absent.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(untagged)]
pub enum Side {
    /// Nothing.
    Absent,
    /// A mark, which is set or not.
    Mark(bool),
    /// The value of a key, as it is written in its file.
    Setting(String),
    /// The content of a registry value.
    Value(Value),
    /// A file.
    File(File),
    /// A file or folder as a whole.
    Tree {
        /// The digest of the text in the store that lists its files.
        listing: String,
        files: u64,
        bytes: u64,
    },
    /// A folder.
    Folder {
        /// Permission bits, if the system has them.
        mode: Option<u32>,
    },
}

/// A file.
#[derive(Debug, Serialize, JsonSchema)]
pub struct File {
    /// The digest by which the home folder names contents.
    blake3: String,
    /// In bytes.
    size: u64,
    /// Seconds since 1970, and nanoseconds.
    modified: (i64, u32),
    /// Permission bits, if the system has them.
    mode: Option<u32>,
    read_only: bool,
    /// The version that it states.
    version: Option<String>,
    /// Windows' own attributes, if the system has them.
    #[serde(skip_serializing_if = "Option::is_none")]
    attributes: Option<u32>,
}

/// The folders that come and go.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Folders {
    made: Vec<Place>,
    removed: Vec<Place>,
}

impl Changed {
    pub fn new(change: &change::Change) -> Self {
        Self { schema: SchemaNumber, game: change.game().to_owned(), change: change.into() }
    }
}

impl From<&change::Change> for Change {
    fn from(change: &change::Change) -> Self {
        Self {
            number: change.number(),
            game: change.game().to_owned(),
            summary: change.summary().to_owned(),
            purpose: change.purpose.clone(),
            executable: change.executable.as_ref().map(Executable::from),
            despite: change.despite.clone(),
            began: change.began().to_string(),
            state: state_name(change.state()),
            steps: steps(change.steps()),
            folders: Folders::of(change.steps()),
        }
    }
}

impl From<&ExecutableMark> for Executable {
    fn from(mark: &ExecutableMark) -> Self {
        Self {
            path: mark.path.to_string(),
            version: text(mark.version.as_ref()),
            size: mark.size,
            stamp: mark.stamp,
        }
    }
}

/// The steps that are not about folders.
pub fn steps(steps: &[change::Step]) -> Vec<Step> {
    steps.iter().filter(|step| !step.target().is_folder()).map(Step::from).collect()
}

impl From<&change::Step> for Step {
    fn from(step: &change::Step) -> Self {
        Self {
            place: Place::of(step.target()),
            kind: step.target().kind(),
            key: match step.target() {
                Target::Setting(key) => Some(key.path.names().to_vec()),
                _ => None,
            },
            value: registry_value(step.target()),
            owner: step.owner().into(),
            before: step.before().into(),
            after: step.after().into(),
            build: step.source().map(str::to_owned),
            kept: match step.target() {
                Target::Aside(aside) => Some(match aside.kept.bay() {
                    Some(folder) => format!("{}/{}", slashes(folder), aside.kept.path()),
                    None => aside.kept.path().to_string(),
                }),
                _ => None,
            },
            beneath: step.beneath().map(Side::from),
        }
    }
}

impl From<&ValueName> for RegistryValue {
    fn from(value: &ValueName) -> Self {
        Self { key: value.key.clone(), name: value.name.clone() }
    }
}

/// The value of the registry that a target is.
pub fn registry_value(target: &Target) -> Option<RegistryValue> {
    match target {
        Target::Value(value) => Some((&value.value).into()),
        _ => None,
    }
}

impl Place {
    /// The place of a target, or of the file that contains it.
    pub fn of(target: &Target) -> Self {
        // A target without a file is in the system's registry.
        let registry = || Self { path: CURRENT_USER.to_owned(), bay: None };
        target.place().map_or_else(registry, Self::from)
    }
}

impl From<&upright_spanner_core::plan::Place> for Place {
    fn from(place: &upright_spanner_core::plan::Place) -> Self {
        Self { path: place.path().to_string(), bay: place.bay().map(slashes) }
    }
}

impl From<&change::Side> for Side {
    fn from(side: &change::Side) -> Self {
        match &side.state {
            State::Absent | State::Unset { .. } => Self::Absent,
            State::Folder(mode) => Self::Folder { mode: *mode },
            State::Tree(tree) => Self::Tree {
                listing: tree.listing.blake3.to_string(),
                files: tree.files,
                bytes: tree.bytes,
            },
            State::Mark { set, .. } => Self::Mark(*set),
            State::Setting(value) => Self::Setting(value.clone()),
            State::Value(value) => Self::Value(Value {
                kind: value.kind,
                text: value.to_string(),
                data: digits_of(&value.data),
            }),
            State::File(file) => Self::File(File {
                blake3: file.content.blake3.to_string(),
                size: file.content.size,
                modified: file.stamp.modified,
                mode: file.stamp.mode,
                read_only: file.stamp.read_only,
                version: side.label.clone(),
                attributes: file.stamp.attributes,
            }),
        }
    }
}

impl Folders {
    pub fn of(steps: &[change::Step]) -> Self {
        let (mut made, mut removed) = (Vec::new(), Vec::new());
        for step in steps.iter().filter(|step| step.target().is_folder()) {
            let is_gone = step.after().state.is_absent();
            let folders = if is_gone { &mut removed } else { &mut made };
            folders.push(Place::of(step.target()));
        }
        Self { made, removed }
    }
}
