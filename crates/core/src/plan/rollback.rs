//! Plans to put back what the game brought.

use super::{Held, Ledger, Plan, Step};
use crate::check::altered_since;
use crate::game::Game;
use crate::path::{GamePath, same_name};

/// Plans the way back to the files as shipped, of one family or of all that changes have touched.
/// `now` tells what a file holds at present.
pub(crate) fn rollback<E>(
    game: &Game,
    ledger: &Ledger,
    family: Option<&str>,
    mut now: impl FnMut(&GamePath) -> Result<Option<Held>, E>,
) -> Result<Plan, E> {
    let mut plan = Plan {
        game: game.clone(),
        summary: family
            .map_or_else(|| "rollback".to_owned(), |family| format!("rollback {family}")),
        steps: Vec::new(),
        merges: Vec::new(),
        findings: Vec::new(),
    };
    let wanted = ledger
        .entries()
        .filter(|entry| entry.in_force())
        .filter(|entry| family.is_none_or(|family| same_name(family, &entry.family)));
    for entry in wanted {
        let now = now(&entry.path)?;
        let content = |held: &Held| held.state.content;
        if now.as_ref().map(content) == entry.shipped.as_ref().map(content) {
            continue;
        }
        match now {
            Some(now) if Some(content(&now)) != entry.last.as_ref().map(content) => {
                let fitted = entry.last.as_ref();
                plan.findings.push(altered_since::finding(&entry.path, fitted, &now));
            }
            now => plan.steps.push(Step {
                path: entry.path.clone(),
                family: entry.family.clone(),
                before: now,
                after: entry.shipped.clone(),
            }),
        }
    }
    Ok(plan)
}
