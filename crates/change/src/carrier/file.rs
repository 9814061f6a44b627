//! Files: content with its marks.
//!
//! The old file changes places with the new one and is at the spare place until the change is over: what someone
//! wrote into it at the last moment is noticed and kept. If the file system can let no two files change places,
//! it is looked at once more, alone if the system can, and replaced by a rename.

use std::collections::BTreeMap;
use std::fs::File;
use std::path::Path;
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::{Duration, SystemTime};

use crate::carrier::{Carrier, Restored, place};
use crate::content::{Content, FileState, Stamp, system_time};
use crate::error::{Error, Result};
use crate::folder::{Found, metadata_of};
use crate::path::Place;
use crate::step::{State, Step, Target};
use crate::store::Store;
use crate::supply::Supplies;
use crate::territory::Territory;

/// Up to this length a file that leaves is read once more; of longer ones length and date are compared,
/// which a writer alters.
const READ_AGAIN: u64 = 16 << 20;

/// So many files that were removed are held open at once: some systems let a process hold 256 in all.
const MOST_LEAVING: usize = 64;

/// The time that the space of removed files stays allocated: some systems do nothing else while they free it, and the
/// locks should be released first.
const UNTIL_UNLOCKED: Duration = Duration::from_millis(20);

/// The date of a file shows any writing that is this long after the last: the clocks that date files
/// tick at least that often, the coarsest every two seconds.
const SETTLED: Duration = Duration::from_secs(3);

pub(super) struct Files<'a> {
    pub territory: &'a Territory,
    pub store: &'a Store,
    pub supplies: Supplies<'a>,
    /// Whether someone may have a file open. Then dates prove nothing, since writes through a memory mapping need not
    /// change them.
    pub in_use: bool,
    /// Whether length and date show of shorter files too that nothing was written into them: of many files at once.
    pub at_a_glance: bool,
    /// Large files that were removed, by their spare places. Freeing them takes as long as all other work, so it is
    /// left to the end.
    pub leaving: Mutex<BTreeMap<Place, File>>,
}

impl Drop for Files<'_> {
    fn drop(&mut self) {
        let leaving = std::mem::take(&mut self.leaving).into_inner();
        let leaving = leaving.unwrap_or_else(PoisonError::into_inner);
        if !leaving.is_empty() {
            // Without another thread they are dropped here.
            let _ = std::thread::Builder::new().spawn(move || {
                std::thread::sleep(UNTIL_UNLOCKED);
                drop(leaving);
            });
        }
    }
}

