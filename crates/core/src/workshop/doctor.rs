//! Looks after the home: what is wrong with it, what can be mended, and what nothing needs any more.

use std::collections::BTreeSet;
use std::fs;
use std::path::{Path, PathBuf};

use super::Workshop;
use crate::change::ChangeState;
use crate::content::Content;
use crate::error::{Error, Result};
use crate::progress::Progress;

/// What was found.
#[derive(Debug, Default)]
pub struct Diagnosis {
    /// What the database engine finds wrong with the database.
    pub database: Vec<String>,
    /// Changes that wait to be put back.
    pub interrupted: Vec<i64>,
    /// Contents that builds or rollback points need and that are missing or damaged: which one, and
    /// what needs it.
    pub contents: Vec<(Content, String)>,
    /// Files that an interrupted run left in game folders and in the store.
    pub leftovers: Vec<PathBuf>,
    /// Contents that were read.
    pub read: usize,
}

/// Content in the store that neither a build nor a rollback point needs.
#[derive(Debug, Default)]
pub struct Waste {
    /// The files.
    pub files: Vec<PathBuf>,
    /// All their bytes.
    pub bytes: u64,
    /// All bytes of the store.
    pub of: u64,
}

impl Diagnosis {
    /// Whether something is wrong that could not be mended.
    pub fn is_ill(&self) -> bool {
        !self.database.is_empty() || !self.interrupted.is_empty() || !self.contents.is_empty()
    }
}

impl Workshop {
    /// Looks the home over; `deep` reads every stored byte. Leftovers are removed unless `look_only`.
    pub fn doctor(
        &mut self,
        deep: bool,
        look_only: bool,
        progress: &dyn Progress,
    ) -> Result<Diagnosis> {
        let needed = self.needed()?;
        progress.begin("reading the store", Some(needed.len() as u64));
        let mut contents = Vec::new();
        for (content, user) in &needed {
            let path = self.blobs.path(content);
            let size = fs::metadata(&path).map(|metadata| metadata.len()).ok();
            let whole = size == Some(content.size)
                && (!deep || Content::of_file(&path).is_ok_and(|found| found == *content));
            if !whole {
                contents.push((*content, user.clone()));
            }
            progress.advance(1);
        }
        progress.end();
        let leftovers = self.leftovers()?;
        if !look_only {
            let _lock = self.lock()?;
            for path in &leftovers {
                crate::fault::point("remove", path)?;
                fs::remove_file(path).map_err(Error::io("remove", path))?;
            }
        }
        Ok(Diagnosis {
            database: self.database.faults()?,
            interrupted: self.interrupted()?,
            contents,
            leftovers,
            read: needed.len(),
        })
    }

    /// What the store holds that nothing needs.
    pub fn waste(&self) -> Result<Waste> {
        let needed: BTreeSet<PathBuf> =
            self.needed()?.iter().map(|(content, _)| self.blobs.path(content)).collect();
        let mut waste = Waste::default();
        for path in self.blobs.files()? {
            let size = fs::metadata(&path).map_err(Error::io("look at", &path))?.len();
            waste.of += size;
            if !needed.contains(&path) {
                waste.bytes += size;
                waste.files.push(path);
            }
        }
        Ok(waste)
    }

    /// Removes what nothing needs; gives what was removed.
    pub fn reclaim(&mut self) -> Result<Waste> {
        let _lock = self.lock()?;
        let waste = self.waste()?;
        for path in &waste.files {
            crate::fault::point("remove", path)?;
            fs::remove_file(path).map_err(Error::io("remove", path))?;
        }
        Ok(waste)
    }

    /// Every content that a build or a rollback point needs, with one that needs it.
    fn needed(&self) -> Result<Vec<(Content, String)>> {
        let mut needed: Vec<(Content, String)> = Vec::new();
        for build in self.database.builds()? {
            needed.extend(build.contents().map(|content| (content, build.id.to_string())));
        }
        for change in self.database.changes(None)? {
            let held = change.steps.iter().flat_map(|step| [&step.before, &step.after]);
            // A change that was put back left every file as it was: nothing has to be stored for it,
            // but what is stored may be all there is of a file that something else altered meanwhile.
            let is_needed = |content: &Content| {
                change.state != ChangeState::PutBack || self.blobs.path(content).exists()
            };
            let contents = held.flatten().map(|held| held.state.content).filter(is_needed);
            let user = format!("change {} of {}", change.number, change.game);
            needed.extend(contents.map(|content| (content, user.clone())));
        }
        needed.sort();
        needed.dedup_by_key(|(content, _)| *content);
        Ok(needed)
    }

    /// Files that were staged and never came to their place; none of a change that is under way.
    fn leftovers(&self) -> Result<Vec<PathBuf>> {
        let open: Vec<i64> = self.interrupted()?;
        let mut folders = BTreeSet::new();
        for change in self.database.changes(None)? {
            for step in &change.steps {
                let path = step.place.on(&change.root);
                folders.extend(path.parent().map(Path::to_owned));
            }
        }
        let ours = |path: &PathBuf| {
            let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
            let number = name.strip_prefix(".spanner-").and_then(|rest| rest.split('-').next());
            name.ends_with(".staged")
                && number.and_then(|n| n.parse().ok()).is_some_and(|n: i64| !open.contains(&n))
        };
        let staged = folders.iter().flat_map(|folder| files_of(folder)).filter(ours);
        let partial = self.blobs.partial()?;
        Ok(staged.chain(partial).collect())
    }
}

fn files_of(folder: &Path) -> Vec<PathBuf> {
    let entries = fs::read_dir(folder).into_iter().flatten().flatten();
    entries.map(|entry| entry.path()).filter(|path| path.is_file()).collect()
}
