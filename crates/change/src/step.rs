//! Steps: a target, its expected state, and its new state.
//!
//! Every kind of target has the same form, so that what undoes, compares or lists steps knows none of the kinds. A
//! kind has a constructor here, its own carrier that does it, and a stored form.

use std::fmt;
use std::path::Path;

use upright_spanner_settings::registry::{Value, ValueName, folded};
use upright_spanner_settings::{Format, KeyPath};

use crate::content::{Content, FileState};
use crate::owner::Owner;
use crate::path::{Place, fold, slashes};

/// The target of a step.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Target {
    /// A file: its content with its marks.
    File(Place),
    /// A folder: that it is there. It is made empty, and removed only if it is empty.
    Folder(Place),
    /// A file or folder as a whole, with all that is in it, which is in its place or is kept elsewhere.
    Aside(Aside),
    /// Whether a file is marked read-only, whatever is in it.
    ReadOnly(Place),
    /// A key of a settings file, whatever else is in it.
    Setting(SettingKey),
    /// A value of a registry.
    Value(RegistryValue),
}

/// A file or folder that is moved aside, or back.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Aside {
    /// Its place.
    pub place: Place,
    /// Its place while it is moved aside, on the same volume.
    pub kept: Place,
}

/// A key of a settings file.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct SettingKey {
    /// The file.
    pub place: Place,
    /// How it is written.
    pub format: Format,
    /// The key in it.
    pub path: KeyPath,
}

/// A value of a registry.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct RegistryValue {
    /// Which registry.
    pub registry: Registry,
    /// The value in it.
    pub value: ValueName,
}

/// A registry: its part of the user's own.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Registry {
    /// That of the Windows on which this runs.
    Windows,
    /// That of a prefix: the file that holds it.
    Prefix(Place),
}

impl Target {
    /// Its place, or that of the file that contains it; `None` if it is not in a file.
    pub fn place(&self) -> Option<&Place> {
        match self {
            Self::File(place)
            | Self::Folder(place)
            | Self::Aside(Aside { place, .. })
            | Self::ReadOnly(place)
            | Self::Setting(SettingKey { place, .. })
            | Self::Value(RegistryValue { registry: Registry::Prefix(place), .. }) => Some(place),
            Self::Value(RegistryValue { registry: Registry::Windows, .. }) => None,
        }
    }

    /// The place of a file; `None` for other kinds.
    pub fn file(&self) -> Option<&Place> {
        match self {
            Self::File(place) => Some(place),
            _ => None,
        }
    }

    /// Every place that it is about.
    pub fn places(&self) -> impl Iterator<Item = &Place> {
        let kept = match self {
            Self::Aside(aside) => Some(&aside.kept),
            _ => None,
        };
        self.place().into_iter().chain(kept)
    }

    /// Whether it is a folder.
    pub fn is_folder(&self) -> bool {
        matches!(self, Self::Folder(_))
    }

    /// The same target after its folder, or one around it, was moved.
    #[must_use]
    pub fn moved(&self, from: &Path, to: &Path) -> Self {
        match (self, self.place()) {
            (Self::Aside(Aside { place, kept }), _) => {
                Self::Aside(Aside { place: place.moved(from, to), kept: kept.moved(from, to) })
            }
            (_, Some(place)) => self.with_place(place.moved(from, to)),
            (_, None) => self.clone(),
        }
    }

    /// A target of the same kind somewhere else.
    #[must_use]
    pub fn with_place(&self, place: Place) -> Self {
        match self {
            Self::File(_) => Self::File(place),
            Self::Folder(_) => Self::Folder(place),
            Self::Aside(aside) => Self::Aside(Aside { place, kept: aside.kept.clone() }),
            Self::ReadOnly(_) => Self::ReadOnly(place),
            Self::Setting(key) => Self::Setting(SettingKey { place, ..key.clone() }),
            Self::Value(value) => Self::Value(match value.registry {
                Registry::Windows => value.clone(),
                Registry::Prefix(_) => {
                    RegistryValue { registry: Registry::Prefix(place), value: value.value.clone() }
                }
            }),
        }
    }