impl Files<'_> {
    fn leaving(&self) -> MutexGuard<'_, BTreeMap<Place, File>> {
        self.leaving.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn not_as_expected(&self, step: &Step) -> Error {
        let path = step.place().map(|place| self.territory.path(place));
        Error::NotAsExpected { path: path.unwrap_or_default() }
    }

    /// Fails if a file cannot be in the state that the step expects; its content is not read.
    fn expect_at_a_glance(&self, step: &Step) -> Result<()> {
        let found = self.territory.find(place(step.target())?)?;
        let fits = match (&found, &step.before().state) {
            (Found::Nothing, State::Absent) => true,
            (Found::File(metadata), State::File(file)) => metadata.len() == file.content.size,
            _ => false,
        };
        if fits { Ok(()) } else { Err(self.not_as_expected(step)) }
    }

    /// Fails unless the file is still in the state that the step expects. The system keeps others from writing while
    /// it is read, if it can.
    fn expect_alone(&self, step: &Step) -> Result<()> {
        let Some(expected) = step.before().state.file() else { return Ok(()) };
        let (folder, name) = self.territory.at(place(step.target())?)?;
        let path = self.territory.path(place(step.target())?);
        let file = folder.read_alone(name)?.ok_or_else(|| self.not_as_expected(step))?;
        let untouched = self.is_untouched(&file, expected, &path)?;
        let same = untouched || Content::of_open(&file).ok() == Some(expected.content);
        if same { Ok(()) } else { Err(self.not_as_expected(step)) }
    }

    /// Whether the content that was read of a large file, or of one of many, is certainly unchanged: its length and
    /// date are the same and no one has it open. Writing into it would change the date.
    fn is_untouched(&self, file: &File, expected: &FileState, path: &Path) -> Result<bool> {
        let metadata = metadata_of(file, path)?;
        let modified = expected.stamp.modified;
        let age = SystemTime::now().duration_since(system_time(modified)).unwrap_or_default();
        Ok(!self.in_use
            && (self.at_a_glance || metadata.len() > READ_AGAIN)
            && metadata.len() == expected.content.size
            && Stamp::of(&metadata).modified == modified
            && age > SETTLED)
    }

    /// Whether the new content is in place. It was verified when it was staged, so for a large file length and date
    /// suffice.
    fn came_as_staged(&self, step: &Step) -> Result<bool> {
        let after = &step.after().state;
        if let (State::File(new), Some(file)) = (after, self.territory.read(place(step.target())?)?)
        {
            if self.is_untouched(&file, new, &self.territory.path(place(step.target())?))? {
                return Ok(true);
            }
        }
        Ok(self.look(step.target())?.same_as(after))
    }

    /// Whether the file that was displaced has the content that was stored. A large file that certainly has it is
    /// removed at once, since freeing its space takes time.
    fn left_as_kept(&self, step: &Step, spare: &Place) -> Result<bool> {
        let State::File(before) = &step.before().state else { return Ok(true) };
        let path = self.territory.path(spare);
        let Some(file) = self.territory.read(spare)? else { return Ok(true) };
        if self.is_untouched(&file, before, &path)? {
            self.clear(step, Some(spare))?;
            return Ok(true);
        }
        let content = Content::of_open(&file).map_err(Error::io("read", &path))?;
        Ok(content == before.content)
    }

    /// Writes the new content of a step into a new file at the spare place.
    fn write(&self, state: &State, spare: &Place) -> Result<()> {
        let Some(new) = state.file() else { return Ok(()) };
        let (folder, name) = self.territory.at(spare)?;
        let file: File = folder.create(name, new.stamp.attributes)?;
        self.supplies.place(self.store, new, &file, &self.territory.path(spare))
    }

    /// Makes sure that a spare place has what left its target, and nothing that was removed.
    fn end_swap(&self, spare: Option<&Place>) -> Result<()> {
        let Some(spare) = spare else { return Ok(()) };
        self.leaving().remove(spare);
        self.territory.end_swap(spare)
    }

    /// The state at the spare place.
    fn at_spare(&self, spare: Option<&Place>) -> Result<State> {
        spare.map_or(Ok(State::Absent), |spare| self.territory.file(spare))
    }

    /// Reverts a step whose target has the state that the step set.
    fn take_back(&self, step: &Step, spare: &Place, displaced: bool) -> Result<()> {
        let (folder, name) = self.territory.at(place(step.target())?)?;
        let (before, after) = (&step.before().state, &step.after().state);
        if before.is_absent() {
            folder.remove_file(name)?;
            return folder.sync();
        }

        if !displaced {
            self.clear(step, Some(spare))?;
            self.write(before, spare)?;
        }
        let (around, spare_name) = self.territory.at(spare)?;
        if after.is_absent() {
            around.rename_new(spare_name, &folder, name)?;
        } else {
            around.rename(spare_name, &folder, name)?;
        }

        if cfg!(windows) && before.file().is_some_and(|file| file.stamp.read_only) {
            // The mark had to go before the file could be replaced.
            folder.set_read_only(name, true)?;
        }
        folder.sync()?;
        around.sync()
    }
}

