//! Through time: back to an earlier point, undo, what has drifted since, and what to do about it.

use super::conditions::unless_in_use;
use super::{Altering, Cleared, OnDisk, Workshop, draft, failed};
use crate::change::{Change, Deed, RecordState, Side, Step};
use crate::error::{ChangeError, Error, HomeError, Result};
use crate::path::{TreePath, same_name};
use crate::plan::{
    self, Drift, DriftState, Ground, Ledger, NothingToDo, Place, Plan, Point, Rollback,
};
use crate::rack::is_settings_name;
use crate::remedy::Action;
use crate::survey::GameView;
use crate::version::Version;
use upright_spanner_change::{Lock, Silent};

/// What refitting a game comes to.
#[derive(Debug)]
pub struct Refit {
    /// What is put back.
    pub plan: Plan,
    /// The drift that it mends.
    pub drift: Drift,
}

/// A swap that was made by hand.
#[derive(Debug)]
pub struct Adoption {
    /// The live file, with its version and signer.
    pub live: (TreePath, Option<Version>, Option<String>),
    /// The original beside it, with its version and signer.
    pub original: (TreePath, Option<Version>, Option<String>),
    /// Further copies made by hand.
    pub others: Vec<TreePath>,
}

impl Workshop {
    /// Plans the way back, of one family or of all: to the files as shipped, or to an earlier point.
    /// Settings that were edited since stay, unless `settings` says that they go back too. Gives why
    /// there is nothing to do, where there is not.
    ///
    /// # Errors
    /// [`ChangeError::UnknownFamily`] where no change touched it.
    pub fn plan_rollback(
        &self,
        view: &GameView,
        family: Option<&str>,
        to: Point,
        settings: bool,
    ) -> Result<(Plan, Option<NothingToDo>)> {
        let changes = self.history()?.changes;
        let ledger = Ledger::of(&view.game.root, &changes);
        if let Some(family) = family {
            let mut known: Vec<String> = ledger.files().map(|e| e.family.clone()).collect();
            known.sort();
            known.dedup();
            if !known.iter().any(|known| same_name(known, family)) {
                let (family, game) = (family.to_owned(), view.game.title.clone());
                return Err(Error::Change(ChangeError::UnknownFamily { family, game, known }));
            }
        }
        let ground = OnDisk::new(&self.store, view, None);
        let wanted = Rollback { family, to, settings };
        let plan = plan::rollback(view, &changes, wanted, &ground);
        let mut plan = unless_in_use(view, Deed::Rollback, "rollback", plan)?;
        plan.findings.extend(self.check_again(view, &plan.steps)?);
        let nothing = match () {
            () if !plan.steps.is_empty() => None,
            () if ledger.is_empty() => Some(NothingToDo::NothingRecorded),
            () if plan.findings.is_empty() => Some(NothingToDo::AlreadyThere),
            () => Some(NothingToDo::LeftAlone),
        };
        self.add_conditions(&mut plan);
        Ok((plan, nothing))
    }

    /// The change that `undo` means: the one of that number, else the last one in effect.
    pub fn change_to_undo(&self, number: Option<i64>) -> Result<Option<Change>> {
        let changes = self.history()?.changes;
        let effective = plan::in_effect(&changes);
        let Some(number) = number else {
            return Ok(changes.into_iter().rev().find(|c| effective.contains(&c.number())));
        };
        let known =
            |change: &&Change| change.number() == number && change.state() == RecordState::Done;
        let change = changes.iter().find(known).cloned();
        change.map(Some).ok_or(Error::Change(ChangeError::Unknown { number }))
    }

    /// Plans to undo a change on which nothing stands.
    pub fn plan_undo(&self, view: &GameView, change: &Change) -> Result<Plan> {
        let changes = self.history()?.changes;
        let later = plan::standing_on(change, &changes);
        if !later.is_empty() {
            let later = later.iter().map(|c| format!("change {} ({})", c.number(), c.summary()));
            return Err(Error::Change(ChangeError::StoodOn {
                number: change.number(),
                game: change.game().to_owned(),
                later: later.collect(),
            }));
        }
        let ground = OnDisk::new(&self.store, view, None);
        let ledger = Ledger::of(&view.game.root, &changes);
        let plan = plan::undo(view, change, &ledger, &ground);
        let deed = Deed::Undo(change.number());
        let mut plan = unless_in_use(view, deed, "undo", plan)?;
        plan.findings.extend(self.check_again(view, &plan.steps)?);
        self.add_conditions(&mut plan);
        Ok(plan)
    }

    /// Compares a game with its records.
    pub fn drift(&self, view: &GameView) -> Result<Drift> {
        let changes = self.history()?.changes;
        let ground = OnDisk::new(&self.store, view, None);
        plan::drift(view, &changes, &ground)
    }

    /// Plans to put back what was fitted and has been overwritten or lost, after checking that it
    /// still goes with the game. What is there now is the game's own from then on.
    pub fn plan_refit(
        &self,
        view: &GameView,
        family: Option<&str>,
        despite: &[String],
    ) -> Result<Refit> {
        let drift = self.drift(view)?;
        let mut plan = Plan::new(view, Deed::Refit, "refit".to_owned());
        let off = drift.files.iter().filter(|file| {
            let settings = is_settings_name(file.place.path().file_name());
            let replaced = file.state == DriftState::Overwritten && !settings;
            (replaced || file.state == DriftState::Missing)
                && !file.recorded.state.is_absent()
                && family.is_none_or(|family| same_name(family, &file.family))
        });
        let ground = OnDisk::new(&self.store, view, None);
        let step = |file: &plan::Drifted| {
            let (now, recorded) = (file.now.clone(), file.recorded.clone());
            Step::file(file.place.clone(), now, recorded, &file.family)
        };
        plan.steps = off.map(step).collect();
        plan.arrange(&self.ledger(&view.game.root)?, &ground)?;
        plan.findings = self.check_again(view, &plan.steps)?;
        self.add_conditions(&mut plan);
        plan.override_stops(despite);
        Ok(Refit { plan, drift })
    }