    /// The kind in a word.
    pub fn kind(&self) -> &'static str {
        match self {
            Self::File(_) => "file",
            Self::Folder(_) => "folder",
            Self::Aside(_) => "aside",
            Self::ReadOnly(_) => "read-only",
            Self::Setting(_) => "setting",
            Self::Value(_) => "registry-value",
        }
    }

    /// A text that two targets share which are one to a game: it regards no case.
    pub fn key(&self) -> String {
        let bay = self.place().and_then(Place::bay);
        let bay = bay.map_or_else(String::new, |bay| bay.to_string_lossy().into_owned());
        let path = self.place().map_or("", |place| place.path().as_str());
        format!("{}\0{bay}\0{}\0{}", self.kind(), fold(path), self.inside())
    }

    /// A text that two targets share which are one on disk, of whatever game they are.
    pub fn key_on(&self, root: &Path) -> String {
        let path = self.place().map_or_else(String::new, |place| slashes(&place.on(root)));
        format!("{}\0{path}\0{}", self.kind(), self.inside())
    }

    /// The target with its path on disk, for messages.
    pub fn named_on(&self, root: &Path) -> String {
        let path = self.place().map(|place| slashes(&place.on(root)));
        match (self, path) {
            (Self::Setting(key), Some(path)) => format!("{path}: {}", key.path),
            (Self::File(_) | Self::Folder(_) | Self::Aside(_) | Self::ReadOnly(_), Some(path)) => {
                path
            }
            _ => self.to_string(),
        }
    }

    /// The part of its file that it is, folded for comparison.
    fn inside(&self) -> String {
        match self {
            Self::File(_) | Self::Folder(_) | Self::Aside(_) | Self::ReadOnly(_) => String::new(),
            Self::Setting(SettingKey { format: Format::Ini, path, .. }) => fold(&path.to_string()),
            Self::Setting(key) => key.path.to_string(),
            Self::Value(RegistryValue { value, .. }) => {
                format!("{}\0{}", folded(&value.key), folded(&value.name))
            }
        }
    }
}

impl fmt::Display for Target {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::File(place)
            | Self::Folder(place)
            | Self::Aside(Aside { place, .. })
            | Self::ReadOnly(place) => place.fmt(f),
            Self::Setting(key) => f.pad(&format!("{}: {}", key.place, key.path)),
            Self::Value(value) => f.pad(&value.value.to_string()),
        }
    }
}

/// The state of a target.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum State {
    /// Nothing.
    Absent,
    /// A file.
    File(FileState),
    /// A folder, with its permission bits if the system has them.
    Folder(Option<u32>),
    /// A file or folder as a whole.
    Tree(Tree),
    /// A mark, which is set or not.
    Mark {
        /// Whether it is set.
        set: bool,
        /// The file's permission bits, if the system makes the mark of them.
        mode: Option<u32>,
    },
    /// The value of a key in a settings file, as it is written, with its quotes.
    Setting(String),
    /// The content of a registry value.
    Value(Value),
    /// A key or a value that is not there. So many of the sections, objects or registry keys around it are.
    Unset {
        /// How many, from outside.
        around: usize,
    },
}

impl State {
    /// Whether both look the same to a game: dates and permissions may differ.
    pub fn same_as(&self, other: &Self) -> bool {
        match (self, other) {
            (Self::File(a), Self::File(b)) => a.content == b.content,
            (Self::Folder(_), Self::Folder(_)) => true,
            (Self::Tree(a), Self::Tree(b)) => a.listing == b.listing,
            (Self::Mark { set: a, .. }, Self::Mark { set: b, .. }) => a == b,
            (a, b) if a.is_absent() => b.is_absent(),
            _ => self == other,
        }
    }

    /// The state of a mark.
    pub fn mark(set: bool) -> Self {
        Self::Mark { set, mode: None }
    }

    /// Whether it is a mark that is set.
    pub fn is_marked(&self) -> bool {
        matches!(self, Self::Mark { set: true, .. })
    }

    /// The file, if it is one.
    pub fn file(&self) -> Option<&FileState> {
        match self {
            Self::File(state) => Some(state),
            _ => None,
        }
    }

    /// The content of a file.
    pub fn content(&self) -> Option<Content> {
        self.file().map(|file| file.content)
    }

    /// Whether there is nothing.
    pub fn is_absent(&self) -> bool {
        matches!(self, Self::Absent | Self::Unset { .. })
    }
}

/// A file or folder as a whole, as far as it can be described without reading the content of its files.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Tree {
    /// The text that lists its files by name, size, date and marks.
    pub listing: Content,
    /// How many files are in it.
    pub files: u64,
    /// How long they are together.
    pub bytes: u64,
}

/// One side of a step: a state and its label.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Side {
    /// The state.
    pub state: State,
    /// Its label for people, such as a version.
    pub label: Option<String>,
}

impl From<State> for Side {
    fn from(state: State) -> Self {
        Self { state, label: None }
    }
}

impl Side {
    /// Nothing.
    pub const ABSENT: Self = Self { state: State::Absent, label: None };

    /// The side of a file with a label.
    pub fn file(state: FileState, label: Option<String>) -> Self {
        Self { state: State::File(state), label }
    }

    /// Whether both look the same to a game.
    pub fn same_as(&self, other: &Self) -> bool {
        self.state.same_as(&other.state)
    }
}

