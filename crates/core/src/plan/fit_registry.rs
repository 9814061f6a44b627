//! What a build's `.reg` files set, where the user says so, and what goes of an older build's.

use std::collections::BTreeMap;

use super::Plan;
use super::fit::FitPlanner;
use crate::change::{State, Step, Target, value_of};
use crate::check::{needs_administrator, no_registry, registry_left, starts_programs, undo_file};
use crate::error::Result;
use crate::path::same_name;
use crate::rack::{Build, RegistryFile, registry_files};
use crate::tune::registry;
use upright_spanner_change::{Registry, RegistryValue};
use upright_spanner_settings::registry::{CURRENT_USER, RegItem, ValueName, folded};

/// More values below a key that a file takes away are not listed: such a key is no mod's own.
const MOST_VALUES: usize = 1000;

/// What files of the registry come to, value by value: the last one counts.
type Wanted = BTreeMap<ValueName, State>;

impl FitPlanner<'_> {
    /// Plans what the build's `.reg` files set, what an older build's recorded values go back to, and what its
    /// undo file takes back.
    pub(super) fn plan_registry(&self, plan: &mut Plan) -> Result<()> {
        let files = self.registry_files(self.build);
        let (mut wanted, mut is_wanted) = (Wanted::new(), false);
        for file in files.iter().filter(|file| !file.is_undo) {
            if file.is_set || self.options.registry {
                is_wanted = true;
                self.take(file, &mut wanted, plan)?;
                if self.options.to_reg_file {
                    plan.written.extend(file.lines.iter().cloned());
                }
            } else {
                let mut effect = Wanted::new();
                let mut silent = Plan::new(self.view(), plan.purpose.clone(), String::new());
                self.take(file, &mut effect, &mut silent)?;
                let values = self.in_words(&effect);
                let (build, name) = (self.build.id.to_string(), file.path.file_name());
                plan.findings.push(registry_left::finding(&build, name, &values));
            }
        }
        if is_wanted && self.options.to_reg_file {
            return Ok(());
        }
        if is_wanted && registry(self.situation).is_none() {
            let what = format!("What {} sets", self.build.id);
            plan.findings.push(no_registry::finding(self.situation.game(), &what));
        }
        self.take_back_recorded(&wanted, plan)?;
        self.undo_old(&wanted, plan)?;
        self.steps(&wanted, plan)
    }

    fn registry_files(&self, build: &Build) -> Vec<RegistryFile> {
        registry_files(build, |content| self.situation.window.stored(content).ok())
    }

    /// Adds what a file comes to. What it may not do is a finding.
    fn take(&self, file: &RegistryFile, wanted: &mut Wanted, plan: &mut Plan) -> Result<()> {
        for line in &file.lines {
            let (root, key) = line.key.split_once('\\').unwrap_or((&line.key, ""));
            if !root.eq_ignore_ascii_case(CURRENT_USER) {
                let named = format!("{} (line {} of {})", line.key, line.number, file.path);
                plan.findings.push(needs_administrator::finding(&named));
                continue;
            }
            let around = key.split('\\').count();
            let (name, state) = match &line.item {
                RegItem::MakeKey => continue,
                RegItem::Set(name, value) => (name.as_str(), State::Value(value.clone())),
                RegItem::Delete(name) => (name.as_str(), State::Unset { around }),
                RegItem::DeleteKey => {
                    self.take_key(key, wanted, plan)?;
                    continue;
                }
            };
            let Ok(value) = ValueName::new(key, name) else { continue };
            plan.findings.extend(starts_programs::check(&value));
            plan.findings.extend(needs_administrator::check(&value));
            wanted.insert(value, state);
        }
        plan.findings.dedup();
        Ok(())
    }

    /// Adds that everything below a key goes, and the key.
    fn take_key(&self, key: &str, wanted: &mut Wanted, plan: &mut Plan) -> Result<()> {
        let within = |value: &ValueName| {
            let (own, key) = (folded(&value.key), folded(key));
            own == key || own.starts_with(&format!("{key}\\"))
        };
        wanted.retain(|value, _| !within(value));
        let Some(registry) = registry(self.situation) else { return Ok(()) };
        let levels = key.split('\\').count();
        for value in self.situation.window.values_below(&registry, key, MOST_VALUES)? {
            plan.findings.extend(starts_programs::check(&value));
            wanted.insert(value, State::Unset { around: levels.saturating_sub(1) });
        }
        Ok(())
    }

    fn target(&self, value: &ValueName) -> Option<RegistryValue> {
        let registry: Registry = registry(self.situation)?;
        Some(RegistryValue { registry, value: value.clone() })
    }

    fn now(&self, value: &RegistryValue) -> Result<State> {
        Ok(self.situation.window.now(&Target::Value(value.clone()))?.state)
    }

    /// The steps of what is wanted.
    fn steps(&self, wanted: &Wanted, plan: &mut Plan) -> Result<()> {
        for (name, state) in wanted {
            let Some(value) = self.target(name) else { continue };
            let now = self.now(&value)?;
            if now.same_as(state) {
                continue;
            }
            let now = self.situation.ledger.unset(&Target::Value(value.clone()), now);
            let step = Step::value(value, now, state.clone(), &self.build.id.family);
            plan.steps.push(step.from_source(Some(self.build.id.to_string())));
        }
        Ok(())
    }

    /// What differs from what is there now, each value in words.
    fn in_words(&self, wanted: &Wanted) -> Vec<String> {
        let word = |(name, state): (&ValueName, &State)| {
            let target = Target::Value(self.target(name)?);
            let now = self.situation.window.now(&target).ok()?.state;
            let shown = |state: &State| {
                let value = value_of(&target, &state.clone().into());
                value.unwrap_or_else(|| "not set".to_owned())
            };
            let differs = !now.same_as(state);
            differs.then(|| format!("{name}: {} → {}", shown(&now), shown(state)))
        };
        let words: Vec<String> = wanted.iter().filter_map(word).collect();
        if !words.is_empty() || self.target_is_known() {
            return words;
        }
        // Without a registry it is said what would be set.
        let all = wanted.iter().map(|(name, state)| match state {
            State::Value(value) => format!("{name}: {value}"),
            _ => format!("{name}: not set"),
        });
        all.collect()
    }

    fn target_is_known(&self) -> bool {
        registry(self.situation).is_some()
    }

    /// Values that an older build of the family had set with its fit go back, where the new one does not set them.
    fn take_back_recorded(&self, wanted: &Wanted, plan: &mut Plan) -> Result<()> {
        let own = self.build.id.to_string();
        for entry in self.situation.ledger.entries() {
            let Target::Value(value) = &entry.target else { continue };
            let is_older = entry.source.as_ref().is_some_and(|source| *source != own);
            let is_ours = same_name(&entry.family, &self.build.id.family) && entry.in_force();
            let is_planned = plan.steps.iter().any(|step| *step.target() == entry.target);
            if !is_older || !is_ours || wanted.contains_key(&value.value) || is_planned {
                continue;
            }
            let now = self.now(value)?;
            if State::same_as(&now, &entry.last.state) {
                let shipped = entry.shipped.clone();
                let family = &self.build.id.family;
                plan.steps.push(Step::of(entry.target.clone(), now.into(), shipped, family));
            }
        }
        Ok(())
    }

    /// What an older build has set by hand goes, by the undo file of that build or of this one.
    fn undo_old(&self, wanted: &Wanted, plan: &mut Plan) -> Result<()> {
        let replaced = self.entry.iter().flat_map(|entry| &entry.replaces);
        let is_there = self.slots.iter().chain(replaced).next().is_some();
        let by_hand = |library: &&crate::survey::Library| {
            self.situation.ledger.get(&library.path.clone().into()).is_none()
        };
        let replaced = self.entry.iter().flat_map(|entry| &entry.replaces);
        let is_by_hand = self.slots.iter().chain(replaced).any(by_hand);
        if !is_there || !is_by_hand {
            return Ok(());
        }
        let of_family = self.situation.builds.iter().filter(|build| {
            same_name(&build.id.family, &self.build.id.family)
                && build.version <= self.build.version
        });
        let mut builds: Vec<&Build> = of_family.filter(|build| build.id != self.build.id).collect();
        builds.sort_by(|a, b| b.version.cmp(&a.version));
        builds.push(self.build);
        for build in builds {
            for file in self.registry_files(build).into_iter().filter(|file| file.is_undo) {
                let mut effect = Wanted::new();
                let mut found = Plan::new(self.view(), plan.purpose.clone(), String::new());
                self.take(&file, &mut effect, &mut found)?;
                effect.retain(|value, _| !wanted.contains_key(value));
                let values =
                    if self.target_is_known() { self.in_words(&effect) } else { Vec::new() };
                if values.is_empty() {
                    continue;
                }
                if self.options.undo_old {
                    plan.findings.append(&mut found.findings);
                    return self.steps(&effect, plan);
                }
                let (build, name) = (build.id.to_string(), file.path.file_name());
                plan.findings.push(undo_file::finding(&build, name, &values));
                return Ok(());
            }
        }
        Ok(())
    }
}
