//! One change taken back.

use super::Workshop;
use crate::change::{Change, Purpose, RecordState};
use crate::error::{ChangeError, Result};
use crate::plan::{self, Plan, unless_in_use};
use crate::survey::GameView;

impl Workshop {
    /// The change that `undo` means: the one of that number, else the last one in effect.
    ///
    /// # Errors
    /// [`ChangeError::Unknown`] if no change that was done has that number.
    pub fn change_to_undo(&self, number: Option<i64>) -> Result<Option<Change>> {
        let history = self.history()?;
        let Some(number) = number else {
            let effective = plan::in_effect(&history.changes);
            let last = history.changes.iter().rfind(|c| effective.contains(&c.number()));
            return Ok(last.cloned());
        };
        let is_meant =
            |change: &&Change| change.number() == number && change.state() == RecordState::Done;
        let change = history.changes.iter().find(is_meant).cloned();
        change.map(Some).ok_or(ChangeError::Unknown { number }.into())
    }

    /// Plans to undo a change that no other depends on.
    ///
    /// # Errors
    /// [`ChangeError::StoodOn`] if something does.
    pub fn plan_undo(&self, view: &GameView, change: &Change) -> Result<Plan> {
        let mut plan = self.decide_change(view, |situation| {
            let later = plan::standing_on(change, &situation.changes);
            let later = plan::in_the_way(change, later, &situation.changes);
            if !later.is_empty() {
                let later =
                    later.iter().map(|c| format!("change {} ({})", c.number(), c.summary()));
                let game = change.game().to_owned();
                let (number, later) = (change.number(), later.collect());
                return Err(ChangeError::StoodOn { number, game, later }.into());
            }
            let plan = plan::undo(situation, change);
            let mut plan =
                unless_in_use(view, Purpose::Undo { change: change.number() }, "undo", plan)?;
            plan.findings.extend(plan::recheck(situation, &plan.steps));
            plan::stop_broken_loading(situation, &mut plan);
            Ok(plan)
        })?;
        self.add_conditions(&mut plan);
        Ok(plan)
    }
}
