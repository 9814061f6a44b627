//! Plans to put back what the game brought.

use super::{Ground, Held, Ledger, Plan, Step};
use crate::check::altered_since;
use crate::error::Result;
use crate::game::Game;
use crate::path::same_name;

/// Plans the way back to the files as shipped, of one family or of all that changes have touched.
pub(crate) fn rollback(
    game: &Game,
    ledger: &Ledger,
    family: Option<&str>,
    ground: &dyn Ground,
) -> Result<Plan> {
    let summary =
        family.map_or_else(|| "rollback".to_owned(), |family| format!("rollback {family}"));
    let mut plan = Plan::new(game, summary);
    let wanted = ledger
        .entries()
        .filter(|entry| entry.in_force())
        .filter(|entry| family.is_none_or(|family| same_name(family, &entry.family)));
    for entry in wanted {
        let now = ground.now(&entry.place)?;
        let content = |held: &Held| held.state.content;
        if now.as_ref().map(content) == entry.shipped.as_ref().map(content) {
            continue;
        }
        match now {
            Some(now) if Some(content(&now)) != entry.last.as_ref().map(content) => {
                let fitted = entry.last.as_ref();
                plan.findings.push(altered_since::finding(&entry.place, fitted, &now));
            }
            now => plan.steps.push(Step {
                place: entry.place.clone(),
                family: entry.family.clone(),
                before: now,
                after: entry.shipped.clone(),
                folders: entry.folders,
            }),
        }
    }
    Ok(plan)
}
