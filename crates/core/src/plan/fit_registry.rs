//! The registry values that a build's `.reg` files set with a fit, if the user asks for it, and those of an older
//! build that are removed.

use super::Plan;
use super::fit::FitPlanner;
use super::registry::{RegistryEffect, files_of, undone_by_files};
use crate::change::{Step, Target};
use crate::check::{no_registry, registry_left, undo_file};
use crate::error::Result;
use crate::path::same_name;
use crate::rack::Build;
use crate::survey::Library;
use crate::tune::registry;

impl FitPlanner<'_> {
    /// Plans the values of the build's `.reg` files, the restored values of an older build, and the effect of an undo
    /// file.
    pub(super) fn plan_registry(&self, plan: &mut Plan) -> Result<()> {
        let situation = self.situation;
        let mut wanted = RegistryEffect::default();
        let mut is_wanted = false;
        for file in files_of(situation, self.build).iter().filter(|file| !file.is_undo) {
            if file.is_set || self.options.registry {
                is_wanted = true;
                wanted.take(file, situation)?;
                if self.options.to_reg_file {
                    plan.written.extend(file.lines.iter().cloned());
                }
                continue;
            }
            let mut left = RegistryEffect::default();
            left.take(file, situation)?;
            let values = left.in_words(situation)?;
            if !values.is_empty() {
                let (build, name) = (self.build.id.to_string(), file.path.file_name());
                plan.findings.push(registry_left::finding(&build, name, &values));
            }
        }
        plan.findings.append(&mut wanted.findings);

        self.take_back_older(&wanted, plan)?;
        self.undo_old(&wanted, plan)?;
        if is_wanted && !self.options.to_reg_file {
            if registry(situation).is_none() {
                let what = format!("What {} sets", self.build.id);
                plan.findings.push(no_registry::finding(situation.game(), &what));
            }
            plan.steps.extend(wanted.steps(situation, self.build)?);
        }
        Ok(())
    }

    /// Values that an older build of the family had set with its fit go back, and what its undo file takes back goes,
    /// if the new one does not set it.
    fn take_back_older(&self, wanted: &RegistryEffect, plan: &mut Plan) -> Result<()> {
        let own = self.build.id.to_string();
        for entry in self.situation.ledger.entries() {
            let Target::Value(value) = &entry.target else { continue };
            let is_older = entry.source.as_ref().is_some_and(|source| *source != own);
            let is_ours = entry.owner.is_family(&self.build.id.family) && entry.in_force();
            if !is_older || !is_ours || wanted.has(&value.value) {
                continue;
            }
            let now = self.situation.window.now(&entry.target)?;
            if now.same_as(&entry.last) {
                let (target, shipped) = (entry.target.clone(), entry.shipped.clone());
                plan.steps.push(Step::of(target, now, shipped, &self.owner()));
            }
        }

        let is_kept = |step: &Step, plan: &Plan| match step.target() {
            Target::Value(value) => {
                wanted.has(&value.value)
                    || plan.steps.iter().any(|other| other.target() == step.target())
            }
            _ => true,
        };
        let is_replaced = |family: &str| same_name(family, &self.build.id.family);
        let by_file = undone_by_files(self.situation, is_replaced)?;
        for step in by_file.into_iter().filter(|step| step.source() != Some(&own)) {
            if !is_kept(&step, plan) {
                plan.steps.push(step);
            }
        }
        Ok(())
    }

    /// Values that an older build set by hand are removed with the undo file of that build or of this one if the user
    /// asks for it; otherwise a finding mentions them.
    fn undo_old(&self, wanted: &RegistryEffect, plan: &mut Plan) -> Result<()> {
        let situation = self.situation;
        let replaced = self.entry.iter().flat_map(|entry| &entry.replaces);
        let by_hand =
            |library: &&Library| situation.ledger.get(&library.path.clone().into()).is_none();
        if !self.slots.iter().chain(replaced).any(by_hand) || registry(situation).is_none() {
            return Ok(());
        }
        let older = situation.builds.iter().filter(|build| {
            same_name(&build.id.family, &self.build.id.family)
                && build.version <= self.build.version
                && build.id != self.build.id
        });
        let mut builds: Vec<&Build> = older.collect();
        builds.sort_by(|a, b| b.version.cmp(&a.version));
        builds.push(self.build);

        for build in builds {
            for file in files_of(situation, build).iter().filter(|file| file.is_undo) {
                let mut effect = RegistryEffect::default();
                effect.take(file, situation)?;
                let effect = effect.without(wanted);
                let values = effect.in_words(situation)?;
                if values.is_empty() {
                    continue;
                }
                if self.options.undo_old {
                    plan.steps.extend(effect.steps(situation, build)?);
                    plan.findings.extend(effect.findings);
                } else {
                    let (build, name) = (build.id.to_string(), file.path.file_name());
                    plan.findings.push(undo_file::finding(&build, name, &values));
                }
                return Ok(());
            }
        }
        Ok(())
    }
}
