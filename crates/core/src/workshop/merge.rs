//! Merges whole folders onto a game's folder, as to wind a game back to an older release.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use rayon::prelude::*;

use super::conditions::Cleared;
use super::on_disk::OnDisk;
use super::{Altering, Workshop};
use crate::change::{Change, Purpose, Side, Step};
use crate::content::{Content, FileState, Stamp, state_of};
use crate::error::{ChangeError, Error, Result};
use crate::path::{TreePath, fold};
use crate::plan::{self, Place, Plan};
use crate::survey::GameView;
use upright_spanner_change::{Progress, Supply};
use upright_spanner_image::Facts;

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
    path: TreePath,
    file: PathBuf,
}

impl Workshop {
    /// Plans to put every file of some folders where it stands below the game's folder. Where several
    /// folders have a file, the last one's counts; files that none has stay as they are.
    ///
    /// # Errors
    /// [`ChangeError::NotMergeable`] where a folder holds what cannot be merged; where something cannot be read.
    pub fn plan_merge(
        &self,
        view: &GameView,
        folders: &[PathBuf],
        progress: &dyn Progress,
    ) -> Result<MergePlan> {
        let mut files: BTreeMap<String, Source> = BTreeMap::new();
        for folder in folders {
            let mut of_folder: BTreeMap<String, Source> = BTreeMap::new();
            for source in files_below(folder)? {
                let file = source.file.clone();
                if let Some(twin) = of_folder.insert(fold(source.path.as_str()), source) {
                    let twin = twin.path;
                    let why = format!(
                        "it and {twin} differ only in case, and to a game they are the same"
                    );
                    return Err(Error::Change(ChangeError::NotMergeable { path: file, why }));
                }
            }
            files.extend(of_folder);
        }

        progress.begin("reading the folders", Some(files.len() as u64));
        let read: Result<Vec<(Source, Side)>> = files
            .into_values()
            .collect::<Vec<_>>()
            .into_par_iter()
            .map(|source| {
                let gone = || Error::io("read", &source.file)(std::io::ErrorKind::NotFound.into());
                let state = state_of(&source.file)?.ok_or_else(gone)?;
                let stamp = Stamp::fresh(state.stamp.modified);
                let version = Facts::read(&source.file).ok().and_then(|facts| facts.version());
                progress.advance(1);
                let label = version.map(|version| version.to_string());
                Ok((source, Side::file(FileState { stamp, ..state }, label)))
            })
            .collect();

        progress.end();
        let names: Vec<String> = folders
            .iter()
            .map(|f| f.file_name().unwrap_or_default().to_string_lossy().into_owned())
            .collect();
        let read = read?;
        progress.begin("comparing with the game", Some(read.len() as u64));

        let contents = read
            .iter()
            .filter_map(|(source, after)| Some((after.state.content()?, source.file.clone())));
        let window = OnDisk::new(&self.store, view, &[]).with_sources(&contents.collect());
        let merge = self.decide_with(view, &window, |situation| {
            let mut plan = Plan::new(view, Purpose::Fit, format!("merge {}", names.join(", ")));
            let mut sources = BTreeMap::new();
            for (source, after) in read {
                progress.advance(1);
                let place = situation.window.spelled(Place::from(source.path));
                let before = situation.window.file(&place)?;
                if before.same_as(&after) {
                    continue;
                }
                sources.extend(after.state.content().map(|content| (content, source.file)));
                plan.steps.push(Step::replace(place, before, after, FAMILY));
            }
            plan.supplied = sources.keys().map(|content| content.size).sum();
            plan.arrange(situation)?;
            plan::hold_to_the_law(situation, &mut plan);
            Ok(MergePlan { plan, sources })
        });

        progress.end();
        merge
    }

    /// Clears the plan of a merge of its stops, as [`Workshop::clear`] does.
    ///
    /// # Errors
    /// The plan itself with all findings, where something stops it.
    pub fn clear_merge(
        &self,
        merge: MergePlan,
        despite: &[String],
    ) -> Result<ClearedMerge, Box<Plan>> {
        let supplies = merge.sources.into_iter().map(|(content, file)| Supply::File(file, content));
        let supplies: Vec<Supply> = supplies.collect();
        Ok(ClearedMerge { cleared: self.clear(merge.plan, despite)?, supplies })
    }
}

/// A merge that nothing stops.
#[derive(Debug)]
#[must_use]
pub struct ClearedMerge {
    cleared: Cleared,
    supplies: Vec<Supply>,
}

impl ClearedMerge {
    /// The plan.
    pub fn plan(&self) -> &Plan {
        self.cleared.plan()
    }
}

impl Altering<'_> {
    /// Carries out what [`Workshop::plan_merge`] planned.
    ///
    /// # Errors
    /// Where it was not done; the error says how everything was left.
    pub fn merge(&self, merge: ClearedMerge, progress: &dyn Progress) -> Result<Change> {
        self.apply_with(merge.cleared, merge.supplies, progress)
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
            let unfit =
                |why: String| Error::Change(ChangeError::NotMergeable { path: file.clone(), why });
            if !kind.is_file() {
                return Err(unfit("it is a link or a device".to_owned()));
            }
            let path =
                TreePath::below(folder, &file).map_err(|error| unfit(error.why.to_owned()))?;
            files.push(Source { path, file });
        }
    }

    Ok(files)
}
