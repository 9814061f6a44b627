//! Where in a game the files of a build go: to the places that the game has for them, else beside the library, or if
//! the folders of package and game have the same names.

use std::collections::HashSet;
use std::path::PathBuf;

use super::fit::{FitPlanner, Piece};
use super::{Place, Plan};
use crate::catalog::companies_agree;
use crate::change::{State, Target};
use crate::check::bay_unknown;
use crate::error::Result;
use crate::load::{Edge, Outcome};
use crate::path::{TreePath, fold, same_name};
use crate::rack::{EXE, Placement, Policy, ROOT, SLOT, Stored};
use crate::survey::Library;
use upright_spanner_image::system::{comes_with_windows, is_compiler_runtime};

impl FitPlanner<'_> {
    /// Where the game requests a file of the library's name and has none that it can load.
    pub(super) fn asked_for(&self) -> Vec<Place> {
        let name = self.options.as_name.as_deref().unwrap_or(&self.build.file.name);
        let damaged = self.view().unusable.iter().filter(|image| image.is_damaged());
        let damaged = damaged.map(|image| &image.path);
        let damaged = damaged.filter(|path| same_name(path.file_name(), name)).cloned();
        let missing = self.situation.loads().processes.iter().filter_map(|process| {
            let mut edges = process.images.iter().flat_map(|image| &image.edges);
            let is_it =
                |edge: &Edge| edge.outcome == Outcome::Missing && same_name(&edge.library, name);
            edges.any(is_it).then(|| process.program.sibling(name).ok())?
        });
        let mut places: Vec<Place> = damaged.chain(missing).map(Place::from).collect();
        places.sort();
        places.dedup();
        places
    }

    /// A path in a bay of the game; a finding if the game has no such bay.
    pub(super) fn in_bay(&self, bay: &str, path: TreePath, plan: &mut Plan) -> Option<Place> {
        let game = &self.view().game;
        let folder = match bay {
            ROOT => Some(self.root_for(&path)),
            // A data folder that the game has itself is used, wherever the executable is.
            EXE if self.is_data_of_game(&path) => Some(game.root.clone()),
            EXE | SLOT => self.view().executable().map(|executable| {
                let program = executable.path.on(&game.root);
                program.parent().map_or_else(|| game.root.clone(), std::path::Path::to_owned)
            }),
            named => game.settings.bays.get(named).cloned(),
        };
        let place = folder.and_then(|folder| Place::new(&game.root, &folder, path).ok());
        if place.is_none() {
            plan.findings.push(bay_unknown::finding(self.build, game, bay));
        }
        place
    }

    /// The game's folder for a package's root: the root, or, if the package mirrors the folders around the
    /// executable, the folder where these begin.
    pub(super) fn root_for(&self, path: &TreePath) -> PathBuf {
        let game = &self.view().game;
        let packed = fold(self.build.file.path.folder());
        let executable = self.view().executable().map(|executable| executable.path.folder());
        let around = executable.and_then(|folder| {
            let cut = folder.len().checked_sub(packed.len())?;
            let (around, own) = (folder.get(..cut)?, folder.get(cut..)?);
            let is_it = fold(own) == packed && (around.is_empty() || around.ends_with('/'));
            (is_it && !packed.is_empty()).then(|| around.trim_end_matches('/'))
        });
        match around.filter(|around| !around.is_empty() && !self.game_has(path, None)) {
            Some(around) => around.split('/').fold(game.root.clone(), |path, part| path.join(part)),
            None => game.root.clone(),
        }
    }

    /// Whether something that comes with a part of a game has no folder there: it stays out, unless the user's
    /// layout names it.
    pub(super) fn has_no_folder(&self, placement: &Placement) -> bool {
        let is_replaced = self.build.layout.places.first().is_some_and(|head| head.bay == SLOT);
        is_replaced
            && placement.bay == ROOT
            && !self.build.is_told_by_layout(&placement.from)
            && !self.game_has(&placement.to, None)
    }

    /// Whether the game has the first folder of a path, in its own folder or beside a file.
    pub(super) fn game_has(&self, path: &TreePath, beside: Option<&TreePath>) -> bool {
        let Some((first, _)) = path.as_str().split_once('/') else { return false };
        let key = (beside.is_some(), fold(first));
        if let Some(known) = self.folders.borrow().get(&key) {
            return *known;
        }
        let folder = match beside {
            Some(file) => file.sibling(first),
            None => TreePath::new(first),
        };
        let is_there = folder.is_ok_and(|folder| {
            let place = self.situation.window.spelled(folder.into());
            let now = self.situation.window.now(&Target::Folder(place));
            now.is_ok_and(|side| matches!(side.state, State::Folder(_)))
        });
        self.folders.borrow_mut().insert(key, is_there);
        is_there
    }

    /// Whether a path begins with a folder that the game has in its root, and not beside the executable.
    pub(super) fn is_data_of_game(&self, path: &TreePath) -> bool {
        let beside = self.view().executable().map(|executable| &executable.path);
        beside.is_some() && !self.game_has(path, beside) && self.game_has(path, None)
    }

    /// The place of a file that belongs to the library: its own places in the game if it has any, otherwise beside
    /// the library.
    pub(super) fn places_near(
        &self,
        piece: &Piece<'_>,
        anchors: &[Place],
        asked: &HashSet<String>,
    ) -> Result<Vec<Place>> {
        let Piece { placement, file, is_library } = *piece;
        let name = placement.to.file_name();
        if is_library {
            let own = self.own_places(name, file)?;
            if !own.is_empty() {
                return Ok(own);
            }
            // A shipped part is replaced; a missing one is added only if another needs it. An older copy of a library
            // that Windows or its installers provide may do harm beside the game.
            let is_systems = is_compiler_runtime(name) && comes_with_windows(name);
            if is_systems || placement.bay == SLOT && !asked.contains(&fold(name)) {
                return Ok(Vec::new());
            }
        }

        let mut beside: Vec<Place> = anchors
            .iter()
            .map(|anchor| self.situation.window.spelled(anchor.beside(&placement.to)))
            .collect();
        beside.dedup_by(|a, b| a.same_as(b));
        if placement.policy != Policy::Replace {
            let mut there = Vec::new();
            for place in &beside {
                there.push(!self.situation.window.file(place)?.state.is_absent());
            }
            if there.contains(&true) {
                let mut there = there.into_iter();
                beside.retain(|_| there.next().unwrap_or(false));
            } else {
                beside.truncate(1);
            }
        }

        Ok(beside)
    }

    /// If the game has a library of the build's, in a variant for the same machine.
    pub(super) fn own_places(&self, name: &str, file: Stored<'_>) -> Result<Vec<Place>> {
        let Some(facts) = file.facts else {
            let named = self.situation.window.named(name)?;
            return Ok(named.into_iter().map(Place::from).collect());
        };
        let same = |library: &&Library| {
            !library.put_aside
                && same_name(library.path.file_name(), name)
                && companies_agree(&library.facts, facts)
                && facts.runs_on(library.facts.machine)
        };
        let own = self.view().libraries.iter().filter(same);
        Ok(own.map(|library| library.path.clone().into()).collect())
    }

    /// The libraries that those of the build that go into the game request, directly or not. `with_head` tells
    /// whether the library that the build is named after goes there.
    pub(super) fn asked_names(&self, with_head: bool) -> Result<HashSet<String>> {
        let mut libraries: Vec<(String, Stored<'_>)> = Vec::new();
        let mut open = Vec::new();
        for file in self.build.placed().filter(|file| file.facts.is_some()) {
            let name = fold(file.path.file_name());
            let is_head = *file.path == self.build.file.path && with_head;
            if is_head || !self.own_places(&name, file)?.is_empty() {
                open.push(name.clone());
            }
            libraries.push((name, file));
        }
        let mut asked = HashSet::new();
        while let Some(from) = open.pop() {
            let own = libraries.iter().filter(|(name, _)| *name == from);
            let facts = own.filter_map(|(_, file)| file.facts);
            for dll in facts.flat_map(|facts| &facts.imported_dlls).map(|dll| fold(dll)) {
                if asked.insert(dll.clone()) {
                    open.push(dll);
                }
            }
        }
        Ok(asked)
    }
}
