//! Folders: made empty, and removed only if they are empty.

use crate::carrier::{Carrier, Restored, place};
use crate::error::{Error, Result};
use crate::folder::Found;
use crate::path::Place;
use crate::step::{State, Step, Target};
use crate::territory::Territory;

pub(super) struct Folders<'a> {
    pub territory: &'a Territory,
}

impl Folders<'_> {
    fn expect(&self, step: &Step, state: &State) -> Result<()> {
        if self.look(step.target())?.same_as(state) {
            Ok(())
        } else {
            Err(Error::NotAsExpected { path: self.territory.path(place(step.target())?) })
        }
    }

    /// Makes or removes the folder; returns the present state if the folder had to stay.
    fn turn(&self, place: &Place, into: &State) -> Result<Option<State>> {
        if let State::Folder(mode) = into {
            let (around, name) = self.territory.at(place)?;
            around.make_folder(name)?;
            around.set_folder_mode(name, *mode)?;
            return Ok(None);
        }
        let Some(around) = self.territory.around(place)? else { return Ok(None) };
        let gone = around.remove_folder(place.path().file_name())?;
        if gone { Ok(None) } else { self.look(&Target::Folder(place.clone())).map(Some) }
    }
}

impl Carrier for Folders<'_> {
    fn look(&self, target: &Target) -> Result<State> {
        match self.territory.find(place(target)?)? {
            Found::Nothing => Ok(State::Absent),
            Found::Folder(metadata) => Ok(State::Folder(mode_of(&metadata))),
            other => {
                let path = self.territory.path(place(target)?);
                Err(Error::NotPlain { path, what: other.what() })
            }
        }
    }

    fn keep(&self, step: &Step) -> Result<()> {
        self.expect(step, &step.before().state)
    }

    fn stage(&self, _: &Step, _: Option<&Place>) -> Result<()> {
        Ok(())
    }

    fn exchange(&self, step: &Step, _: Option<&Place>) -> Result<Option<State>> {
        self.turn(place(step.target())?, &step.after().state)
    }

    fn settle(&self, step: &Step, _: Option<&Place>) -> Result<()> {
        self.territory.sync_around(place(step.target())?)
    }

    fn restore(&self, step: &Step, _: Option<&Place>) -> Result<Restored> {
        let now = self.look(step.target())?;
        if now.same_as(&step.before().state) {
            return Ok(Restored::Holds(now));
        }
        // A folder into which something else has put a file stays, which takes nothing from anyone.
        let stays = self.turn(place(step.target())?, &step.before().state)?;
        self.territory.sync_around(place(step.target())?)?;
        match stays {
            Some(_) => Ok(Restored::Untouched),
            None => self.look(step.target()).map(Restored::Holds),
        }
    }

    fn clear(&self, _: &Step, _: Option<&Place>) -> Result<()> {
        Ok(())
    }
}

#[cfg(unix)]
#[expect(clippy::unnecessary_wraps, reason = "other systems have none")]
pub(super) fn mode_of(metadata: &cap_std::fs::Metadata) -> Option<u32> {
    use cap_std::fs::PermissionsExt;
    Some(metadata.permissions().mode() & 0o7777)
}

#[cfg(not(unix))]
pub(super) fn mode_of(_: &cap_std::fs::Metadata) -> Option<u32> {
    None
}
