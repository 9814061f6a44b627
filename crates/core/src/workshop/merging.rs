//! Merges whole folders onto a game's folder, as to wind a game back to an older release.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use rayon::prelude::*;

use super::{OnDisk, Workshop, refuse_stops};
use crate::change::{Change, Deed};
use crate::content::{Content, FileState, Stamp};
use crate::error::{Error, Result};
use crate::image::Facts;
use crate::path::{GamePath, fold};
use crate::plan::{Ground, Held, Place, Plan, Step};
use crate::progress::Progress;
use crate::survey::GameView;

/// The family under which such changes are recorded.
const FAMILY: &str = "game-files";

/// Folders to be merged onto a game's folder.
#[derive(Debug)]
pub struct MergePlan {
    /// The plan.
    pub plan: Plan,
    /// Where each new content can be read.
    sources: BTreeMap<Content, PathBuf>,
}

/// A file of the folders.
struct Source {
    path: GamePath,
    file: PathBuf,
}

impl MergePlan {
    /// Goes on despite findings of these codes.
    pub fn override_stops(&mut self, codes: &[String]) {
        self.plan.override_stops(codes);
    }
}

impl Workshop {
    /// Plans to put every file of some folders where it stands below the game's folder. Where several
    /// folders have a file, the last one's counts; files that none has stay as they are.
    pub fn plan_merge(
        &self,
        view: &GameView,
        folders: &[PathBuf],
        progress: &dyn Progress,
    ) -> Result<MergePlan> {
        let mut files: BTreeMap<String, Source> = BTreeMap::new();
        for folder in folders {
            for source in files_below(folder)? {
                files.insert(fold(source.path.as_str()), source);
            }
        }
        progress.begin("reading the folders", Some(files.len() as u64));
        let read: Result<Vec<(Source, Held)>> = files
            .into_values()
            .collect::<Vec<_>>()
            .into_par_iter()
            .map(|source| {
                let state = FileState::observe(&source.file)?
                    .ok_or_else(|| Error::NotAsExpected { path: source.file.clone() })?;
                let stamp = Stamp::fresh(state.stamp.modified);
                let version = Facts::read(&source.file).ok().and_then(|facts| facts.version());
                progress.advance(1);
                Ok((source, Held { state: FileState { stamp, ..state }, version }))
            })
            .collect();
        progress.end();
        let names: Vec<String> = folders
            .iter()
            .map(|f| f.file_name().unwrap_or_default().to_string_lossy().into_owned())
            .collect();
        let mut plan = Plan::new(view, Deed::Fit, format!("merge {}", names.join(", ")));
        let ground = OnDisk::new(&view.game.root, &self.blobs, None);
        let mut sources = BTreeMap::new();
        let read = read?;
        progress.begin("comparing with the game", Some(read.len() as u64));
        for (source, after) in read {
            progress.advance(1);
            let place = ground.spelled(Place::from(source.path));
            let before = ground.now(&place)?;
            if before.as_ref().map(|held| held.state.content) == Some(after.state.content) {
                continue;
            }
            sources.insert(after.state.content, source.file);
            let folders = if before.is_none() { ground.missing_folders(&place) } else { 0 };
            let family = FAMILY.to_owned();
            plan.steps.push(Step { place, family, before, after: Some(after), folders });
        }
        progress.end();
        let stored = sources.keys().map(|content| content.size).sum();
        plan.findings.extend(self.conditions(view, &plan, stored));
        Ok(MergePlan { plan, sources })
    }

    /// Carries out what [`Workshop::plan_merge`] planned.
    pub fn merge(&mut self, merge: MergePlan, progress: &dyn Progress) -> Result<Change> {
        refuse_stops(&merge.plan)?;
        let _lock = self.lock()?;
        progress.begin("storing the new files", Some(merge.sources.len() as u64));
        let blobs = &self.blobs;
        let stored = merge.sources.par_iter().try_for_each(|(content, file)| {
            blobs.keep(file, content)?;
            progress.advance(1);
            Ok(())
        });
        progress.end();
        stored?;
        self.carry_out(merge.plan, progress)
    }
}

/// Every file below a folder; a link is refused, since what it leads to may be anywhere.
fn files_below(folder: &Path) -> Result<Vec<Source>> {
    let mut files = Vec::new();
    let mut folders = vec![folder.to_owned()];
    while let Some(current) = folders.pop() {
        for entry in std::fs::read_dir(&current).map_err(Error::io("look into", &current))? {
            let file = entry.map_err(Error::io("look into", &current))?.path();
            let kind = std::fs::symlink_metadata(&file).map_err(Error::io("look at", &file))?;
            if kind.is_dir() {
                folders.push(file);
                continue;
            }
            let unfit = || Error::OutsideGame { path: file.clone(), root: folder.to_owned() };
            let path = GamePath::below(folder, &file).filter(|_| kind.is_file());
            files.push(Source { path: path.ok_or_else(unfit)?, file });
        }
    }
    Ok(files)
}
