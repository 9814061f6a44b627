//! What differs from the last recorded state, file by file.

use std::path::PathBuf;

use super::in_effect;
use super::shortcut::is_outside;
use super::{Place, version_of};
use crate::change::{Change, ExecutableMark, Owner, Purpose, RecordState, Side, Target};
use crate::error::Result;
use crate::situation::Situation;
use upright_spanner_image::Version;

/// The state of a file compared with its record.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum DriftState {
    /// The fitted file.
    Fitted,
    /// The shipped file.
    Shipped,
    /// Something else has put another file there.
    Overwritten,
    /// It is gone.
    Missing,
    /// A file is there if there should be none.
    Foreign,
    /// A change that was interrupted is about it.
    Waiting,
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
            Self::Waiting => "waiting",
        }
    }
}

/// How the version that is there compares with the one that was fitted.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum VersionChange {
    /// It is older.
    Older,
    /// It is the same, in another file.
    Same,
    /// It is newer.
    Newer,
    /// One of them states none.
    Unknown,
}

impl VersionChange {
    /// The word used in JSON.
    pub fn name(self) -> &'static str {
        match self {
            Self::Older => "older",
            Self::Same => "same",
            Self::Newer => "newer",
            Self::Unknown => "unknown",
        }
    }
}

/// A managed file as it is now, or a value of the registry or a read-only mark.
#[derive(Debug, Clone)]
pub struct Drifted {
    /// Its kind.
    pub target: Target,
    /// Its owner.
    pub owner: Owner,
    /// Its state compared with its record.
    pub state: DriftState,
    /// The state after the last change.
    pub recorded: Side,
    /// The present state.
    pub now: Side,
    /// How the version that is there compares with the one that was fitted.
    pub version_change: Option<VersionChange>,
    /// The signer of the present file.
    pub signer: Option<String>,
}

impl Drifted {
    /// Whether it is different from the last change left it.
    pub fn is_off(&self) -> bool {
        !matches!(self.state, DriftState::Fitted | DriftState::Shipped | DriftState::Waiting)
    }
}

/// A release that was put onto a game's folder, as it is now.
#[derive(Debug, Clone)]
pub struct Wound {
    /// The change that did it.
    pub change: i64,
    /// The folders and archives of the release.
    pub from: Vec<String>,
    /// The patterns of the files that were moved aside.
    pub aside: Vec<String>,
    /// The game's version before it.
    pub was: Option<Version>,
    /// The game's version with it.
    pub is: Option<Version>,
    /// How many files it is of.
    pub files: usize,
    /// Those that are different now, or missing.
    pub others: Vec<Place>,
}

impl Wound {
    /// Whether any of its files is different now.
    pub fn is_off(&self) -> bool {
        !self.others.is_empty()
    }
}

/// A launcher's record that keeps it from updating the game, as it is now.
#[derive(Debug, Clone)]
pub struct Held {
    /// The file.
    pub file: PathBuf,
    /// Why, in the user's words.
    pub why: Option<String>,
    /// The change that did it.
    pub change: i64,
    /// Whether it does not keep the launcher away any more.
    pub is_lifted: bool,
}

/// The state of a game compared with its records.
#[derive(Debug)]
pub struct Drift {
    /// The id of the game.
    pub game: String,
    /// Its managed files, with values of the registry and read-only marks; those that are off first.
    pub files: Vec<Drifted>,
    /// The release that was wound onto the game's folder.
    pub wound: Option<Wound>,
    /// What keeps launchers from updating the game.
    pub held: Vec<Held>,
    /// What launchers say that would come next: the launcher, and the build if it names one.
    pub waiting: Vec<(String, Option<String>)>,
    /// The executable at the last change, if it is different now.
    pub executable_then: Option<ExecutableMark>,
    /// The executable as it is now.
    pub executable_now: Option<ExecutableMark>,
}

impl Drift {
    /// Whether anything differs from the records.
    pub fn is_off(&self) -> bool {
        self.executable_then.is_some()
            || self.files.iter().any(Drifted::is_off)
            || self.wound.as_ref().is_some_and(Wound::is_off)
            || self.held.iter().any(|held| held.is_lifted)
    }

    /// Whether nothing of the game was ever changed, so that there is nothing to compare.
    pub fn is_empty(&self) -> bool {
        self.files.is_empty() && self.wound.is_none() && self.held.is_empty()
    }
}

