//! Plans to keep a launcher from updating a game, and to let it again.

use std::path::{Path, PathBuf};

use super::{Place, Plan};
use crate::change::{Owner, Purpose, State, Step, Target};
use crate::check::held_by_mark;
use crate::error::{Error, GameError, Result};
use crate::launcher::{HoldKey, Launchers};
use crate::path::{TreePath, slashes};
use crate::situation::Situation;
use upright_spanner_change::SettingKey;
use upright_spanner_settings::document;

/// The user's request for a hold.
#[derive(Debug, Clone, Default)]
pub struct HoldRequest {
    /// Why, in the user's words.
    pub why: Option<String>,
    /// The file to hold, if it is not the launcher's record.
    pub file: Option<PathBuf>,
}

/// Plans to keep launchers from updating a game.
///
/// # Errors
/// If no launcher's record of it is known, or the named file does not exist.
pub(crate) fn hold(
    situation: &Situation<'_>,
    launchers: &Launchers,
    wish: &HoldRequest,
) -> Result<Plan> {
    let game = situation.game();
    let why = wish.why.as_ref().map_or_else(String::new, |why| format!(" ({why})"));
    let summary = format!("hold {}{why}", game.id);
    let mut plan = Plan::new(situation.view, Purpose::Hold { why: wish.why.clone() }, summary);

    let records: Vec<(PathBuf, Option<&HoldKey>)> = match &wish.file {
        Some(file) => vec![(file.clone(), None)],
        None => situation
            .view
            .records
            .iter()
            .map(|record| {
                let launcher = launchers.named(&record.launcher);
                (record.file.clone(), launcher.and_then(|launcher| launcher.hold.as_ref()))
            })
            .collect(),
    };
    if records.is_empty() {
        return Err(GameError::NoRecord { title: game.title.clone(), game: game.id.clone() }.into());
    }
    for (file, key) in records {
        let place = place_of(&game.root, &file)?;
        let step = if let Some(key) = key {
            set_key(situation, place, key)?
        } else {
            let before = situation.window.now(&Target::ReadOnly(place.clone()))?.state;
            if !before.is_marked() && cfg!(unix) {
                plan.findings.push(held_by_mark::finding(&place));
            }
            Step::read_only(place, before, true, &Owner::Hold)
        };
        if !step.before().same_as(step.after()) {
            plan.steps.push(step);
        }
    }
    Ok(plan)
}

/// Plans to let launchers update a game again.
pub(crate) fn lift(situation: &Situation<'_>) -> Result<Plan> {
    let summary = format!("lift the hold of {}", situation.game().id);
    let mut plan = Plan::new(situation.view, Purpose::Hold { why: None }, summary);
    for entry in situation.ledger.entries() {
        if entry.owner != Owner::Hold || !entry.in_force() {
            continue;
        }
        let now = situation.window.now(&entry.target)?;
        if !now.same_as(&entry.shipped) && !now.state.is_absent() {
            let step = Step::of(entry.target.clone(), now, entry.shipped.clone(), &Owner::Hold);
            plan.steps.push(step);
        }
    }
    Ok(plan)
}

/// The key of a record with the value that holds.
fn set_key(situation: &Situation<'_>, place: Place, key: &HoldKey) -> Result<Step> {
    let setting = SettingKey { place, format: key.format, path: key.path.clone() };
    let now = situation.window.now(&Target::Setting(setting.clone()))?;
    let like = match &now.state {
        State::Setting(value) => Some(value.as_str()),
        _ => None,
    };
    let written = document::written(key.format, &key.value, like);
    Ok(Step::setting(setting, now.state, State::Setting(written), &Owner::Hold))
}

fn place_of(root: &Path, file: &Path) -> Result<Place> {
    let named = |what: String| Error::Invalid {
        what: format!("{} cannot be held: {what}", slashes(file)),
        remedy: "Give a file whose path is Unicode.".into(),
    };
    let (Some(folder), Some(name)) = (file.parent(), file.file_name().and_then(|n| n.to_str()))
    else {
        return Err(named("it has no name".to_owned()));
    };
    let path = TreePath::new(name).map_err(|error| named(error.to_string()))?;
    Place::new(root, folder, path).map_err(|error| named(error.to_string()))
}
