//! The read-only mark of a file, whatever is in it.

use crate::carrier::folder::mode_of;
use crate::carrier::{Carrier, Restored, place};
use crate::error::{Error, Result};
use crate::folder::Found;
use crate::path::Place;
use crate::step::{State, Step, Target};
use crate::territory::Territory;

pub(super) struct Marks<'a> {
    pub territory: &'a Territory,
}

impl Marks<'_> {
    fn set(&self, place: &Place, state: &State) -> Result<()> {
        let (folder, name) = self.territory.at(place)?;
        match state {
            State::Mark { mode: Some(mode), .. } => folder.set_mode(name, *mode),
            _ => folder.set_read_only(name, state.is_marked()),
        }
    }
}

impl Carrier for Marks<'_> {
    fn look(&self, target: &Target) -> Result<State> {
        match self.territory.find(place(target)?)? {
            Found::File(metadata) => {
                Ok(State::Mark { set: metadata.permissions().readonly(), mode: mode_of(&metadata) })
            }
            Found::Nothing => Ok(State::Absent),
            other => {
                let path = self.territory.path(place(target)?);
                Err(Error::NotPlain { path, what: other.what() })
            }
        }
    }

    fn keep(&self, step: &Step) -> Result<()> {
        if self.look(step.target())?.same_as(&step.before().state) {
            Ok(())
        } else {
            Err(Error::NotAsExpected { path: self.territory.path(place(step.target())?) })
        }
    }

    fn stage(&self, _: &Step, _: Option<&Place>) -> Result<()> {
        Ok(())
    }

    fn exchange(&self, step: &Step, _: Option<&Place>) -> Result<Option<State>> {
        self.set(place(step.target())?, &step.after().state).map(|()| None)
    }

    fn settle(&self, step: &Step, _: Option<&Place>) -> Result<()> {
        if let Some(file) = self.territory.read(place(step.target())?)? {
            crate::folder::sync_marks(&file, &self.territory.path(place(step.target())?))?;
        }
        if self.look(step.target())?.same_as(&step.after().state) {
            Ok(())
        } else {
            Err(Error::NotAsExpected { path: self.territory.path(place(step.target())?) })
        }
    }

    fn restore(&self, step: &Step, _: Option<&Place>) -> Result<Restored> {
        let now = self.look(step.target())?;
        if now.same_as(&step.after().state) && !now.same_as(&step.before().state) {
            self.set(place(step.target())?, &step.before().state)?;
        }
        self.look(step.target()).map(Restored::Holds)
    }

    fn clear(&self, _: &Step, _: Option<&Place>) -> Result<()> {
        Ok(())
    }
}
