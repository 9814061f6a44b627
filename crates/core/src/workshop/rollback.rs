//! Back to an earlier point.

use std::collections::BTreeMap;

use super::Workshop;
use crate::change::{Change, Purpose};
use crate::error::{ChangeError, Result};
use crate::path::fold;
use crate::plan::{self, NothingToDo, Plan, Point, RollbackOptions, Selection, unless_in_use};
use crate::situation::Situation;
use crate::survey::GameView;

impl Workshop {
    /// Plans to restore the shipped files, or those of an earlier point. Settings that were edited since are
    /// restored only with `settings`. Also returns why there is nothing to do, if the plan is empty.
    ///
    /// # Errors
    /// [`ChangeError::UnknownFamily`] if a family is selected that no change has touched.
    pub fn plan_rollback(
        &self,
        view: &GameView,
        of: Selection<'_>,
        to: Point,
        settings: bool,
    ) -> Result<(Plan, Option<NothingToDo>)> {
        let (mut plan, nothing) = self.decide_change(view, |situation| {
            if let Selection::Family(family) = of {
                expect_touched(situation, family)?;
            }
            let wanted = RollbackOptions { of, to, settings };
            let plan = plan::rollback(situation, wanted);
            let mut plan = unless_in_use(view, Purpose::Rollback, "rollback", plan)?;
            plan.findings.extend(plan::recheck(situation, &plan.steps));
            plan::stop_broken_loading(situation, &mut plan);
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
    /// If the journal's folder cannot be read.
    pub fn change_at(&self, moment: jiff::Timestamp) -> Result<i64> {
        let history = self.history()?;
        let by_then = history.changes.iter().filter(|change| change.began() <= moment);
        Ok(by_then.map(Change::number).max().unwrap_or(0))
    }
}

/// Fails if no change touched a family.
fn expect_touched(situation: &Situation<'_>, family: &str) -> Result<()> {
    let known = situation.ledger.entries().filter_map(|entry| entry.owner.family());
    let known: BTreeMap<String, String> = known.map(|id| (fold(id), id.to_owned())).collect();
    if known.contains_key(&fold(family)) {
        return Ok(());
    }
    let known = known.into_values().collect();
    let game = situation.game().title.clone();
    Err(ChangeError::UnknownFamily { family: family.to_owned(), game, known }.into())
}
