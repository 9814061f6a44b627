//! Where a game's saves lie: in the bay of that name, else where games keep them.

use std::path::{Path, PathBuf};

use super::Place;
use crate::error::{Error, Result};
use crate::path::{TreePath, fold, slashes, stem};
use crate::remedy::Action;
use crate::situation::Situation;
use crate::tune::resolve;
use crate::wind::GameTree;

/// The bay that says where they lie.
pub(crate) const BAY: &str = "saves";

/// How folders of saves are called.
const NAMES: [&str; 6] = ["saves", "save", "savegames", "savegame", "saved games", "save games"];

/// The folder of documents in which many games have one of their own.
const SHARED: &str = "my games";

/// More files than this are no saves.
const MOST_FILES: usize = 20_000;

/// A game's saves.
#[derive(Debug, Default)]
pub(crate) struct Saves {
    game: String,
    root: PathBuf,
    /// The folders that hold them.
    pub folders: Vec<PathBuf>,
}

/// Finds the saves of a game.
pub(crate) fn saves(situation: &Situation<'_>, tree: &GameTree) -> Result<Saves> {
    let game = situation.game();
    let (id, root) = (game.id.clone(), game.root.clone());
    if let Some(bay) = game.settings.bays.get(BAY) {
        if !bay.is_dir() {
            return Err(Error::Invalid {
                what: format!(
                    "the saves of {} are to be in {}, and that is no folder",
                    game.title,
                    slashes(bay)
                ),
                remedy: ("Name the folder that holds them", name_bay(&game.id)).into(),
            });
        }
        return Ok(Saves { game: id, root, folders: vec![bay.clone()] });
    }

    let is_named = |name: &str| NAMES.contains(&fold(name).as_str());
    let own =
        tree.folders().iter().filter(|folder| folder.depth() < 2 && is_named(folder.file_name()));
    let mut folders: Vec<PathBuf> = own.map(|folder| folder.on(&root)).collect();
    for mark in ["{documents}", "{local}", "{roaming}"] {
        let Ok(place) = resolve(situation, None, &format!("{mark}/{BAY}")) else { continue };
        let Some(base) = place.on(&root).parent().map(Path::to_owned) else { continue };
        let shared = below(&base, |name| fold(name) == SHARED);
        for base in std::iter::once(base).chain(shared) {
            for of_game in below(&base, |name| is_of_game(situation, name)) {
                folders.extend(below(&of_game, is_named));
            }
        }
    }
    folders.sort();
    folders.dedup();
    Ok(Saves { game: id, root, folders })
}

fn name_bay(game: &str) -> Action {
    Action::NameBay { game: game.to_owned().into(), bay: BAY.into() }
}

/// Whether a folder bears the name of a game: its title, its folder's or its program's.
fn is_of_game(situation: &Situation<'_>, name: &str) -> bool {
    let plain = |text: &str| fold(text).chars().filter(|c| c.is_alphanumeric()).collect::<String>();
    let game = situation.game();
    let folder = game.root.file_name().map(|name| name.to_string_lossy().into_owned());
    let program = situation.view.executable().map(|exe| stem(exe.path.file_name()).to_owned());
    let own = [Some(game.title.clone()), folder, program];
    let name = plain(name);
    name.len() > 2 && own.into_iter().flatten().any(|own| plain(&own) == name)
}

/// The folders in a folder whose names are meant.
fn below(folder: &Path, is_meant: impl Fn(&str) -> bool) -> Vec<PathBuf> {
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
    let folders = entries.filter(|entry| entry.file_type().is_ok_and(|kind| kind.is_dir()));
    let meant = folders.filter(|entry| entry.file_name().to_str().is_some_and(&is_meant));
    meant.map(|entry| entry.path()).collect()
}

impl Saves {
    /// Whether a place is among them.
    pub fn holds(&self, place: &Place) -> bool {
        let path = place.on(&self.root);
        self.folders.iter().any(|folder| path.starts_with(folder))
    }

    /// Their files. Links are not followed.
    pub fn files(&self) -> Result<Vec<Place>> {
        let mut places = Vec::new();
        for folder in &self.folders {
            let walk = ignore::WalkBuilder::new(folder)
                .standard_filters(false)
                .follow_links(false)
                .build();
            let is_file =
                |entry: &ignore::DirEntry| entry.file_type().is_some_and(|kind| kind.is_file());
            for entry in walk.flatten().filter(is_file) {
                let path = TreePath::below(folder, entry.path());
                let place = path.and_then(|path| Place::new(&self.root, folder, path));
                places.extend(place);
                if places.len() > MOST_FILES {
                    return Err(Error::Invalid {
                        what: format!(
                            "{} holds more than {MOST_FILES} files, which saves are not",
                            slashes(folder)
                        ),
                        remedy: ("Name the folder of the saves", name_bay(&self.game)).into(),
                    });
                }
            }
        }
        places.sort();
        places.dedup();
        Ok(places)
    }
}
