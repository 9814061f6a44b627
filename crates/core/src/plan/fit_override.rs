//! The override that a stand-in needs in a prefix: the environment uses its own library of that name unless its
//! registry says otherwise, for the game's executable alone.

use super::Plan;
use super::fit::{FitPlanner, Target};
use crate::change::{self, State, Step};
use crate::error::Result;
use crate::game::Environment;
use crate::path::{TreePath, stem};
use crate::tune::registry;
use upright_spanner_change::RegistryValue;
use upright_spanner_image::system::can_be_stood_in;
use upright_spanner_settings::registry::{Value, ValueName};

/// The override: the library beside the executable before the environment's own.
const PREFERRED: &str = "native,builtin";

impl FitPlanner<'_> {
    /// Plans the overrides for new libraries.
    pub(super) fn plan_override(&self, targets: &[Target<'_>], plan: &mut Plan) -> Result<()> {
        let view = self.view();
        let (Some(environment), Some(executable)) = (&view.environment, view.executable()) else {
            return Ok(());
        };
        for target in targets {
            let path = target.place.path();
            let Some(facts) = target.file.facts.filter(|_| target.place.bay().is_none()) else {
                continue;
            };
            let is_beside = path.folder() == executable.path.folder();
            let name = path.file_name();
            if !is_beside
                || !can_be_stood_in(name)
                || !environment.takes_its_own(name, facts.machine)
            {
                continue;
            }
            let Some(value) = self.override_of(path) else { continue };
            let now = self.situation.window.now(&change::Target::Value(value.clone()))?.state;
            let after = State::Value(Value::text(PREFERRED));
            // It is not of this build alone: a newer one needs it too.
            plan.steps.push(Step::value(value, now, after, &self.owner()));
        }
        Ok(())
    }

    /// Plans to remove the override of a name that is removed, if a change set it.
    pub(super) fn prefer_no_more(&self, gone: &TreePath, plan: &mut Plan) -> Result<()> {
        let Some(value) = self.override_of(gone) else { return Ok(()) };
        let target = change::Target::Value(value);
        let Some(entry) = self.situation.ledger.at(&target).filter(|entry| entry.in_force()) else {
            return Ok(());
        };
        let now = self.situation.window.now(&target)?;
        if now.same_as(&entry.last) {
            plan.steps.push(Step::of(target, now, entry.shipped.clone(), &self.owner()));
        }
        Ok(())
    }

    /// The value of the prefix's registry about a library of the game's executable.
    fn override_of(&self, library: &TreePath) -> Option<RegistryValue> {
        let executable = self.view().executable()?.path.file_name();
        let name = stem(library.file_name());
        let value = ValueName::new(&Environment::key_for(executable), name).ok()?;
        let is_prefix = self.view().environment.is_some();
        registry(self.situation)
            .filter(|_| is_prefix)
            .map(|registry| RegistryValue { registry, value })
    }
}
