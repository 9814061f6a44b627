//! Plans the removal of what an earlier build left and the new one does not have.

use std::collections::HashSet;

use super::fit::{FitPlanner, Target};
use super::{Place, Plan};
use crate::change::Step;
use crate::check::{left_alone, left_behind};
use crate::error::Result;
use crate::path::{fold, same_name};
use crate::rack::{EXE, Policy, ROOT, SLOT};
use crate::survey::Library;

impl FitPlanner<'_> {
    /// Plans the removal of what an earlier build of the family left and this one does not have.
    pub(super) fn clear(
        &self,
        anchors: &[Place],
        targets: &[Target<'_>],
        plan: &mut Plan,
    ) -> Result<()> {
        let steps = plan.steps.len();
        let planned = plan.steps.iter().filter_map(Step::file);
        let planned = targets.iter().map(|target| &target.place).chain(planned);
        let planned: HashSet<String> = planned.map(|place| fold(&place.to_string())).collect();
        // Only a few steps are added here.
        let wanted = |place: &Place, plan: &Plan| {
            planned.contains(&fold(&place.to_string()))
                || plan.steps[steps..]
                    .iter()
                    .filter_map(Step::file)
                    .any(|other| other.same_as(place))
        };
        for (place, entry) in self.situation.ledger.files() {
            let ours = entry.owner.is_family(&self.build.id.family) && entry.in_force();
            let settings = self.situation.is_users(place, &entry.owner);
            let slot = self.slots.iter().any(|slot| place.same_as(&slot.path.clone().into()));
            if !ours || settings || slot || wanted(place, plan) {
                continue;
            }
            let now = self.situation.window.file(place)?;
            if !now.state.is_absent() && now.same_as(&entry.last) {
                let (shipped, owner) = (entry.shipped.clone(), &self.owner());
                plan.steps.push(Step::replace(place.clone(), now, shipped, owner));
            }
        }

        self.clear_by_hand(&wanted, plan)?;
        for slot in &self.slots {
            self.clear_earlier(slot, &wanted, plan)?;
        }
        for (anchor, name) in
            anchors.iter().flat_map(|a| self.build.layout.retires.iter().map(move |n| (a, n)))
        {
            let place = self.situation.window.spelled(anchor.beside(name));
            if !wanted(&place, plan) {
                self.retire(place, plan)?;
            }
        }

        Ok(())
    }

    /// What an earlier installation by hand left: it is listed, and goes if the user says so.
    fn clear_by_hand(&self, wanted: &dyn Fn(&Place, &Plan) -> bool, plan: &mut Plan) -> Result<()> {
        let libraries = self.situation.view.libraries.iter();
        let mut left: Vec<&Library> = libraries.filter(|own| self.is_left_by_hand(own)).collect();
        left.retain(|library| !wanted(&library.path.clone().into(), plan));
        if left.is_empty() {
            return Ok(());
        }
        if !self.options.clear {
            plan.findings.push(left_behind::finding(self.build, &left));
            return Ok(());
        }
        for library in left {
            let place = Place::from(library.path.clone());
            let now = self.situation.window.file(&place)?;
            plan.steps.extend(self.removal(place, now));
        }
        Ok(())
    }

    /// Whether a library was left by an earlier installation: of something that no game ships itself, by the same
    /// maker, and an older one of the product or one that the package has under that name.
    fn is_left_by_hand(&self, library: &Library) -> bool {
        let Some(own) = &self.build.file.facts else { return false };
        let is_stated = |key: &str| {
            own.string(key).zip(library.facts.string(key)).is_some_and(|(a, b)| same_name(a, b))
        };
        let versions = library.facts.version().zip(self.build.version.clone());
        let is_older = is_stated("ProductName") && versions.is_some_and(|(old, new)| old < new);
        let mut parts = self.build.placed();
        let is_part = parts.any(|part| same_name(part.path.file_name(), library.path.file_name()));
        let is_recorded = self.situation.ledger.get(&library.path.clone().into()).is_some();
        let has_place = self.build.layout.places.first().is_some_and(|place| place.bay != SLOT);
        has_place
            && !library.put_aside
            && !is_recorded
            && own.string("CompanyName").is_some()
            && library.facts.string("CompanyName").is_some()
            && self.build.agrees_with(&library.facts)
            && (is_older || is_part)
            && self.slots.iter().all(|slot| slot.path != library.path)
    }

    /// The other files of the build that a slot contains, even if it was put there by hand. Only for components that
    /// no game ships: a shipped file may be needed.
    fn clear_earlier(
        &self,
        slot: &Library,
        wanted: &dyn Fn(&Place, &Plan) -> bool,
        plan: &mut Plan,
    ) -> Result<()> {
        let Some(earlier) = self.earlier(slot)? else { return Ok(()) };
        let added = earlier.layout.places.first().is_some_and(|place| place.bay != SLOT);
        if !added || earlier.id == self.build.id {
            return Ok(());
        }

        let anchor = Place::from(slot.path.clone());
        for placement in earlier.layout.places.iter().skip(1) {
            let Some(file) = earlier.stored(&placement.from) else { continue };
            let place = match placement.bay.as_str() {
                EXE => anchor.beside(&placement.to),
                ROOT => placement.to.clone().into(),
                _ => continue,
            };
            let place = self.situation.window.spelled(place);
            if placement.policy != Policy::Replace || wanted(&place, plan) {
                continue;
            }
            let now = self.situation.window.file(&place)?;
            if now.state.content() == Some(file.content) {
                plan.steps.extend(self.removal(place, now));
            }
        }

        Ok(())
    }

    /// A file that the layout names to go: it goes if it is of the same maker.
    fn retire(&self, place: Place, plan: &mut Plan) -> Result<()> {
        let now = self.situation.window.file(&place)?;
        let Some(content) = now.state.content() else { return Ok(()) };
        let same_maker = self.situation.view.libraries.iter().any(|library| {
            let company = library.facts.string("CompanyName");
            Place::from(library.path.clone()).same_as(&place)
                && company.is_some()
                && company == self.build.string("CompanyName")
        });

        let recorded = self
            .situation
            .ledger
            .get(&place)
            .is_some_and(|entry| entry.last.state.content() == Some(content));
        let on_rack = self
            .situation
            .builds
            .iter()
            .filter(|build| same_name(&build.id.family, &self.build.id.family))
            .any(|build| build.contents().any(|stored| stored == content));
        if same_maker || recorded || on_rack {
            plan.steps.extend(self.removal(place, now));
        } else {
            plan.findings.push(left_alone::finding(self.build, &place));
        }

        Ok(())
    }
}
