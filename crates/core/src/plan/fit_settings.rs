//! The user's settings when a build is fitted: they are kept, and new keys are added.

use super::fit::{FitPlanner, Target};
use super::{Merge, Plan, is_mergeable, merge};
use crate::catalog::same_maker;
use crate::change::Side;
use crate::check::settings_unmerged;
use crate::content::{Content, FileState};
use crate::error::Result;
use crate::path::{extension, same_name, stem};
use crate::rack::{Build, Policy};
use crate::size::humane;
use upright_spanner_settings::MOST_LINES;

/// A settings file that is longer is left alone: programs write some 100 KB.
pub(crate) const LONGEST_SETTINGS: u64 = 2 << 20;

impl FitPlanner<'_> {
    /// Keeps the user's settings, and adds new keys.
    pub(super) fn merge(&self, target: &Target<'_>, now: Side, plan: &mut Plan) -> Result<()> {
        let is_long = |content: &Content| content.size > LONGEST_SETTINGS;
        if is_long(&target.file.content) || now.state.content().as_ref().is_some_and(is_long) {
            let why = format!("is longer than {}", humane(LONGEST_SETTINGS));
            plan.findings.push(settings_unmerged::finding(&target.place, &why));
            return Ok(());
        }

        let user = self.situation.window.bytes(&target.place)?;
        let new = self.situation.window.stored(&target.file.content)?;
        if !is_mergeable(&user) || !is_mergeable(&new) {
            let why = format!("has no keys with values, or more than {MOST_LINES} lines");
            plan.findings.push(settings_unmerged::finding(&target.place, &why));
            return Ok(());
        }

        let old = self.brought_before(target)?;
        let merged = merge(&user, &new, old.as_deref());
        if !merged.left_out.is_empty() {
            let finding = settings_unmerged::left_out(&target.place, &merged.left_out);
            plan.findings.push(finding);
        }

        if let Some(there) = now.state.file().filter(|_| merged.bytes != user) {
            let state = FileState { content: Content::of_bytes(&merged.bytes), stamp: there.stamp };
            plan.steps.push(self.swap(target, now, Side::file(state, None)));
        }
        plan.merges.push(Merge { place: target.place.clone(), merged });
        Ok(())
    }

    /// Settings of an older one that goes, under its name: their values are in the new file too. Gives whether there
    /// are any.
    pub(super) fn carry_over(
        &self,
        target: &Target<'_>,
        after: &Side,
        plan: &mut Plan,
    ) -> Result<bool> {
        let replaced = self.entry.iter().flat_map(|entry| &entry.replaces);
        let ending = extension(target.place.path().file_name());
        for old in replaced {
            for name in [stem(old.path.file_name()), &old.family] {
                let Ok(path) = old.path.sibling(&format!("{name}.{ending}")) else { continue };
                let place = self.situation.window.spelled(path.into());
                let there = self.situation.window.file(&place)?;
                let is_short = |content: Content| content.size <= LONGEST_SETTINGS;
                if !there.state.content().is_some_and(is_short) || !is_short(target.file.content) {
                    continue;
                }
                let user = self.situation.window.bytes(&place)?;
                let new = self.situation.window.stored(&target.file.content)?;
                if !is_mergeable(&user) || !is_mergeable(&new) {
                    continue;
                }
                let merged = merge(&user, &new, None);
                let Some(file) = after.state.file() else { continue };
                let content = Content::of_bytes(&merged.bytes);
                let after = Side::file(FileState { content, stamp: file.stamp }, None);
                plan.steps.push(self.swap(target, Side::ABSENT, after));
                plan.merges.push(Merge { place: target.place.clone(), merged });
                return Ok(true);
            }
        }
        Ok(false)
    }

    /// The settings file of that name which came with the build that the game has now, or had when it was put
    /// there; else with an older build of the same maker.
    fn brought_before(&self, target: &Target<'_>) -> Result<Option<Vec<u8>>> {
        let replaced = self.entry.iter().flat_map(|entry| &entry.replaces);
        let mut earlier = Vec::new();
        for slot in self.slots.iter().chain(replaced) {
            earlier.extend(self.earlier(slot)?);
        }
        let source =
            self.situation.ledger.get(&target.place).and_then(|entry| entry.source.clone());
        let fitted = |build: &&Build| source.as_ref().is_some_and(|id| *id == build.id.to_string());
        earlier.extend(self.situation.builds.iter().filter(fitted));
        let mut of_maker: Vec<&Build> =
            self.situation.builds.iter().filter(|b| self.is_older(b)).collect();
        of_maker.sort_by(|a, b| b.version.cmp(&a.version));
        earlier.extend(of_maker);

        let name = target.place.path().file_name();
        for build in earlier.into_iter().filter(|build| build.id != self.build.id) {
            let mut named = build.layout.places.iter().filter(|place| {
                same_name(place.to.file_name(), name) && place.policy == Policy::Merge
            });
            let file = named.find_map(|place| build.stored(&place.from));
            if let Some(file) = file.filter(|file| file.content.size <= LONGEST_SETTINGS) {
                return self.situation.window.stored(&file.content).map(Some);
            }
        }

        Ok(None)
    }

    /// Whether a build is an older one by the same maker, of this family or another.
    fn is_older(&self, other: &Build) -> bool {
        let makers = self.build.string("CompanyName").zip(other.string("CompanyName"));
        makers.is_some_and(|(own, theirs)| same_maker(own, theirs))
            && other.version < self.build.version
    }
}
