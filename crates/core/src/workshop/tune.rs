//! Settings of games: shown, set, locked, and saved as presets.

use std::path::PathBuf;

use super::{Altering, Workshop};
use crate::catalog::{Lesson, add_preset};
use crate::error::{Error, Result};
use crate::path::same_name;
use crate::plan::{self, Plan, TuneRequest};
use crate::remedy::Action;
use crate::survey::GameView;
use crate::tune::{self, Tuning};

impl Workshop {
    /// The settings of a game: of one family, or of all that have any.
    ///
    /// # Errors
    /// If the game has no such family.
    pub fn tuning(&self, view: &GameView, family: Option<&str>) -> Result<Tuning> {
        self.decide(view, |situation| {
            if let Some(family) = family {
                let is_there = view
                    .libraries
                    .iter()
                    .any(|library| !library.put_aside && same_name(&library.family, family));
                let is_recorded =
                    situation.ledger.files().any(|(_, entry)| entry.owner.is_family(family));
                if !is_there && !is_recorded {
                    return Err(view.no_component(family));
                }
            }
            Ok(tune::tuning(situation, family))
        })
    }

    /// Plans the user's request for a game's settings.
    ///
    /// # Errors
    /// If the setting does not exist, or cannot have the value.
    pub fn plan_tune(
        &self,
        view: &GameView,
        family: Option<&str>,
        wish: &TuneRequest,
    ) -> Result<Plan> {
        if family.is_some() {
            self.tuning(view, family)?;
        }
        let mut plan = self.decide_change(view, |situation| plan::tune(situation, family, wish))?;
        self.add_conditions(&mut plan);
        Ok(plan)
    }
}

impl Altering<'_> {
    /// Saves the present settings of a family as a preset of the catalog; returns the catalog file.
    ///
    /// # Errors
    /// If nothing is set, or the catalog cannot be written.
    pub fn save_preset(&self, view: &GameView, family: &str, name: &str) -> Result<PathBuf> {
        let workshop = self.workshop();
        let tuning = workshop.tuning(view, Some(family))?;
        let set = tuning
            .settings
            .iter()
            .filter_map(|setting| Some((setting.name.clone(), setting.shown(&setting.now)?)));
        let set: Vec<(String, String)> = set.collect();
        if set.is_empty() {
            return Err(Error::Invalid {
                what: format!("nothing of {family} is set that could be saved"),
                remedy: (
                    "List the settings.",
                    Action::ShowSettings { game: view.game.id.clone().into() },
                )
                    .into(),
            });
        }

        // A catalog beside the game belongs to the game; a saved preset belongs to the user.
        let catalog = workshop.home.join("catalog");
        let known =
            workshop.catalog().family(family).map(|known| (known.id.clone(), known.from.clone()));
        let (id, path) = if let Some(known) = known.filter(|(_, from)| from.starts_with(&catalog)) {
            known
        } else {
            let library = view.libraries.iter().find(|library| same_name(&library.family, family));
            let library = library.ok_or_else(|| view.no_component(family))?;
            let lesson = Lesson { id: Some(library.family.clone()), ..Lesson::default() };
            let learned = workshop.learn_family(&library.path.on(&view.game.root), lesson)?;
            (learned.id, learned.from)
        };
        add_preset(&path, &id, name, &set)?;
        Ok(path)
    }
}