    /// Plans to take swaps made by hand under management.
    pub fn plan_adopt(&self, view: &GameView) -> Result<(Plan, Vec<Adoption>)> {
        let ledger = self.ledger(&view.game.root)?;
        let ground = OnDisk::new(&self.store, view, None);
        let (plan, copied) = plan::adopt(view, &ledger, &ground)?;
        let told = |path: &TreePath| {
            let facts = crate::image::Facts::read(&path.on(&view.game.root)).ok();
            let version = facts.as_ref().and_then(crate::image::Facts::version);
            (path.clone(), version, facts.and_then(|facts| facts.signer))
        };
        let adoption = |copied: plan::Copied| Adoption {
            live: told(&copied.live),
            original: told(&copied.original),
            others: copied.others,
        };
        Ok((plan, copied.into_iter().map(adoption).collect()))
    }

    /// Plans to remove the copies made by hand, which the store keeps.
    pub fn plan_removal_of_copies(&self, view: &GameView, adoptions: &[Adoption]) -> Result<Plan> {
        let summary = "remove copies made by hand".to_owned();
        let mut plan = Plan::new(view, Deed::RemoveCopies, summary);
        let ground = OnDisk::new(&self.store, view, None);
        for adoption in adoptions {
            let family = view
                .libraries
                .iter()
                .find(|library| library.path == adoption.live.0)
                .map_or_else(String::new, |library| library.family.clone());
            for path in std::iter::once(&adoption.original.0).chain(&adoption.others) {
                let place = Place::from(path.clone());
                let before = ground.file(&place)?;
                if !before.state.is_absent() {
                    plan.steps.push(Step::file(place, before, Side::ABSENT, &family));
                }
            }
        }
        self.add_conditions(&mut plan);
        Ok(plan)
    }

    /// Plans to take a family out for now.
    pub fn plan_park(&self, view: &GameView, family: &str) -> Result<Plan> {
        let ledger = self.ledger(&view.game.root)?;
        let ground = OnDisk::new(&self.store, view, None);
        let plan = plan::park(view, &ledger, family, &ground);
        let deed = Deed::Park(family.to_owned());
        let mut plan = unless_in_use(view, deed, "park", plan)?;
        if plan.steps.is_empty() && plan.findings.is_empty() {
            let there = view.libraries.iter().any(|library| same_name(&library.family, family));
            if !there {
                return Err(view.no_component(family));
            }
            return Err(Error::Invalid {
                what: format!("{family} is what {} itself brought", view.game.title),
                remedy: "The game may not start without it; there is nothing of yours to take out."
                    .into(),
            });
        }
        self.add_conditions(&mut plan);
        Ok(plan)
    }

    /// Plans to put back what was parked, after checking that it still goes with the game.
    pub fn plan_unpark(&self, view: &GameView, family: &str, despite: &[String]) -> Result<Plan> {
        let changes = self.history()?.changes;
        let effective = plan::in_effect(&changes);
        let back = |number: i64| {
            changes
                .iter()
                .any(|c| c.deed == Deed::Unpark(number) && effective.contains(&c.number()))
        };
        let parked = changes.iter().rev().find(|change| {
            matches!(&change.deed, Deed::Park(parked) if same_name(parked, family))
                && change.root() == view.game.root
                && effective.contains(&change.number())
                && !back(change.number())
        });
        let Some(parked) = parked else {
            return Err(Error::Invalid {
                what: format!("{family} is not parked in {}", view.game.title),
                remedy: (
                    "The history shows what is.",
                    Action::ShowHistory { game: Some(view.game.id.clone().into()) },
                )
                    .into(),
            });
        };
        let ground = OnDisk::new(&self.store, view, None);
        let ledger = Ledger::of(&view.game.root, &changes);
        let plan = plan::unpark(view, parked, family, &ledger, &ground);
        let deed = Deed::Unpark(parked.number());
        let mut plan = unless_in_use(view, deed, "unpark", plan)?;
        plan.findings.extend(self.check_again(view, &plan.steps)?);
        self.add_conditions(&mut plan);
        plan.override_stops(despite);
        Ok(plan)
    }
}

impl Altering<'_> {
    /// Journals what [`Workshop::plan_adopt`] planned; the originals are kept in the store.
    ///
    /// # Errors
    /// Where a file is another by now, or the home cannot be written to.
    pub fn adopt(&self, cleared: Cleared, adoptions: &[Adoption]) -> Result<Change> {
        let plan = cleared.into_plan();
        let workshop = self.workshop;
        let _game = Lock::take(&plan.game.root)?;
        workshop.expect_free(&plan)?;
        let original = |(n, step): (usize, &Step)| {
            let live =
                |adoption: &&Adoption| step.place().same_as(&Place::from(adoption.live.0.clone()));
            let adoption = adoptions.iter().find(live)?;
            Some((n, Place::from(adoption.original.0.clone())))
        };
        let originals: Vec<(usize, Place)> =
            plan.steps.iter().enumerate().filter_map(original).collect();
        let noted = workshop.engine(&Silent).note(draft(plan, Vec::new()), &originals);
        let record = noted.map_err(failed)?;
        Change::try_from(record).map_err(|what| {
            Error::Home(HomeError::DamagedFile { path: workshop.home.clone(), what })
        })
    }
}
