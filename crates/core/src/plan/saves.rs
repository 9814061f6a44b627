//! The location of a game's saves: the bay of that name, otherwise the usual folders.

use std::path::{Path, PathBuf};

use super::Place;
use crate::check::saves_kept::BAY;
use crate::error::{Error, Result};
use crate::path::{TreePath, fold, slashes, stem};
use crate::remedy::Action;
use crate::situation::Situation;
use crate::tune::resolve;
use crate::wind::GameTree;
use crate::window::Window;

/// How folders of saves are called.
const NAMES: [&str; 6] = ["saves", "save", "savegames", "savegame", "saved games", "save games"];

/// The folder of documents in which many games have one of their own.
const SHARED: &str = "my games";

/// More files than this are not saves.
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
pub(crate) fn saves(situation: &Situation<'_>, tree: &GameTree) -> Saves {
    let game = situation.game();
    let (id, root) = (game.id.clone(), game.root.clone());
    if let Some(bay) = game.settings.bays.get(BAY) {
        return Saves { game: id, root, folders: vec![bay.clone()] };
    }

    // The sub-folders with matching names.
    let below = |folder: &Path, is_meant: &dyn Fn(&str) -> bool| -> Vec<PathBuf> {
        let named = |folder: &PathBuf| {
            folder.file_name().and_then(|name| name.to_str()).is_some_and(is_meant)
        };
        situation.window.folders_in(folder).into_iter().filter(named).collect()
    };
    let is_named = |name: &str| NAMES.contains(&fold(name).as_str());
    let own =
        tree.folders().iter().filter(|folder| folder.depth() < 2 && is_named(folder.file_name()));
    let mut folders: Vec<PathBuf> = own.map(|folder| folder.on(&root)).collect();
    for mark in ["{documents}", "{local}", "{roaming}"] {
        let Ok(place) = resolve(situation, None, &format!("{mark}/{BAY}")) else { continue };
        let Some(base) = place.on(&root).parent().map(Path::to_owned) else { continue };
        let shared = below(&base, &|name| fold(name) == SHARED);
        for base in std::iter::once(base).chain(shared) {
            for of_game in below(&base, &|name| is_of_game(situation, name)) {
                folders.extend(below(&of_game, &is_named));
            }
        }
    }
    folders.sort();
    folders.dedup();
    Saves { game: id, root, folders }
}

fn name_bay(game: &str) -> Action {
    Action::NameBay { game: game.to_owned().into(), bay: BAY.into() }
}

/// Whether a folder has the name of a game: its title, its folder's or its program's.
fn is_of_game(situation: &Situation<'_>, name: &str) -> bool {
    let plain = |text: &str| fold(text).chars().filter(|c| c.is_alphanumeric()).collect::<String>();
    let game = situation.game();
    let folder = game.root.file_name().map(|name| name.to_string_lossy().into_owned());
    let program = situation.view.executable().map(|exe| stem(exe.path.file_name()).to_owned());
    let own = [Some(game.title.clone()), folder, program];
    let name = plain(name);
    name.len() > 2 && own.into_iter().flatten().any(|own| plain(&own) == name)
}

impl Saves {
    /// Whether a place is among them.
    pub fn holds(&self, place: &Place) -> bool {
        let path = place.on(&self.root);
        self.folders.iter().any(|folder| path.starts_with(folder))
    }

    /// Their files. Links are not followed.
    pub fn files(&self, window: &dyn Window) -> Result<Vec<Place>> {
        let mut places = Vec::new();
        for folder in &self.folders {
            for file in window.files_below(folder, MOST_FILES + 1) {
                let path = TreePath::below(folder, &file);
                places.extend(path.and_then(|path| Place::new(&self.root, folder, path)));
            }
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
        places.sort();
        places.dedup();
        Ok(places)
    }
}