/// Compares a game with its records. Files of an interrupted change do not count: they are recovered first.
pub(crate) fn drift(situation: &Situation<'_>) -> Result<Drift> {
    let Situation { view, changes, ledger, window, .. } = situation;
    let root = &view.game.root;
    let open = changes.iter().filter(|change| change.state() == RecordState::Open);
    let waiting: Vec<_> = open
        .flat_map(|change| change.steps().iter().filter_map(|step| change.on_disk(step.target())))
        .collect();
    let mut files = Vec::new();
    for entry in ledger.entries() {
        // Settings are set by the user and by programs: that is not a drift.
        if matches!(entry.target, Target::Folder(_) | Target::Setting(_) | Target::Aside(_)) {
            continue;
        }
        // Files of the game itself are reported together, and saves belong to the user.
        let is_of_game = entry.owner == Owner::Game && !entry.in_force();
        if is_of_game || matches!(entry.owner, Owner::Saves | Owner::Hold) {
            continue;
        }
        if entry.target.file().is_some_and(|place| is_outside(situation, place)) {
            continue;
        }
        let target = window.target_on_disk(ledger, &entry.target);
        let now = window.now(&target)?;
        if matches!(target, Target::ReadOnly(_)) && now.state.is_absent() {
            // The file is reported as missing.
            continue;
        }
        let is_as_shipped = !entry.in_force() && now.same_as(&entry.last);
        if target.file().is_none() && is_as_shipped {
            continue;
        }
        let place = target.file();
        let is_users = place.is_some_and(|place| situation.is_users(place, &entry.owner));
        let edited = is_users && !now.state.is_absent();
        let path = target.place().map(|place| place.on(root));
        let state = if path.is_some_and(|path| waiting.contains(&path)) {
            DriftState::Waiting
        } else if now.same_as(&entry.last) || edited && !entry.last.state.is_absent() {
            if entry.in_force() { DriftState::Fitted } else { DriftState::Shipped }
        } else {
            match (&entry.last, &now) {
                (_, now) if now.state.is_absent() => DriftState::Missing,
                (last, _) if last.state.is_absent() => DriftState::Foreign,
                _ => DriftState::Overwritten,
            }
        };
        let library = view.libraries.iter().find(|library| {
            place.is_some_and(|place| place.same_as(&Place::from(library.path.clone())))
        });
        files.push(Drifted {
            owner: entry.owner.clone(),
            state,
            version_change: (state == DriftState::Overwritten && place.is_some())
                .then(|| compare(&entry.last, &now)),
            signer: library.and_then(|library| library.facts.signer.clone()),
            recorded: entry.last.clone(),
            now,
            target,
        });
    }

    files.sort_by_key(|file| (!file.is_off(), file.target.clone()));
    let last = changes
        .iter()
        .rev()
        .filter(|change| change.counts() && change.root() == root)
        .find_map(|change| change.executable.as_ref());
    let now = view.mark();
    let wound = wound(situation)?;
    let held = held(situation)?;
    let records = view.records.iter().filter(|record| record.waiting);
    let waiting = records.map(|record| (record.launcher.clone(), record.next.clone()));
    let is_ours = !files.is_empty() || wound.is_some();
    let altered = last.filter(|then| is_ours && Some(*then) != now.as_ref());

    Ok(Drift {
        game: view.game.id.clone(),
        files,
        wound,
        waiting: waiting.filter(|_| !held.is_empty()).collect(),
        held,
        executable_then: altered.cloned(),
        executable_now: now,
    })
}

/// The release of the last wind that was not undone, with the present state of its files. A file with the recorded
/// length and date is not read.
fn wound(situation: &Situation<'_>) -> Result<Option<Wound>> {
    let Situation { view, changes, ledger, window, .. } = situation;
    let effective = in_effect(changes.iter().copied());
    let is_last =
        |change: &&&Change| change.purpose.is_wind() && effective.contains(&change.number());
    let own = changes.iter().rev().filter(|change| change.root() == view.game.root);
    let Some(change) = own.clone().find(is_last) else { return Ok(None) };

    let (mut files, mut others, mut unsure) = (0, Vec::new(), Vec::new());
    for (place, entry) in ledger.files() {
        let is_other = entry.owner != Owner::Game || entry.in_force();
        if is_other || situation.is_users(place, &entry.owner) {
            continue;
        }
        let Some(then) = entry.last.state.file() else { continue };
        files += 1;
        match window.at_a_glance(place) {
            Some(now) if now == (then.content.size, then.stamp.modified) => {}
            Some((size, _)) if size == then.content.size => unsure.push((place, entry)),
            _ => others.push(place.clone()),
        }
    }
    let places: Vec<&Place> = unsure.iter().map(|(place, _)| *place).collect();
    window.look_ahead(&places);
    for (place, entry) in unsure {
        if !window.file(place)?.same_as(&entry.last) {
            others.push(place.clone());
        }
    }
    others.sort();

    let Purpose::Wind { from, aside } = &change.purpose else { return Ok(None) };
    let executable = change.executable.as_ref();
    let step = executable.and_then(|mark| {
        let place = Place::from(mark.path.clone());
        change.steps().iter().find(|step| step.file().is_some_and(|file| file.same_as(&place)))
    });
    Ok(Some(Wound {
        change: change.number(),
        from: from.clone(),
        aside: aside.clone(),
        was: step.and_then(|step| version_of(step.before())),
        is: executable.and_then(|mark| mark.version.clone()),
        files,
        others,
    }))
}

/// What keeps launchers from updating a game, and whether it still does.
fn held(situation: &Situation<'_>) -> Result<Vec<Held>> {
    let Situation { view, changes, ledger, window, .. } = situation;
    let holds = ledger.entries().filter(|entry| entry.owner == Owner::Hold && entry.in_force());
    let held = holds.filter_map(|entry| Some((entry, entry.place()?)));
    held.map(|(entry, place)| {
        let change = changes.iter().find(|change| change.number() == entry.change);
        Ok(Held {
            file: place.on(&view.game.root),
            why: change.and_then(|change| match &change.purpose {
                Purpose::Hold { why } => why.clone(),
                _ => None,
            }),
            change: entry.change,
            is_lifted: !window.now(&entry.target)?.same_as(&entry.last),
        })
    })
    .collect()
}

fn compare(recorded: &Side, now: &Side) -> VersionChange {
    match version_of(now).zip(version_of(recorded)) {
        None => VersionChange::Unknown,
        Some((now, recorded)) if now < recorded => VersionChange::Older,
        Some((now, recorded)) if now > recorded => VersionChange::Newer,
        Some(_) => VersionChange::Same,
    }
}
