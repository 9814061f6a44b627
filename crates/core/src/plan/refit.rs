//! Plans to put back what was fitted and something else has overwritten.

use super::{Drift, DriftState, Drifted, Plan, drift, recheck};
use crate::change::{Purpose, Step};
use crate::error::Result;
use crate::path::same_name;
use crate::rack::is_settings_name;
use crate::situation::Situation;

/// What refitting a game comes to.
#[derive(Debug)]
pub struct Refit {
    /// What is put back.
    pub plan: Plan,
    /// The drift that it mends.
    pub drift: Drift,
}

/// Plans to put back what was fitted, of one family or of all, and has been overwritten or lost. What is
/// there now is the game's own from then on.
pub(crate) fn refit(situation: &Situation<'_>, family: Option<&str>) -> Result<Refit> {
    let drift = drift(situation)?;
    let mut plan = Plan::new(situation.view, Purpose::Refit, "refit".to_owned());
    let is_meant = |file: &&Drifted| family.is_none_or(|family| same_name(family, &file.family));
    let files = drift.files.iter().filter(is_meant).filter(|file| is_to_come_back(file));
    let step = |file: &Drifted| {
        let (now, recorded) = (file.now.clone(), file.recorded.clone());
        Step::file(file.place.clone(), now, recorded, &file.family)
    };
    plan.steps = files.map(step).collect();
    plan.arrange(situation)?;
    plan.findings = recheck(situation, &plan.steps);
    Ok(Refit { plan, drift })
}

fn is_to_come_back(file: &Drifted) -> bool {
    let is_replaced = match file.state {
        DriftState::Overwritten => !is_settings_name(file.place.path().file_name()),
        DriftState::Missing => true,
        _ => false,
    };
    is_replaced && !file.recorded.state.is_absent()
}