impl Carrier for Files<'_> {
    fn look(&self, target: &Target) -> Result<State> {
        self.territory.file(place(target)?)
    }

    fn keep(&self, step: &Step) -> Result<()> {
        self.expect_at_a_glance(step)?;
        if let Some(old) = step.before().state.file() {
            let path = self.territory.path(place(step.target())?);
            let file = self.territory.read(place(step.target())?)?;
            let file = file.ok_or_else(|| self.not_as_expected(step))?;
            self.store.keep(&file, &old.content, &path)?;
        }

        match step.after().state.file() {
            Some(new) if !self.supplies.has(&new.content) => {
                self.store.open_content(&new.content).map(drop)
            }
            _ => Ok(()),
        }
    }

    fn stage(&self, step: &Step, spare: Option<&Place>) -> Result<()> {
        spare.map_or(Ok(()), |spare| self.write(&step.after().state, spare))
    }

    fn exchange(&self, step: &Step, spare: Option<&Place>) -> Result<Option<State>> {
        // A file that is kept and nothing else waits nowhere.
        let Some(spare) = spare else { return Ok(None) };
        let (folder, name) = self.territory.at(place(step.target())?)?;
        let (around, spare_name) = self.territory.at(spare)?;

        match (&step.before().state, &step.after().state) {
            (State::Absent, _) => around.rename_new(spare_name, &folder, name)?,
            (_, State::Absent) => {
                self.expect_at_a_glance(step)?;
                folder.rename_new(name, &around, spare_name)?;
            }
            _ => {
                self.expect_at_a_glance(step)?;
                if !around.swap(spare_name, &folder, name)? {
                    self.expect_alone(step)?;
                    around.rename(spare_name, &folder, name)?;
                }
            }
        }

        Ok(None)
    }

    fn settle(&self, step: &Step, spare: Option<&Place>) -> Result<()> {
        self.territory.sync_around(place(step.target())?)?;
        self.end_swap(spare)?;
        let displaced = || spare.map_or(Ok(true), |spare| self.left_as_kept(step, spare));
        let (placed, displaced) = rayon::join(|| self.came_as_staged(step), displaced);
        if placed? && displaced? { Ok(()) } else { Err(self.not_as_expected(step)) }
    }

    fn restore(&self, step: &Step, spare: Option<&Place>) -> Result<Restored> {
        let (before, after) = (&step.before().state, &step.after().state);
        self.end_swap(spare)?;
        let now = self.look(step.target())?;
        if let (true, State::File(was), State::File(is)) = (now.same_as(before), before, &now) {
            // Windows takes a read-only mark away before it replaces a file.
            if (was.stamp.read_only, was.stamp.mode) != (is.stamp.read_only, is.stamp.mode) {
                let (folder, name) = self.territory.at(place(step.target())?)?;
                folder.mark(name, &was.stamp)?;
            }
        }

        let Some(spare) = spare.filter(|_| !now.same_as(before)) else {
            self.clear(step, spare)?;
            return Ok(Restored::Holds(now));
        };

        let left = self.at_spare(Some(spare))?;
        // The new content is still staged, so either it was never put in place or another process had put the same
        // there first.
        if !left.is_absent() && left.same_as(after) {
            self.clear(step, Some(spare))?;
            return Ok(Restored::Untouched);
        }

        let displaced = !left.is_absent();
        if now.same_as(after) {
            self.take_back(step, spare, displaced)?;
            self.clear(step, Some(spare))?;
            // The restored file includes anything that was written into it at the last moment.
            if displaced {
                return Ok(Restored::Untouched);
            }
            return self.look(step.target()).map(Restored::Holds);
        }

        // Something else has been put there. What waits at the spare place is removed only if it is had
        // elsewhere too.
        let known = left.content().is_none_or(|content| self.store.is_whole(&content));
        if known {
            self.clear(step, Some(spare))?;
        }
        Ok(Restored::Holds(now))
    }

    fn clear(&self, _: &Step, spare: Option<&Place>) -> Result<()> {
        let Some(spare) = spare else { return Ok(()) };
        let Some(folder) = self.territory.around(spare)? else { return Ok(()) };
        let name = spare.path().file_name();
        let mut leaving = self.leaving();
        if leaving.contains_key(spare) {
            return Ok(());
        }
        folder.end_swap(name)?;

        let is_large = matches!(folder.find(name)?, Found::File(file) if file.len() > READ_AGAIN);
        let removed =
            (is_large && leaving.len() < MOST_LEAVING).then(|| folder.remove_for_later(name));
        match removed.flatten() {
            Some(file) => {
                leaving.insert(spare.clone(), file);
                Ok(())
            }
            None => folder.remove_file(name),
        }
    }
}
