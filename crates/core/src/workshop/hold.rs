//! Launchers, their records of games, and games that are held.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use super::Workshop;
use crate::error::{Error, Result};
use crate::launcher::{Launchers, Record, libraries, records};
use crate::path::{canonical, slashes};
use crate::plan::{self, HoldRequest, Plan};
use crate::survey::GameView;

/// So many folders around a game may be the library root that a record is in.
const AROUND: usize = 3;

impl Workshop {
    /// The launchers that the user describes in the home's folder `launchers`.
    pub fn launchers(&self) -> Arc<Launchers> {
        let read = || Ok(Launchers::read_folder(&self.home.join("launchers")));
        self.records.launchers.get_or_read(read).unwrap_or_default()
    }

    /// What launchers have written down of games in or around some folders.
    pub(super) fn launcher_records(&self, folders: &[PathBuf]) -> Vec<Record> {
        let launchers = self.launchers();
        if launchers.launchers.is_empty() {
            return Vec::new();
        }
        let around = folders.iter().flat_map(|folder| folder.ancestors().take(AROUND + 1));
        let mut roots: Vec<PathBuf> = around.map(Path::to_owned).collect();
        roots.extend(self.words().roots.iter().cloned());
        roots.sort();
        roots.dedup();
        records(&launchers.launchers, &roots)
    }

    /// The library roots that a launcher has written down.
    ///
    /// # Errors
    /// If no launcher of that name is described, or its description is wrong.
    pub fn libraries_of(&self, launcher: &str) -> Result<Vec<PathBuf>> {
        let launchers = self.launchers();
        if let Some(described) = launchers.named(launcher) {
            return Ok(libraries(described, &self.words().roots));
        }
        if let Some(error) = launchers.errors.first() {
            return Err(Error::Catalog(error.clone()));
        }
        let folder = slashes(&self.home.join("launchers"));
        Err(Error::Invalid {
            what: format!("no launcher `{launcher}` is described"),
            remedy: format!("Describe it in a file of {folder}, as docs/formats.md says.").into(),
        })
    }

    /// Plans to keep launchers from updating a game.
    ///
    /// # Errors
    /// If no launcher's record of it is known, or the named file does not exist.
    pub fn plan_hold(&self, view: &GameView, wish: &HoldRequest) -> Result<Plan> {
        let launchers = self.launchers();
        if let Some(error) = launchers.errors.first().filter(|_| wish.file.is_none()) {
            return Err(Error::Catalog(error.clone()));
        }
        let file = wish.file.as_deref().map(whole).transpose()?;
        let wish = HoldRequest { file, ..wish.clone() };
        self.decide(view, |situation| plan::hold(situation, &launchers, &wish))
    }

    /// Plans to let launchers update a game again.
    ///
    /// # Errors
    /// If the home or a record cannot be read.
    pub fn plan_lift(&self, view: &GameView) -> Result<Plan> {
        self.decide(view, plan::lift)
    }
}

/// The whole path of a file that the user named.
fn whole(file: &Path) -> Result<PathBuf> {
    let path = canonical(file).map_err(Error::io("look at", file))?;
    if path.is_file() {
        return Ok(path);
    }
    Err(Error::Invalid {
        what: format!("{} is not a file, so it cannot be held", slashes(&path)),
        remedy: "Give the file in which the launcher writes down the game.".into(),
    })
}
