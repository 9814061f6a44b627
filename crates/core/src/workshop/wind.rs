//! Another release of a game put onto its folder.

use std::collections::BTreeMap;
use std::path::PathBuf;

use super::apply::merged;
use super::conditions::{Cleared, same_volume};
use super::on_disk::OnDisk;
use super::{Altering, Workshop};
use crate::change::Change;
use crate::content::Content;
use crate::error::{Error, Result};
use crate::path::{followed, slashes};
use crate::plan::{self, HoldRequest, Plan, WindOptions, Winding};
use crate::settings::Settings;
use crate::survey::GameView;
use crate::wind::{GameTree, Outline, Release};
use upright_spanner_change::{Progress, Supply};

/// A plan to put another release of a game into its folder, with the sources of the files.
#[derive(Debug)]
pub struct WindPlan {
    /// The plan.
    pub plan: Plan,
    /// The plan in a few numbers.
    pub outline: Outline,
    passing: BTreeMap<Content, PathBuf>,
    kept: BTreeMap<Content, PathBuf>,
    /// Kept so that the unpacked files stay.
    _release: Release,
}

impl Workshop {
    /// Plans to put a release of a game into its folder: every file of some folders and archives. If several have a
    /// file, the last one counts; other files of the game stay.
    ///
    /// # Errors
    /// [`crate::ChangeError::NotWindable`] if part of it cannot be in a game; if something cannot be read.
    pub fn plan_wind(
        &self,
        view: &GameView,
        from: &[PathBuf],
        options: &WindOptions,
        progress: &dyn Progress,
    ) -> Result<WindPlan> {
        self.expect_words()?;
        let from: Vec<PathBuf> = from.iter().map(|path| followed(path).into_owned()).collect();
        let limits = Settings::read(&self.home)?.limits;
        let release = Release::read(&from, &limits, &self.scratch(), progress)?;
        let tree = GameTree::read(&view.game.root);
        let contents = release.files.iter();
        let contents = contents.filter_map(|f| Some((f.side.state.content()?, f.file.clone())));
        let window = OnDisk::new(&self.store, view, &[]).with_sources(&contents.collect());

        progress.begin("comparing with the game", None);
        let winding = self.decide_with(view, &window, |situation| {
            let mut winding = plan::wind(situation, &release, &tree, options)?;
            if options.hold {
                let held = plan::hold(situation, &self.launchers(), &HoldRequest::default())?;
                winding.plan.steps.extend(held.steps);
                winding.plan.findings.extend(held.findings);
            }
            Ok(winding)
        });
        progress.end();
        let Winding { plan, outline, passing, kept } = winding?;
        let root = &view.game.root;
        if plan.sets_aside() && !root.parent().is_some_and(|around| same_volume(root, around)) {
            return Err(Error::Invalid {
                what: format!(
                    "{} is a separate volume, so nothing can be moved out of it",
                    slashes(root)
                ),
                remedy: "Let nothing be moved aside.".into(),
            });
        }
        let mut plan = WindPlan { plan, outline, passing, kept, _release: release };
        plan.plan.numbered(self.journal.next(&self.database)?);
        self.add_conditions(&mut plan.plan);
        plan.plan.override_stops(&options.despite);
        Ok(plan)
    }
}

impl Altering<'_> {
    /// Carries out what [`Workshop::plan_wind`] planned, once it is cleared of its stops by `despite`.
    ///
    /// # Errors
    /// If it is stopped, or was not done; the error says how everything was left.
    pub fn wind(
        &self,
        wind: WindPlan,
        despite: &[String],
        progress: &dyn Progress,
    ) -> Result<Change> {
        let WindPlan { plan, passing, kept, _release, .. } = wind;
        let cleared: Cleared =
            self.workshop().clear(plan, despite).map_err(|stopped| stopped.refused())?;
        let mut supplies: Vec<Supply> = merged(cleared.plan()).collect();
        // A stored content can be placed from the store.
        let passing = passing.into_iter().filter(|(content, _)| !kept.contains_key(content));
        supplies.extend(passing.map(|(content, file)| Supply::Passing(file, content)));
        supplies.extend(kept.iter().map(|(content, file)| Supply::File(file.clone(), *content)));
        self.apply_with(cleared, supplies, progress)
    }
}
