//! What differs from the last recorded state, file by file.

use serde::Serialize;

use super::{Ground, Held, Ledger, Place, content};
use crate::change::{Change, ChangeState, ExecutableMark};
use crate::error::Result;
use crate::survey::GameView;
use crate::version::Version;

/// How a file stands to its record.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum DriftState {
    /// It is what was fitted.
    Fitted,
    /// It is what the game brought.
    Shipped,
    /// Something else has put another file there.
    Overwritten,
    /// It is gone.
    Missing,
    /// A file is there where there should be none.
    Foreign,
}

impl DriftState {
    /// The word used in output and in JSON.
    pub fn name(self) -> &'static str {
        match self {
            Self::Fitted => "fitted",
            Self::Shipped => "shipped",
            Self::Overwritten => "overwritten",
            Self::Missing => "missing",
            Self::Foreign => "foreign",
        }
    }
}

/// How the version that is there compares with the one that was fitted.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Than {
    /// It is older.
    Older,
    /// It is the same, in another file.
    Same,
    /// It is newer.
    Newer,
    /// One of them states none.
    Unknown,
}

/// A managed file as it is now.
#[derive(Debug, Clone, Serialize)]
pub struct Drifted {
    /// The file.
    #[serde(flatten)]
    pub place: Place,
    /// The family that it was last touched for.
    pub family: String,
    /// How it stands to its record.
    pub state: DriftState,
    /// What the last change left there.
    pub recorded: Option<Held>,
    /// What is there now.
    pub now: Option<Held>,
    /// How the version that is there compares with the one that was fitted.
    pub than: Option<Than>,
    /// Who signed what is there now.
    pub signer: Option<String>,
}

impl Drifted {
    /// Whether it is other than the last change left it.
    pub fn is_off(&self) -> bool {
        !matches!(self.state, DriftState::Fitted | DriftState::Shipped)
    }
}

/// How a game stands to its records.
#[derive(Debug, Serialize)]
pub struct Drift {
    /// The id of the game.
    pub game: String,
    /// Its managed files, those that are off first.
    pub files: Vec<Drifted>,
    /// The executable as it was at the last change, where it is another now.
    pub executable_then: Option<ExecutableMark>,
    /// The executable as it is now.
    pub executable_now: Option<ExecutableMark>,
}

impl Drift {
    /// Whether anything differs from the records.
    pub fn is_off(&self) -> bool {
        self.executable_then.is_some() || self.files.iter().any(Drifted::is_off)
    }
}

/// Compares a game with its records.
pub(crate) fn drift(view: &GameView, changes: &[Change], ground: &dyn Ground) -> Result<Drift> {
    let root = &view.game.root;
    let ledger = Ledger::of(root, changes);
    let mut files = Vec::new();
    for entry in ledger.entries() {
        let now = ground.now(&entry.place)?;
        let state = if content(now.as_ref()) == content(entry.last.as_ref()) {
            if entry.in_force() { DriftState::Fitted } else { DriftState::Shipped }
        } else {
            match (&entry.last, &now) {
                (_, None) => DriftState::Missing,
                (None, Some(_)) => DriftState::Foreign,
                _ => DriftState::Overwritten,
            }
        };
        let library = view
            .libraries
            .iter()
            .find(|library| entry.place.same_as(&Place::from(library.path.clone())));
        files.push(Drifted {
            place: entry.place.clone(),
            family: entry.family.clone(),
            state,
            than: (state == DriftState::Overwritten)
                .then(|| than(entry.last.as_ref(), now.as_ref())),
            signer: library.and_then(|library| library.facts.signer.clone()),
            recorded: entry.last.clone(),
            now,
        });
    }
    files.sort_by_key(|file| (!file.is_off(), file.place.clone()));
    let last = changes
        .iter()
        .rev()
        .filter(|change| change.state == ChangeState::Done && change.root == *root)
        .find_map(|change| change.executable.as_ref());
    let now = ExecutableMark::of(view);
    let altered = last.filter(|then| !files.is_empty() && Some(*then) != now.as_ref());
    Ok(Drift {
        game: view.game.id.clone(),
        files,
        executable_then: altered.cloned(),
        executable_now: now,
    })
}

fn than(recorded: Option<&Held>, now: Option<&Held>) -> Than {
    let version = |held: Option<&Held>| -> Option<Version> { held?.version.clone() };
    match version(now).zip(version(recorded)) {
        None => Than::Unknown,
        Some((now, recorded)) if now < recorded => Than::Older,
        Some((now, recorded)) if now > recorded => Than::Newer,
        Some(_) => Than::Same,
    }
}
