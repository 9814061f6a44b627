//! Plans to restore fitted files that something else has overwritten.

use super::{
    Drift, DriftState, Drifted, LONGEST_SETTINGS, Merge, Plan, drift, is_mergeable, merge, recheck,
};
use crate::change::{Purpose, Side, Step};
use crate::content::{Content, FileState};
use crate::error::Result;
use crate::situation::Situation;

/// What refitting a game comes to.
#[derive(Debug)]
pub struct Refit {
    /// The plan.
    pub plan: Plan,
    /// The drift that it repairs.
    pub drift: Drift,
}

/// Plans to restore fitted files, of one family or of all, that were overwritten or lost. The present files become
/// the shipped ones.
pub(crate) fn refit(situation: &Situation<'_>, family: Option<&str>) -> Result<Refit> {
    let drift = drift(situation)?;
    let mut plan = Plan::new(situation.view, Purpose::Refit, "refit".to_owned());
    let is_meant = |file: &&Drifted| family.is_none_or(|family| file.owner.is_family(family));
    let is_users = |file: &Drifted| {
        let place = file.target.file();
        place.is_some_and(|place| situation.is_users(place, &file.owner))
    };
    let to_come_back = |file: &&Drifted| match file.state {
        DriftState::Overwritten => !is_users(file),
        DriftState::Missing => true,
        _ => false,
    };
    let files = drift.files.iter().filter(is_meant).filter(to_come_back);
    let files =
        files.filter(|file| file.target.file().is_none() || !file.recorded.state.is_absent());
    let step = |file: &Drifted| {
        let (now, recorded) = (file.now.clone(), file.recorded.clone());
        Step::of(file.target.clone(), now, recorded, &file.owner)
    };
    plan.steps = files.map(step).collect();
    let settings = drift.files.iter().filter(is_meant).filter(|file| is_users(file));
    for file in settings.filter(|file| file.state == DriftState::Fitted) {
        complete(situation, file, &mut plan)?;
    }
    plan.arrange(situation)?;
    plan.findings = recheck(situation, &plan.steps);
    Ok(Refit { plan, drift })
}

/// Settings belong to the user: only missing keys are restored.
fn complete(situation: &Situation<'_>, file: &Drifted, plan: &mut Plan) -> Result<()> {
    let Some(place) = file.target.file() else { return Ok(()) };
    let both = file.now.state.file().zip(file.recorded.state.file());
    let Some((now, recorded)) = both.filter(|(now, recorded)| now.content != recorded.content)
    else {
        return Ok(());
    };
    if now.content.size.max(recorded.content.size) > LONGEST_SETTINGS {
        return Ok(());
    }
    let user = situation.window.bytes(place)?;
    let fitted = situation.window.stored(&recorded.content)?;
    if !is_mergeable(&user) || !is_mergeable(&fitted) {
        return Ok(());
    }
    let merged = merge(&user, &fitted, None);
    if merged.bytes != user {
        let content = Content::of_bytes(&merged.bytes);
        let after = Side::file(FileState { content, stamp: now.stamp }, None);
        plan.steps.push(Step::replace(place.clone(), file.now.clone(), after, &file.owner));
        plan.merges.push(Merge { place: place.clone(), merged });
    }
    Ok(())
}
