//! Walks trees, finds the games in them and recognises their components, with evidence.

mod evidence;
mod walk;

use std::io;
use std::path::{Path, PathBuf};

use rayon::prelude::*;
use serde::{Deserialize, Serialize};

use crate::catalog::{self, Role};
use crate::change::Change;
use crate::content::Content;
use crate::error::in_words;
use crate::game::{self, Executable, Game};
use crate::image::{Facts, ImageError, Kind, Machine};
use crate::path::{GamePath, extension};
use crate::plan::Ledger;
use crate::progress::Progress;
use crate::rack::{self, Build};
use crate::version::Version;
pub use evidence::{Evidence, EvidenceKind};
use walk::Found;

/// What was found below some paths.
#[derive(Debug, Default)]
pub struct Survey {
    /// The games, in the order of their folders.
    pub games: Vec<GameView>,
    /// How many libraries lie outside of every game, in folders without a program.
    pub stray: usize,
    /// What could not be read. The rest was surveyed all the same.
    pub errors: Vec<LookError>,
}

/// A game as it is on disk now.
#[derive(Debug)]
pub struct GameView {
    /// The game.
    pub game: Game,
    /// Its programs, the likeliest first. The first is the executable that counts.
    pub programs: Vec<Executable>,
    /// Every library in its folder, in the order of their paths.
    pub libraries: Vec<Library>,
}

/// A library in a game's folder.
#[derive(Debug)]
pub struct Library {
    /// Where it is.
    pub path: GamePath,
    /// What it says of itself.
    pub facts: Facts,
    /// Its date: seconds since 1970, and nanoseconds.
    pub modified: (i64, u32),
    /// The family that it belongs to.
    pub family: String,
    /// What it does for the game.
    pub role: Role,
    /// Whether it is as the tool left it.
    pub state: Standing,
    /// The newest build on the rack that could take its place, where that is newer.
    pub newer: Option<Newer>,
    /// Why it is taken for a component; where there is nothing, it is one of the game's own files.
    pub evidence: Vec<Evidence>,
}

/// A build on the rack that is newer than what a game has.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Newer {
    /// Its name.
    pub build: String,
    /// Its version.
    pub version: Version,
}

/// What the records know of a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Standing {
    /// No change ever touched it.
    Unrecorded,
    /// It was altered once and is now as it was before that.
    Shipped,
    /// It is what the last change put there.
    Fitted,
    /// Something else has altered it since.
    Overwritten,
}

impl Standing {
    /// The word used in output and in JSON.
    pub fn name(self) -> &'static str {
        match self {
            Self::Unrecorded => "unrecorded",
            Self::Shipped => "shipped",
            Self::Fitted => "fitted",
            Self::Overwritten => "overwritten",
        }
    }
}

/// Something that could not be looked at.
#[derive(Debug)]
pub struct LookError {
    /// Where.
    pub path: PathBuf,
    /// A stable code: that of [`ImageError::code`], or `unreadable` for folders.
    pub code: &'static str,
    /// What is wrong.
    pub message: String,
}

/// What the home folder knows that helps to recognise files.
pub(crate) struct Knowledge {
    pub games: Vec<Game>,
    pub builds: Vec<Build>,
    /// Every change so far, oldest first.
    pub changes: Vec<Change>,
}

impl GameView {
    /// The executable that counts.
    pub fn executable(&self) -> Option<&Executable> {
        self.programs.first()
    }

    /// The libraries that are components, in the order of their roles. In a folder without any
    /// program there is nothing to tell them by, and all are given.
    pub fn components(&self) -> Vec<&Library> {
        let all = self.programs.is_empty();
        let mut components: Vec<&Library> =
            self.libraries.iter().filter(|library| all || !library.evidence.is_empty()).collect();
        components.sort_by(|a, b| {
            a.role
                .cmp(&b.role)
                .then_with(|| a.family.cmp(&b.family))
                .then_with(|| a.path.cmp(&b.path))
        });
        components
    }

    /// The machine that a component must be for, where the game has an executable.
    pub fn machine(&self) -> Option<Machine> {
        self.executable().map(|executable| executable.facts.machine)
    }
}

/// Surveys everything below `paths`.
pub(crate) fn survey(
    paths: &[PathBuf],
    knowledge: &mut Knowledge,
    progress: &dyn Progress,
) -> Survey {
    let mut survey = Survey::default();
    for path in paths {
        let place = match canonical(path) {
            Ok(place) => place,
            Err(error) => {
                let message = format!("it cannot be looked at: {}", in_words(&error));
                survey.errors.push(LookError { path: path.clone(), code: "unreadable", message });
                continue;
            }
        };
        // A place inside a game stands for the game.
        let around = knowledge.games.iter().find(|game| place.starts_with(&game.root));
        let folder = match around {
            Some(game) => game.root.clone(),
            None if place.is_dir() => place,
            None => folder_of(&place),
        };
        let found = walk::images(&folder, progress);
        survey.errors.extend(found.errors);
        let name =
            folder.file_name().map_or_else(String::new, |n| n.to_string_lossy().into_owned());
        let paths: Vec<GamePath> = found.images.iter().map(|image| image.path.clone()).collect();
        let mut in_games = 0;
        for relative in game::game_folders(&name, &paths) {
            let root = if relative.is_empty() { folder.clone() } else { folder.join(&relative) };
            let game = Game::in_folder(root, &knowledge.games);
            if !knowledge.games.contains(&game) {
                knowledge.games.push(game.clone());
            }
            let inside: Vec<Found> =
                found.images.iter().filter_map(|image| image.inside(&relative)).collect();
            in_games += inside.len();
            survey.games.push(look(game, inside, knowledge, &mut survey.errors, progress));
        }
        survey.stray += found.images.len() - in_games;
    }
    evidence::across_games(&mut survey.games);
    for view in &mut survey.games {
        settle_roles(view);
    }
    survey
}

