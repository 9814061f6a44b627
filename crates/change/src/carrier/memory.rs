//! A carrier whose targets are in memory, to try the engine with: any operation can be made to fail, or to be the
//! last one before the program ends.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use std::sync::{Mutex, MutexGuard, PoisonError};

use crate::carrier::{Carrier, Carriers, Restored};
use crate::content::Content;
use crate::error::{Error, Result};
use crate::path::Place;
use crate::step::{State, Step, Target};

/// Targets in memory.
#[derive(Debug, Default)]
pub struct Memory {
    world: Mutex<World>,
}

#[derive(Debug, Default)]
struct World {
    targets: BTreeMap<Target, State>,
    spares: BTreeMap<Place, State>,
    stored: BTreeSet<Content>,
    /// How many operations succeed before one fails.
    left: Option<u64>,
    /// Whether everything fails after that one, as after a power cut.
    dies: bool,
}

impl Memory {
    /// Puts something at a target, as something else than the engine does.
    pub fn put(&self, target: &Target, state: State) {
        self.world().targets.insert(target.clone(), state);
    }

    /// The present state of a target.
    pub fn get(&self, target: &Target) -> State {
        self.world().targets.get(target).cloned().unwrap_or(State::Absent)
    }

    /// Whether anything is at a spare place.
    pub fn has_spares(&self) -> bool {
        !self.world().spares.is_empty()
    }

    /// Lets so many operations succeed and the next one fail; all after it too, if that is its death.
    pub fn fail_after(&self, operations: Option<u64>, death: bool) {
        let mut world = self.world();
        (world.left, world.dies) = (operations, death);
    }

    fn world(&self) -> MutexGuard<'_, World> {
        self.world.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn operation(&self) -> Result<MutexGuard<'_, World>> {
        let mut world = self.world();
        match world.left {
            None => {}
            Some(0) => {
                if !world.dies {
                    world.left = None;
                }
                let error = std::io::Error::other("made to fail");
                return Err(Error::io("reach", Path::new("memory"))(error));
            }
            Some(left) => world.left = Some(left - 1),
        }

        Ok(world)
    }
}

impl Carriers for Memory {
    fn of(&self, _: &Target) -> &dyn Carrier {
        self
    }
}

impl Carrier for Memory {
    fn look(&self, target: &Target) -> Result<State> {
        Ok(self.operation()?.targets.get(target).cloned().unwrap_or(State::Absent))
    }

    fn keep(&self, step: &Step) -> Result<()> {
        let now = self.look(step.target())?;
        if !now.same_as(&step.before().state) {
            return Err(Error::NotAsExpected { path: "memory".into() });
        }
        self.operation()?.stored.extend(now.content());
        Ok(())
    }

    fn stage(&self, step: &Step, spare: Option<&Place>) -> Result<()> {
        if let (Some(spare), false) = (spare, step.after().state.is_absent()) {
            self.operation()?.spares.insert(spare.clone(), step.after().state.clone());
        }
        Ok(())
    }

    fn exchange(&self, step: &Step, spare: Option<&Place>) -> Result<Option<State>> {
        let mut world = self.operation()?;
        let now = world.targets.get(step.target()).cloned().unwrap_or(State::Absent);
        if !now.same_as(&step.before().state) {
            return Err(Error::NotAsExpected { path: "memory".into() });
        }
        if let Some(spare) = spare {
            world.spares.insert(spare.clone(), now);
        }
        world.targets.insert(step.target().clone(), step.after().state.clone());
        Ok(None)
    }

    fn settle(&self, step: &Step, _: Option<&Place>) -> Result<()> {
        let now = self.look(step.target())?;
        if now.same_as(&step.after().state) {
            Ok(())
        } else {
            Err(Error::NotAsExpected { path: "memory".into() })
        }
    }

    fn restore(&self, step: &Step, spare: Option<&Place>) -> Result<Restored> {
        let now = self.look(step.target())?;
        if now.same_as(&step.after().state) && !now.same_as(&step.before().state) {
            self.operation()?.targets.insert(step.target().clone(), step.before().state.clone());
        }
        self.clear(step, spare)?;
        self.look(step.target()).map(Restored::Holds)
    }

    fn clear(&self, _: &Step, spare: Option<&Place>) -> Result<()> {
        if let Some(spare) = spare {
            self.operation()?.spares.remove(spare);
        }
        Ok(())
    }
}
