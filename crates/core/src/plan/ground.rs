//! What planners ask of the disk and of the store. They look through this and touch nothing.

use super::{Held, Place};
use crate::content::Content;
use crate::error::Result;

/// The ground that a plan is made for.
pub(crate) trait Ground {
    /// What a file holds at present.
    fn now(&self, place: &Place) -> Result<Option<Held>>;
    /// The bytes of a file that is there.
    fn bytes(&self, place: &Place) -> Result<Vec<u8>>;
    /// A place in the tree's own spelling, as far as the tree has it.
    fn spelled(&self, place: Place) -> Place;
    /// How many of the folders around a place are not there yet.
    fn missing_folders(&self, place: &Place) -> usize;
    /// The bytes of a build's file.
    fn stored(&self, content: &Content) -> Result<Vec<u8>>;
}
