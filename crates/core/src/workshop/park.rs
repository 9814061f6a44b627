//! A component out for now, and back as it was.

use super::Workshop;
use crate::change::{Change, Purpose};
use crate::error::{Error, Result};
use crate::path::same_name;
use crate::plan::{self, Plan, unless_in_use};
use crate::remedy::Action;
use crate::situation::Situation;
use crate::survey::GameView;

impl Workshop {
    /// Plans to take a family out for now.
    ///
    /// # Errors
    /// If the game has no such family, or it is the game's own.
    pub fn plan_park(&self, view: &GameView, family: &str) -> Result<Plan> {
        let mut plan = self.decide_change(view, |situation| {
            let plan = plan::park(situation, family);
            let mut plan =
                unless_in_use(view, Purpose::Park { family: family.to_owned() }, "park", plan)?;
            plan::stop_broken_loading(situation, &mut plan);
            Ok(plan)
        })?;
        if plan.steps.is_empty() && plan.findings.is_empty() && plan.in_use.is_empty() {
            let is_there = view.libraries.iter().any(|library| same_name(&library.family, family));
            if !is_there {
                return Err(view.no_component(family));
            }
            return Err(Error::Invalid {
                what: format!("{family} is what {} itself brought", view.game.title),
                remedy:
                    "The game may not start without it, and nothing in it is yours to take out."
                        .into(),
            });
        }

        self.add_conditions(&mut plan);
        Ok(plan)
    }

    /// Plans to restore a parked family, after checking that it still suits the game.
    ///
    /// # Errors
    /// If it is not parked.
    pub fn plan_unpark(&self, view: &GameView, family: &str, despite: &[String]) -> Result<Plan> {
        let mut plan = self.decide_change(view, |situation| {
            let Some(parked) = parked(situation, family) else {
                let game = Some(view.game.id.clone().into());
                return Err(Error::Invalid {
                    what: format!("{family} is not parked in {}", view.game.title),
                    remedy: ("The history lists parked families.", Action::ShowHistory { game })
                        .into(),
                });
            };
            let plan = plan::unpark(situation, parked, family);
            let purpose = Purpose::Unpark { change: parked.number() };
            let mut plan = unless_in_use(view, purpose, "unpark", plan)?;
            plan.findings.extend(plan::recheck(situation, &plan.steps));
            plan::stop_broken_loading(situation, &mut plan);
            Ok(plan)
        })?;
        self.add_conditions(&mut plan);
        plan.override_stops(despite);
        Ok(plan)
    }
}

/// The change that took a family out, if it is out still.
fn parked<'a>(situation: &Situation<'a>, family: &str) -> Option<&'a Change> {
    let effective = plan::in_effect(situation.changes.iter().copied());
    let in_effect = |change: &&Change| effective.contains(&change.number());
    let changes = || situation.changes.iter().copied().filter(in_effect);
    let is_back = |number: i64| changes().any(|c| c.purpose == Purpose::Unpark { change: number });
    let is_it = |change: &&Change| {
        matches!(&change.purpose, Purpose::Park { family: parked } if same_name(parked, family))
            && change.root() == situation.game().root
            && !is_back(change.number())
    };
    changes().rfind(is_it)
}
