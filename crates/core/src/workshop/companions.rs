//! Gathers what the planner needs to know of the settings files that come with a build.

use std::fs;

use super::Workshop;
use crate::content::{Content, FileState};
use crate::error::{Error, Result};
use crate::path::{GamePath, same_name};
use crate::plan::SettingsFile;
use crate::rack::{Build, Companion, Parcel};
use crate::survey::{GameView, Library};

impl Workshop {
    /// Reads the settings files that a build brings and those that the game has. A file goes beside
    /// each slot where there is one, and beside the first slot where there is none yet.
    pub(super) fn settings_files<'a>(
        &self,
        view: &GameView,
        build: &'a Build,
        slots: &[(&Library, FileState)],
        builds: &[Build],
        parcel: Option<&Parcel>,
    ) -> Result<Vec<SettingsFile<'a>>> {
        let root = &view.game.root;
        let mut out = Vec::new();
        for companion in &build.settings {
            let beside = slots.iter().filter_map(|(library, now)| {
                Some((library.path.sibling(&companion.name).ok()?, now.content))
            });
            let mut places: Vec<(GamePath, Content)> = beside.collect();
            places.dedup_by(|(a, _), (b, _)| a.same_as(b));
            if places.iter().any(|(path, _)| path.on(root).exists()) {
                places.retain(|(path, _)| path.on(root).exists());
            } else {
                places.truncate(1);
            }
            for (path, library) in places {
                let place = path.on(root);
                let user = match FileState::observe(&place)? {
                    Some(state) => {
                        Some((state, fs::read(&place).map_err(Error::io("read", &place))?))
                    }
                    None => None,
                };
                let brought = brought_with(builds, &library, companion);
                let old = brought.map(|old| self.bytes_of(old, None)).transpose()?;
                let new = self.bytes_of(companion, parcel)?;
                out.push(SettingsFile { path, companion, user, new, old });
            }
        }
        Ok(out)
    }

    /// A settings file's bytes: from the store, or from the package that it is not yet stored from.
    fn bytes_of(&self, file: &Companion, parcel: Option<&Parcel>) -> Result<Vec<u8>> {
        let unpacked = parcel.and_then(|parcel| parcel.file_of(&file.content));
        let path = match unpacked {
            Some(path) => path.to_owned(),
            None => self.blobs.file(&file.content)?,
        };
        fs::read(&path).map_err(Error::io("read", &path))
    }
}

/// The settings file of that name which came with the build that a game has in place.
fn brought_with<'a>(
    builds: &'a [Build],
    in_place: &Content,
    file: &Companion,
) -> Option<&'a Companion> {
    let build = builds.iter().find(|build| build.file.content == *in_place)?;
    build.settings.iter().find(|other| same_name(&other.name, &file.name))
}
