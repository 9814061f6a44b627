//! What `.reg` files of builds come to in the registry of one game.

use std::collections::BTreeMap;

use crate::change::{Owner, State, Step, Target, value_of};
use crate::check::{Finding, needs_administrator, starts_programs};
use crate::error::Result;
use crate::rack::{Build, RegistryFile, registry_files};
use crate::situation::Situation;
use crate::tune::registry;
use upright_spanner_change::RegistryValue;
use upright_spanner_settings::registry::{CURRENT_USER, RegItem, ValueName, folded};

/// More values below a key that a file takes away are not listed: such a key is not a mod's own.
const MOST_VALUES: usize = 1000;

/// What files come to, value by value: the last word on each counts.
#[derive(Default)]
pub(super) struct RegistryEffect {
    values: BTreeMap<ValueName, State>,
    /// The findings about a file.
    pub findings: Vec<Finding>,
}

impl RegistryEffect {
    /// Adds the effect of a file.
    pub fn take(&mut self, file: &RegistryFile, situation: &Situation<'_>) -> Result<()> {
        for line in &file.lines {
            let (root, key) = line.key.split_once('\\').unwrap_or((&line.key, ""));
            if !root.eq_ignore_ascii_case(CURRENT_USER) {
                let named = format!("{} (line {} of {})", line.key, line.number, file.path);
                self.findings.push(needs_administrator::finding(&named));
                continue;
            }
            let around = key.split('\\').count();
            let (name, state) = match &line.item {
                RegItem::MakeKey => continue,
                RegItem::Set(name, value) => (name.as_str(), State::Value(value.clone())),
                RegItem::Delete(name) => (name.as_str(), State::Unset { around }),
                RegItem::DeleteKey => {
                    self.take_key(key, situation)?;
                    continue;
                }
            };
            let Ok(value) = ValueName::new(key, name) else { continue };
            if !state.is_absent() {
                self.findings.extend(starts_programs::check(&value));
            }
            self.findings.extend(needs_administrator::check(&value));
            self.values.insert(value, state);
        }
        self.findings.dedup();
        Ok(())
    }

    /// Adds that everything below a key goes, and the key.
    fn take_key(&mut self, key: &str, situation: &Situation<'_>) -> Result<()> {
        let own = folded(key);
        let inside = format!("{own}\\");
        self.values.retain(|value, _| {
            let other = folded(&value.key);
            other != own && !other.starts_with(&inside)
        });
        let Some(registry) = registry(situation) else { return Ok(()) };
        let around = key.split('\\').count() - 1;
        for value in situation.window.values_below(&registry, key, MOST_VALUES)? {
            self.values.insert(value, State::Unset { around });
        }
        Ok(())
    }

    /// Whether it says something of a value.
    pub fn has(&self, value: &ValueName) -> bool {
        self.values.keys().any(|own| own.same_as(value))
    }

    /// Without what another says something of.
    pub fn without(mut self, other: &Self) -> Self {
        self.values.retain(|value, _| !other.has(value));
        self
    }

    /// The differences from the present state: each value, with its present and its new state.
    fn differing(&self, situation: &Situation<'_>) -> Result<Vec<(RegistryValue, State, State)>> {
        let Some(registry) = registry(situation) else { return Ok(Vec::new()) };
        let mut differing = Vec::new();
        for (name, state) in &self.values {
            let value = RegistryValue { registry: registry.clone(), value: name.clone() };
            let target = Target::Value(value.clone());
            let now = situation.window.now(&target)?.state;
            if !now.same_as(state) {
                differing.push((value, situation.ledger.unset(&target, now), state.clone()));
            }
        }
        Ok(differing)
    }

    /// The steps that bring it about.
    pub fn steps(&self, situation: &Situation<'_>, build: &Build) -> Result<Vec<Step>> {
        let source = build.id.to_string();
        let owner = Owner::of_family(&build.id.family);
        let step = |(value, now, state)| {
            Step::value(value, now, state, &owner).from_source(Some(source.clone()))
        };
        Ok(self.differing(situation)?.into_iter().map(step).collect())
    }

    /// The differences from the present state, in words; everything, if the present state is unknown.
    pub fn in_words(&self, situation: &Situation<'_>) -> Result<Vec<String>> {
        let shown = |target: &Target, state: &State| {
            let value = value_of(target, &state.clone().into());
            value.unwrap_or_else(|| "not set".to_owned())
        };
        if registry(situation).is_none() {
            let all = self.values.iter().map(|(name, state)| match state {
                State::Value(value) => format!("{name}: {value}"),
                _ => format!("{name}: not set"),
            });
            return Ok(all.collect());
        }
        let word = |(value, now, state): (RegistryValue, State, State)| {
            let target = Target::Value(value);
            format!("{target}: {} → {}", shown(&target, &now), shown(&target, &state))
        };
        Ok(self.differing(situation)?.into_iter().map(word).collect())
    }
}

/// The `.reg` files of a build, through the window of a game.
pub(super) fn files_of(situation: &Situation<'_>, build: &Build) -> Vec<RegistryFile> {
    registry_files(build, |content| situation.window.stored(content).ok())
}

/// The steps that remove values which fitted builds of a family set without a record: their undo files. An undo file
/// with findings is not used.
pub(super) fn undone_by_files(
    situation: &Situation<'_>,
    is_meant: impl Fn(&str) -> bool,
) -> Result<Vec<Step>> {
    let mut steps = Vec::new();
    for build in situation.builds.iter().filter(|build| is_meant(&build.id.family)) {
        let own = build.id.to_string();
        let is_fitted = situation.ledger.files().any(|(_, entry)| {
            entry.in_force()
                && entry.source.as_ref() == Some(&own)
                && entry.owner.is_family(&build.id.family)
        });
        for file in files_of(situation, build).iter().filter(|file| is_fitted && file.is_undo) {
            let mut effect = RegistryEffect::default();
            effect.take(file, situation)?;
            if effect.findings.is_empty() {
                steps.extend(effect.steps(situation, build)?);
            }
        }
    }
    Ok(steps)
}
