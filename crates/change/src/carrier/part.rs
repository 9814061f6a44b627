//! A part of a file: a key of a settings file, or a value of a registry stored in a file. The file is replaced by a
//! new one that differs in that part alone, and anything others write into the rest in the meantime is kept.

use std::time::SystemTime;

use crate::carrier::{Carrier, Restored, place};
use crate::content::{Content, FileState, Stamp, moment};
use crate::error::{Error, Result};
use crate::folder::{Found, metadata_of};
use crate::path::Place;
use crate::step::{State, Step, Target};
use crate::store::Store;
use crate::territory::Territory;

/// A longer file is not altered in part: the registry of a prefix has some 4 MB.
pub(super) const LONGEST: u64 = 64 << 20;

/// So often an alteration is begun again, since someone wrote into the file in the meantime.
const ATTEMPTS: usize = 5;

/// A kind of part.
pub(super) trait Part: Sync {
    /// The target's state in the bytes of the file.
    fn read(&self, target: &Target, bytes: &[u8]) -> Result<State, String>;
    /// The bytes of the file with the target in the wanted state.
    fn write(&self, target: &Target, bytes: &[u8], state: &State) -> Result<Vec<u8>, String>;
}

pub(super) struct Parts<'a, P> {
    pub territory: &'a Territory,
    pub part: P,
}

impl<P: Part> Parts<'_, P> {
    fn fault(&self, place: &Place) -> impl Fn(String) -> Error {
        let path = self.territory.path(place);
        move |what| Error::Settings { path: path.clone(), what }
    }

    /// The bytes of the file with the target turned from one state into another.
    fn turned(&self, target: &Target, bytes: &[u8], from: &State, into: &State) -> Result<Vec<u8>> {
        let place = place(target)?;
        if !self.part.read(target, bytes).map_err(self.fault(place))?.same_as(from) {
            return Err(Error::NotAsExpected { path: self.territory.path(place) });
        }
        self.part.write(target, bytes, into).map_err(self.fault(place))
    }
}

impl<P: Part> Carrier for Parts<'_, P> {
    fn look(&self, target: &Target) -> Result<State> {
        let place = place(target)?;
        if matches!(self.territory.find(place)?, Found::Nothing) {
            return Ok(State::Unset { around: 0 });
        }
        let bytes = self.territory.bytes(place, LONGEST)?;
        self.part.read(target, &bytes).map_err(self.fault(place))
    }

    fn keep(&self, step: &Step) -> Result<()> {
        let bytes = self.territory.bytes(place(step.target())?, LONGEST)?;
        self.turned(step.target(), &bytes, &step.before().state, &step.after().state).map(drop)
    }

    fn stage(&self, _: &Step, _: Option<&Place>) -> Result<()> {
        Ok(())
    }

    fn exchange(&self, step: &Step, spare: Option<&Place>) -> Result<Option<State>> {
        let Some(spare) = spare else { return Ok(None) };
        let (before, after) = (&step.before().state, &step.after().state);
        let forth = |bytes: &[u8]| self.turned(step.target(), bytes, before, after);
        edit(self.territory, place(step.target())?, spare, &forth).map(|()| None)
    }

    fn settle(&self, step: &Step, spare: Option<&Place>) -> Result<()> {
        let place = place(step.target())?;
        self.territory.sync_around(place)?;
        spare.map_or(Ok(()), |spare| self.territory.end_swap(spare))?;
        if self.look(step.target())?.same_as(&step.after().state) {
            Ok(())
        } else {
            Err(Error::NotAsExpected { path: self.territory.path(place) })
        }
    }

    fn restore(&self, step: &Step, spare: Option<&Place>) -> Result<Restored> {
        let target = step.target();
        let (before, after) = (&step.before().state, &step.after().state);
        if let Some(spare) = spare {
            self.territory.end_swap(spare)?;
            if self.look(target)?.same_as(after) {
                let forth = |bytes: &[u8]| self.turned(target, bytes, before, after);
                let back = |bytes: &[u8]| self.turned(target, bytes, after, before);
                take_back(self.territory, place(target)?, spare, &forth, &back)?;
            }
            self.clear(step, Some(spare))?;
        }
        self.look(target).map(Restored::Holds)
    }

    fn clear(&self, _: &Step, spare: Option<&Place>) -> Result<()> {
        let Some(spare) = spare else { return Ok(()) };
        self.territory.end_swap(spare)?;
        self.territory.remove_file(spare)
    }
}

/// Alters a file by what makes new bytes of its bytes. Fails, with the file as it was, if that fails.
fn edit(
    territory: &Territory,
    place: &Place,
    spare: &Place,
    alter: &dyn Fn(&[u8]) -> Result<Vec<u8>>,
) -> Result<()> {
    for _ in 0..ATTEMPTS {
        if attempt(territory, place, spare, alter)? {
            return Ok(());
        }
    }
    Err(Error::NotAsExpected { path: territory.path(place) })
}

/// Alters a file, if no one writes into it in the meantime.
fn attempt(
    territory: &Territory,
    place: &Place,
    spare: &Place,
    alter: &dyn Fn(&[u8]) -> Result<Vec<u8>>,
) -> Result<bool> {
    let path = territory.path(place);
    let old = territory.bytes(place, LONGEST)?;
    let new = alter(&old)?;
    let file = territory.read(place)?.ok_or_else(|| Error::NotAsExpected { path: path.clone() })?;
    let stamp = Stamp::of(&metadata_of(&file, &path)?).dated(moment(SystemTime::now()));
    drop(file);

    territory.remove_file(spare)?;
    let (folder, name) = territory.at(place)?;
    let (around, spare_name) = territory.at(spare)?;
    let staged = around.create(spare_name, stamp.attributes)?;
    let state = FileState { content: Content::of_bytes(&new), stamp };
    Store::place_bytes(&new, &state, &staged, &territory.path(spare))?;
    drop(staged);

    if !around.swap(spare_name, &folder, name)? {
        let alone = folder.read_alone(name)?;
        let now = alone.map(|file| Content::of_open(&file)).transpose();
        if now.ok().flatten() != Some(Content::of_bytes(&old)) {
            return Ok(false);
        }
        around.rename(spare_name, &folder, name)?;
        return Ok(true);
    }

    // If the displaced file differs from the one that was read, another process was quicker, and its file is
    // restored.
    if territory.file(spare)?.content() == Some(Content::of_bytes(&old)) {
        return Ok(true);
    }
    around.swap(spare_name, &folder, name)?;
    around.end_swap(spare_name)?;
    Ok(false)
}

/// Takes an alteration back: the old file is restored whole, if nothing but the alteration sets them apart; else the
/// part alone is altered back.
fn take_back(
    territory: &Territory,
    place: &Place,
    spare: &Place,
    forth: &dyn Fn(&[u8]) -> Result<Vec<u8>>,
    back: &dyn Fn(&[u8]) -> Result<Vec<u8>>,
) -> Result<()> {
    let old = territory.bytes(spare, LONGEST).ok();
    let altered = old.and_then(|old| forth(&old).ok());
    if altered.is_some() && altered == territory.bytes(place, LONGEST).ok() {
        let (folder, name) = territory.at(place)?;
        let (around, spare_name) = territory.at(spare)?;
        around.rename(spare_name, &folder, name)?;
        return folder.sync();
    }
    edit(territory, place, spare, back)?;
    territory.remove_file(spare)?;
    territory.sync_around(place)
}
