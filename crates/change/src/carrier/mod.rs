//! Carriers: what does the steps of one kind of target. The engine is written over them and knows
//! none of the kinds.

mod aside;
mod file;
mod folder;
mod mark;
pub mod memory;
mod on_disk;
mod part;
mod setting;
mod through;
mod value;
#[cfg_attr(not(windows), path = "no_windows.rs")]
mod windows;

use crate::error::{Error, Result};
use crate::path::Place;
use crate::step::{State, Step, Target};
pub use aside::listing;
pub use on_disk::{OnDisk, values_below};

/// Does the steps of one kind of target.
///
/// `spare` is a place beside the target: new content waits there for its turn, and old content until
/// the change is over. It is named in the journal, and nothing else has its name.
pub trait Carrier: Sync {
    /// The present state of the target.
    ///
    /// # Errors
    /// If something else is there, or it cannot be read.
    fn look(&self, target: &Target) -> Result<State>;
    /// Makes the replaced content durable in the store, and verifies the new content.
    ///
    /// # Errors
    /// If it is different from expected, or cannot be read or stored.
    fn keep(&self, step: &Step) -> Result<()>;
    /// Stages the new state, so that one operation puts it in place.
    ///
    /// # Errors
    /// If it cannot be written.
    fn stage(&self, step: &Step, spare: Option<&Place>) -> Result<()>;
    /// Puts the new state in place. Fails, with everything as before, if the present state is not the expected one.
    /// Returns the present state if it differs from the plan without being a failure.
    ///
    /// # Errors
    /// If it is not done; everything is as before.
    fn exchange(&self, step: &Step, spare: Option<&Place>) -> Result<Option<State>>;
    /// Makes the target durable, reads it back, and verifies that the displaced content is the stored one.
    ///
    /// # Errors
    /// If it cannot be made durable, or differs from the planned state.
    fn settle(&self, step: &Step, spare: Option<&Place>) -> Result<()>;
    /// Reverts the step from wherever it was interrupted. Anything that something else has put there is left alone.
    ///
    /// # Errors
    /// If it cannot be taken back now.
    fn restore(&self, step: &Step, spare: Option<&Place>) -> Result<Restored>;
    /// Removes the file at the spare place.
    ///
    /// # Errors
    /// If it cannot be removed.
    fn clear(&self, step: &Step, spare: Option<&Place>) -> Result<()>;
}

/// What taking a step back came to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Restored {
    /// The target has its old state, including anything its owner wrote in the meantime: the step had not been done,
    /// or it was reverted.
    Untouched,
    /// This is at the target now.
    Holds(State),
}

/// The place of a target that has one.
fn place(target: &Target) -> Result<&Place> {
    target.place().ok_or_else(|| Error::NoRegistry { value: target.to_string() })
}

/// Gives the carrier for each kind of target.
pub trait Carriers: Sync {
    /// The carrier of a target's kind.
    fn of(&self, target: &Target) -> &dyn Carrier;

    /// Makes all steps so far durable, if that is not done with each step.
    ///
    /// # Errors
    /// If the disk fails.
    fn sync(&self) -> Result<()> {
        Ok(())
    }
}