/// Reads what the images of one game say and what speaks for each of them.
fn look(
    game: Game,
    images: Vec<Found>,
    knowledge: &Knowledge,
    errors: &mut Vec<LookError>,
    progress: &dyn Progress,
) -> GameView {
    progress.begin(&format!("reading {}", game.title), Some(images.len() as u64));
    let read: Vec<(Found, Result<Facts, ImageError>)> = images
        .into_par_iter()
        .map(|image| {
            let facts = Facts::read(&image.path.on(&game.root));
            progress.advance(1);
            (image, facts)
        })
        .collect();
    progress.end();

    let mut programs = Vec::new();
    let mut libraries = Vec::new();
    for (image, facts) in read {
        match facts {
            Ok(facts) if facts.kind == Kind::Exe && extension(image.path.file_name()) == "exe" => {
                programs.push((image.path, facts));
            }
            Ok(facts) => libraries.push((image, facts)),
            // A data file may end in .dll or .bak too; it is none of our business.
            Err(ImageError::NotAnImage { .. }) if !image.is_library_by_name() => {}
            Err(error) => errors.push(LookError {
                path: image.path.on(&game.root),
                code: error.code(),
                message: error.to_string(),
            }),
        }
    }
    let programs = game::rank(&game.title, programs);
    let ledger = Ledger::of(&game.root, &knowledge.changes);
    let machine = programs.first().map(|executable| executable.facts.machine);
    let libraries = libraries
        .into_iter()
        .map(|(image, facts)| {
            let family = catalog::family_of(&facts, image.path.file_name());
            let newer = newer(&knowledge.builds, &family, machine.unwrap_or(facts.machine), &facts);
            Library {
                state: standing(&game.root, &image, &ledger),
                role: Role::Support,
                evidence: Vec::new(),
                path: image.path,
                modified: image.modified,
                facts,
                family,
                newer,
            }
        })
        .collect();
    let mut view = GameView { game, programs, libraries };
    evidence::within_game(&mut view, &knowledge.builds);
    view
}

/// Roles follow from what a file says of itself, else from the evidence for it.
fn settle_roles(view: &mut GameView) {
    for library in &mut view.libraries {
        let by_evidence = library.evidence.iter().find_map(|evidence| match evidence.kind {
            EvidenceKind::StandIn => Some(Role::Loader),
            EvidenceKind::Keyed => Some(Role::Extender),
            _ => None,
        });
        let by_words = catalog::role_of(&library.facts);
        library.role = by_evidence.or(by_words).unwrap_or(Role::Support);
    }
}

fn newer(builds: &[Build], family: &str, machine: Machine, facts: &Facts) -> Option<Newer> {
    let build = rack::newest(builds, family, machine)?;
    let version = build.version.clone()?;
    let has = facts.version();
    (has.is_none() || has < Some(version.clone()))
        .then(|| Newer { build: build.id.to_string(), version })
}

/// Compares a file with the last record of it: by size and date, and by content where these leave
/// it open.
fn standing(root: &Path, image: &Found, ledger: &Ledger) -> Standing {
    let Some(entry) = ledger.get(&image.path) else {
        return Standing::Unrecorded;
    };
    let Some(last) = entry.last.as_ref().map(|held| held.state) else {
        return Standing::Overwritten;
    };
    let undisturbed = last.content.size == image.size && last.stamp.modified == image.modified;
    let same = undisturbed
        || (last.content.size == image.size
            && Content::of_file(&image.path.on(root)).is_ok_and(|content| content == last.content));
    match (same, entry.in_force()) {
        (false, _) => Standing::Overwritten,
        (true, true) => Standing::Fitted,
        (true, false) => Standing::Shipped,
    }
}

/// The path of a folder as the system spells it, links resolved.
pub(crate) fn canonical(path: &Path) -> io::Result<PathBuf> {
    path.canonicalize().map(plain)
}

/// Windows' own spelling of a resolved path begins with `\\?\`, which no user writes.
fn plain(path: PathBuf) -> PathBuf {
    if !cfg!(windows) {
        return path;
    }
    match path.to_str().and_then(|text| text.strip_prefix(r"\\?\")) {
        Some(rest) if rest.as_bytes().get(1) == Some(&b':') => PathBuf::from(rest),
        _ => path,
    }
}

fn folder_of(file: &Path) -> PathBuf {
    file.parent().map_or_else(|| file.to_owned(), Path::to_owned)
}

impl Library {
    /// Whether its name says that it is a copy of another library, put aside by hand.
    pub fn is_put_aside(&self) -> bool {
        evidence::original_name(self.path.file_name()).is_some()
    }
}