/// One target with its expected state `before` and its new state `after`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Step {
    target: Target,
    before: Side,
    after: Side,
    owner: Owner,
    source: Option<String>,
    beneath: Option<Side>,
}

impl Step {
    /// A file that comes, goes or is replaced. Either side is a file or nothing.
    pub fn replace(place: Place, before: Side, after: Side, owner: &Owner) -> Self {
        Self::of(Target::File(place), before, after, owner)
    }

    /// A folder that is made.
    pub fn make_folder(place: Place, owner: &Owner) -> Self {
        Self::of(Target::Folder(place), Side::ABSENT, State::Folder(None).into(), owner)
    }

    /// A folder that goes, if it is empty by then.
    pub fn remove_folder(place: Place, mode: Option<u32>, owner: &Owner) -> Self {
        Self::of(Target::Folder(place), State::Folder(mode).into(), Side::ABSENT, owner)
    }

    /// A file whose content is kept, and which stays as it is.
    pub fn keep(place: Place, side: Side, owner: &Owner) -> Self {
        Self::replace(place, side.clone(), side, owner)
    }

    /// A file or folder that is moved aside with all that is in it.
    pub fn aside(aside: Aside, tree: Tree, owner: &Owner) -> Self {
        Self::of(Target::Aside(aside), State::Tree(tree).into(), Side::ABSENT, owner)
    }

    /// A file that is marked read-only from then on, or no more.
    pub fn read_only(place: Place, before: State, after: bool, owner: &Owner) -> Self {
        Self::of(Target::ReadOnly(place), before.into(), State::mark(after).into(), owner)
    }

    /// A key of a settings file that gets another value.
    pub fn setting(key: SettingKey, before: State, after: State, owner: &Owner) -> Self {
        Self::of(Target::Setting(key), before.into(), after.into(), owner)
    }

    /// A value of a registry that gets another content.
    pub fn value(value: RegistryValue, before: State, after: State, owner: &Owner) -> Self {
        Self::of(Target::Value(value), before.into(), after.into(), owner)
    }

    /// A step of any kind from its parts, as they were read from a journal or from another step.
    pub fn of(target: Target, before: Side, after: Side, owner: &Owner) -> Self {
        let owner = owner.clone();
        Self { target, before, after, owner, source: None, beneath: None }
    }

    /// The same step, with the name of what its new content comes from.
    #[must_use]
    pub fn from_source(self, source: Option<String>) -> Self {
        Self { source, ..self }
    }

    /// The same step, with the state that the target would have without its present content.
    #[must_use]
    pub fn over(self, beneath: Option<Side>) -> Self {
        Self { beneath, ..self }
    }

    /// The same step about another target of the same kind.
    #[must_use]
    pub fn about(self, target: Target) -> Self {
        Self { target, ..self }
    }

    /// The same step about a file, which has the read-only mark afterwards, or not.
    #[must_use]
    pub fn marked(self, set: bool) -> Self {
        let mut after = self.after.clone();
        if let State::File(file) = &mut after.state {
            file.stamp = file.stamp.marked(set);
        }
        Self { after, ..self }
    }

    /// The step that reverts this one from the present state.
    #[must_use]
    pub fn taken_back(&self, now: Side) -> Self {
        let (target, owner) = (self.target.clone(), self.owner.clone());
        Self { target, before: now, after: self.before.clone(), owner, source: None, beneath: None }
    }

    /// The same step after the game's folder was moved.
    #[must_use]
    pub fn moved(&self, from: &Path, to: &Path) -> Self {
        Self { target: self.target.moved(from, to), ..self.clone() }
    }

    /// The target.
    pub fn target(&self) -> &Target {
        &self.target
    }

    /// The place of the target, or of the file that contains it; `None` if it is not in a file.
    pub fn place(&self) -> Option<&Place> {
        self.target.place()
    }

    /// The place of the target if it is a file.
    pub fn file(&self) -> Option<&Place> {
        self.target.file()
    }

    /// What must be there for the step to be done.
    pub fn before(&self) -> &Side {
        &self.before
    }

    /// The new state.
    pub fn after(&self) -> &Side {
        &self.after
    }

    /// Whether it alters the target; otherwise it only stores the content.
    pub fn alters(&self) -> bool {
        self.before.state != self.after.state
    }

    /// The state that the target would have without its present content, if the caller gave one.
    pub fn beneath(&self) -> Option<&Side> {
        self.beneath.as_ref()
    }

    /// The part of the game that the target belongs to.
    pub fn owner(&self) -> &Owner {
        &self.owner
    }

    /// What its new content comes from, in the caller's words: a build.
    pub fn source(&self) -> Option<&str> {
        self.source.as_deref()
    }
}
