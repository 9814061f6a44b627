//! Plans that cannot be made since a file is in use.

use std::path::Path;

use super::Plan;
use crate::change::Purpose;
use crate::error::Result;
use crate::survey::GameView;

/// A plan that could not be made since a file that it would look at is in use becomes one that this
/// stops.
pub(crate) fn unless_in_use(
    view: &GameView,
    purpose: Purpose,
    summary: &str,
    plan: Result<Plan>,
) -> Result<Plan> {
    let path = match &plan {
        Err(error) => error.in_use().map(Path::to_owned),
        Ok(_) => None,
    };
    let Some(path) = path else { return plan };
    let mut plan = Plan::new(view, purpose, summary.to_owned());
    plan.in_use.push(path);
    Ok(plan)
}
