//! Back to an earlier point.

use super::Workshop;
use crate::change::{Change, Purpose};
use crate::error::{ChangeError, Result};
use crate::path::same_name;
use crate::plan::{self, NothingToDo, Plan, Point, RollbackOptions, unless_in_use};
use crate::situation::Situation;
use crate::survey::GameView;

impl Workshop {
    /// Plans the way back, of one family or of all: to the files as shipped, or to an earlier point.
    /// Settings that were edited since stay, unless `settings` says that they go back too. Gives why
    /// there is nothing to do, where there is not.
    ///
    /// # Errors
    /// [`ChangeError::UnknownFamily`] where no change touched it.
    pub fn plan_rollback(
        &self,
        view: &GameView,
        family: Option<&str>,
        to: Point,
        settings: bool,
    ) -> Result<(Plan, Option<NothingToDo>)> {
        let (mut plan, nothing) = self.decide_change(view, |situation| {
            if let Some(family) = family {
                expect_touched(situation, family)?;
            }
            let wanted = RollbackOptions { family, to, settings };
            let plan = plan::rollback(situation, wanted);
            let mut plan = unless_in_use(view, Purpose::Rollback, "rollback", plan)?;
            plan.findings.extend(plan::recheck(situation, &plan.steps));
            plan::hold_to_the_law(situation, &mut plan);
            let nothing = match () {
                () if !plan.steps.is_empty() => None,
                () if situation.ledger.is_empty() => Some(NothingToDo::NothingRecorded),
                () if plan.findings.is_empty() => Some(NothingToDo::AlreadyThere),
                () => Some(NothingToDo::LeftAlone),
            };
            Ok((plan, nothing))
        })?;
        self.add_conditions(&mut plan);
        Ok((plan, nothing))
    }

    /// The number of the last change that had begun by a moment.
    ///
    /// # Errors
    /// Where the journal's folder cannot be read.
    pub fn change_at(&self, moment: jiff::Timestamp) -> Result<i64> {
        let history = self.history()?;
        let by_then = history.changes.iter().filter(|change| change.began() <= moment);
        Ok(by_then.map(Change::number).max().unwrap_or(0))
    }
}

/// Fails where no change touched a family.
fn expect_touched(situation: &Situation<'_>, family: &str) -> Result<()> {
    let mut known: Vec<String> = situation.ledger.entries().map(|e| e.family.clone()).collect();
    known.sort();
    known.dedup();
    if known.iter().any(|known| same_name(known, family)) {
        return Ok(());
    }
    let game = situation.game().title.clone();
    Err(ChangeError::UnknownFamily { family: family.to_owned(), game, known }.into())
}
