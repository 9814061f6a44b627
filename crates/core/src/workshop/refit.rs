//! Fitted builds put back after something else has overwritten them.

use super::Workshop;
use crate::error::Result;
use crate::plan::{self, Refit};
use crate::survey::GameView;

impl Workshop {
    /// Plans to restore fitted files that were overwritten or lost, after checking that they still suit the game. The
    /// present files become the shipped ones.
    ///
    /// # Errors
    /// If the home or a file of the game cannot be read.
    pub fn plan_refit(
        &self,
        view: &GameView,
        family: Option<&str>,
        despite: &[String],
    ) -> Result<Refit> {
        let mut refit = self.decide_change(view, |situation| {
            let mut refit = plan::refit(situation, family)?;
            plan::stop_broken_loading(situation, &mut refit.plan);
            Ok(refit)
        })?;
        self.add_conditions(&mut refit.plan);
        refit.plan.override_stops(despite);
        Ok(refit)
    }
}
