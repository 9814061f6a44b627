//! Drift from the last recorded state.

use super::Workshop;
use crate::error::Result;
use crate::plan::{self, Drift};
use crate::survey::GameView;

impl Workshop {
    /// Compares a game with its records.
    ///
    /// # Errors
    /// If the journal's folder or a file of the game cannot be read.
    pub fn drift(&self, view: &GameView) -> Result<Drift> {
        self.decide(view, plan::drift)
    }
}
