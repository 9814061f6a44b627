//! Swaps made by hand, taken under management.

use super::apply::{draft, failed};
use super::conditions::Cleared;
use super::{Altering, Workshop};
use crate::change::{Change, Step};
use crate::error::{HomeError, Result};
use crate::plan::{self, Adoption, Place, Plan};
use crate::survey::GameView;
use upright_spanner_change::{Lock, Silent};

impl Workshop {
    /// Plans to take swaps made by hand under management.
    ///
    /// # Errors
    /// If the home or a file of the game cannot be read.
    pub fn plan_adopt(&self, view: &GameView) -> Result<(Plan, Vec<Adoption>)> {
        self.decide(view, plan::adopt)
    }

    /// Plans to remove the copies made by hand, which the store keeps.
    ///
    /// # Errors
    /// If a copy cannot be read.
    pub fn plan_removal_of_copies(&self, view: &GameView, adoptions: &[Adoption]) -> Result<Plan> {
        let mut plan = self.decide(view, |situation| {
            let mut plan = plan::remove_copies(situation, adoptions)?;
            plan::stop_broken_loading(situation, &mut plan);
            Ok(plan)
        })?;
        self.add_conditions(&mut plan);
        Ok(plan)
    }
}

impl Altering<'_> {
    /// Journals what [`Workshop::plan_adopt`] planned; the originals are kept in the store.
    ///
    /// # Errors
    /// If a file has changed, or the home cannot be written to.
    pub fn adopt(&self, cleared: Cleared, adoptions: &[Adoption]) -> Result<Change> {
        let plan = cleared.into_plan();
        let workshop = self.workshop();
        let _game = Lock::take(&plan.game.root)?;

        workshop.expect_free(&plan)?;
        let steps = plan.steps.iter().enumerate();
        let originals: Vec<(usize, Place)> =
            steps.filter_map(|(n, step)| Some((n, original(step, adoptions)?))).collect();
        let noted = workshop.engine(&Silent).note(draft(plan, Vec::new())?, &originals);
        let record = noted.map_err(failed)?;
        Change::try_from(record)
            .map_err(|what| HomeError::DamagedFile { path: workshop.home.clone(), what }.into())
    }
}

/// The original of the file that a step is about.
fn original(step: &Step, adoptions: &[Adoption]) -> Option<Place> {
    let mut adoptions = adoptions.iter();
    let adoption = adoptions
        .find(|it| step.file().is_some_and(|file| file.same_as(&it.live.path.clone().into())))?;
    Some(adoption.original.path.clone().into())
}
