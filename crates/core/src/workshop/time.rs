//! Through time: back to an earlier point, undo, what has drifted since, and what to do about it.

use std::collections::BTreeMap;
use std::path::PathBuf;

use super::{OnDisk, Workshop, refuse_stops};
use crate::change::{self, Change, ChangeState, Deed};
use crate::content::Content;
use crate::error::{Error, Result};
use crate::path::{GamePath, same_name};
use crate::plan::{self, Drift, DriftState, Ground, Held, Ledger, Place, Plan, Point, Step};
use crate::survey::GameView;
use crate::version::Version;

/// Whether a change still shows in the game.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Force {
    /// A file holds what it put there.
    InForce,
    /// It was undone.
    Undone,
    /// Later changes have replaced what it put there.
    Replaced,
    /// It is an undoing, or it failed and changed nothing.
    Nothing,
}

impl Force {
    /// The words used in output and in JSON.
    pub fn name(self) -> &'static str {
        match self {
            Self::InForce => "in force",
            Self::Undone => "undone",
            Self::Replaced => "replaced",
            Self::Nothing => "-",
        }
    }
}

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
    pub live: (GamePath, Option<Version>, Option<String>),
    /// The original beside it, with its version and signer.
    pub original: (GamePath, Option<Version>, Option<String>),
    /// Further copies made by hand.
    pub others: Vec<GamePath>,
}

impl Workshop {
    /// Plans the way back, of one family or of all: to the files as shipped, or to an earlier point.
    pub fn plan_rollback(&self, view: &GameView, family: Option<&str>, to: Point) -> Result<Plan> {
        let changes = self.database.changes(None)?;
        let ledger = Ledger::of(&view.game.root, &changes);
        if let Some(family) = family {
            let mut known: Vec<String> = ledger.entries().map(|e| e.family.clone()).collect();
            known.sort();
            known.dedup();
            if !known.iter().any(|known| same_name(known, family)) {
                let (family, game) = (family.to_owned(), view.game.title.clone());
                return Err(Error::UnknownFamily { family, game, known });
            }
        }
        let ground = OnDisk::new(&view.game.root, &self.blobs, None);
        let mut plan = plan::rollback(view, &changes, family, to, &ground)?;
        plan.findings.extend(self.conditions(view, &plan, 0));
        Ok(plan)
    }

    /// The change that `undo` means: the one of that number, else the last one in effect.
    pub fn change_to_undo(&self, number: Option<i64>) -> Result<Option<Change>> {
        let changes = self.database.changes(None)?;
        let effective = plan::in_effect(&changes);
        let Some(number) = number else {
            return Ok(changes.into_iter().rev().find(|c| effective.contains(&c.number)));
        };
        let known = |change: &&Change| change.number == number && change.state == ChangeState::Done;
        let change = changes.iter().find(known).cloned();
        change.map(Some).ok_or(Error::UnknownChange { number })
    }

    /// Plans to undo a change on which nothing stands.
    pub fn plan_undo(&self, view: &GameView, change: &Change) -> Result<Plan> {
        let changes = self.database.changes(None)?;
        let later = plan::standing_on(change, &changes);
        if !later.is_empty() {
            let later = later.iter().map(|c| format!("change {} ({})", c.number, c.summary));
            return Err(Error::StoodOn { number: change.number, later: later.collect() });
        }
        let ground = OnDisk::new(&view.game.root, &self.blobs, None);
        let mut plan = plan::undo(view, change, &ground)?;
        plan.findings.extend(self.conditions(view, &plan, 0));
        Ok(plan)
    }

    /// Whether each of some changes still shows, by number.
    pub fn forces(&self, changes: &[Change]) -> Result<Vec<Force>> {
        let all = self.database.changes(None)?;
        let effective = plan::in_effect(&all);
        // Each file is as the last change in effect left it that touched it.
        let mut owners: BTreeMap<PathBuf, (i64, Option<Content>)> = BTreeMap::new();
        for change in all.iter().filter(|change| effective.contains(&change.number)) {
            for step in &change.steps {
                let after = step.after.as_ref().map(|held| held.state.content);
                owners.insert(step.place.on(&change.root), (change.number, after));
            }
        }
        let force = |change: &Change| {
            if change.state != ChangeState::Done || matches!(change.deed, Deed::Undo(_)) {
                return Force::Nothing;
            }
            if !effective.contains(&change.number) {
                return Force::Undone;
            }
            let ledger = Ledger::of(&change.root, &all);
            let shows = change.steps.iter().any(|step| {
                let owner = owners.get(&step.place.on(&change.root));
                let last = ledger.get(&step.place).and_then(|entry| entry.last.as_ref());
                owner == Some(&(change.number, last.map(|held| held.state.content)))
            });
            if shows { Force::InForce } else { Force::Replaced }
        };
        Ok(changes.iter().map(force).collect())
    }

    /// The number of the last change that had begun by a moment.
    pub fn change_at(&self, moment: jiff::Timestamp) -> Result<i64> {
        let changes = self.database.changes(None)?;
        let by_then = changes.iter().filter(|change| change.began <= moment);
        Ok(by_then.map(|change| change.number).max().unwrap_or(0))
    }

    /// Compares a game with its records.
    pub fn drift(&self, view: &GameView) -> Result<Drift> {
        let changes = self.database.changes(None)?;
        let ground = OnDisk::new(&view.game.root, &self.blobs, None);
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
            matches!(file.state, DriftState::Overwritten | DriftState::Missing)
                && file.recorded.is_some()
                && family.is_none_or(|family| same_name(family, &file.family))
        });
        let ground = OnDisk::new(&view.game.root, &self.blobs, None);
        plan.steps = off
            .map(|file| Step {
                place: file.place.clone(),
                family: file.family.clone(),
                before: file.now.clone(),
                after: file.recorded.clone(),
                folders: if file.now.is_none() { ground.missing_folders(&file.place) } else { 0 },
            })
            .collect();
        plan.findings = self.check_again(view, &plan.steps)?;
        plan.findings.extend(self.conditions(view, &plan, 0));
        plan.override_stops(despite);
        Ok(Refit { plan, drift })
    }

    /// Plans to take swaps made by hand under management.
    pub fn plan_adopt(&self, view: &GameView) -> Result<(Plan, Vec<Adoption>)> {
        let ledger = Ledger::of(&view.game.root, &self.database.changes(None)?);
        let ground = OnDisk::new(&view.game.root, &self.blobs, None);
        let (plan, copied) = plan::adopt(view, &ledger, &ground)?;
        let told = |path: &GamePath| {
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

    /// Journals what [`Workshop::plan_adopt`] planned; the originals are kept in the store.
    pub fn adopt(&mut self, plan: Plan, adoptions: &[Adoption]) -> Result<Change> {
        refuse_stops(&plan)?;
        let _lock = self.lock()?;
        for step in &plan.steps {
            let live =
                |adoption: &&Adoption| step.place.same_as(&Place::from(adoption.live.0.clone()));
            if let (Some(adoption), Some(before)) = (adoptions.iter().find(live), &step.before) {
                let original = adoption.original.0.on(&plan.game.root);
                self.blobs.keep(&original, &before.state.content)?;
            }
        }
        change::record(plan, &self.blobs, &mut self.database)
    }

    /// Plans to remove the copies made by hand, which the store keeps.
    pub fn plan_removal_of_copies(&self, view: &GameView, adoptions: &[Adoption]) -> Result<Plan> {
        let summary = "remove copies made by hand".to_owned();
        let mut plan = Plan::new(view, Deed::Adopt, summary);
        let ground = OnDisk::new(&view.game.root, &self.blobs, None);
        for adoption in adoptions {
            let family = view
                .libraries
                .iter()
                .find(|library| library.path == adoption.live.0)
                .map_or_else(String::new, |library| library.family.clone());
            for path in std::iter::once(&adoption.original.0).chain(&adoption.others) {
                let place = Place::from(path.clone());
                let before: Option<Held> = plan::Ground::now(&ground, &place)?;
                let family = family.clone();
                plan.steps.push(Step { place, family, before, after: None, folders: 0 });
            }
        }
        Ok(plan)
    }

    /// Plans to take a family out for now.
    pub fn plan_park(&self, view: &GameView, family: &str) -> Result<Plan> {
        let ledger = Ledger::of(&view.game.root, &self.database.changes(None)?);
        let ground = OnDisk::new(&view.game.root, &self.blobs, None);
        let mut plan = plan::park(view, &ledger, family, &ground)?;
        if plan.steps.is_empty() {
            let there = view.libraries.iter().any(|library| same_name(&library.family, family));
            if !there {
                let mut known: Vec<String> =
                    view.components().iter().map(|library| library.family.clone()).collect();
                known.dedup();
                let game = view.game.title.clone();
                return Err(Error::NoSuchComponent { family: family.to_owned(), game, known });
            }
            return Err(Error::Setting {
                what: format!("{family} is what {} itself brought", view.game.title),
                advice: "The game may not start without it; there is nothing of yours to take out.",
            });
        }
        plan.findings.extend(self.conditions(view, &plan, 0));
        Ok(plan)
    }

    /// Plans to put back what was parked, after checking that it still goes with the game.
    pub fn plan_unpark(&self, view: &GameView, family: &str, despite: &[String]) -> Result<Plan> {
        let changes = self.database.changes(None)?;
        let effective = plan::in_effect(&changes);
        let back = |number: i64| {
            changes.iter().any(|c| c.deed == Deed::Unpark(number) && effective.contains(&c.number))
        };
        let parked = changes.iter().rev().find(|change| {
            matches!(&change.deed, Deed::Park(parked) if same_name(parked, family))
                && change.root == view.game.root
                && effective.contains(&change.number)
                && !back(change.number)
        });
        let Some(parked) = parked else {
            return Err(Error::Setting {
                what: format!("{family} is not parked in {}", view.game.title),
                advice: "`spanner history GAME` shows what is.",
            });
        };
        let ground = OnDisk::new(&view.game.root, &self.blobs, None);
        let mut plan = plan::unpark(view, parked, family, &ground)?;
        plan.findings.extend(self.check_again(view, &plan.steps)?);
        plan.findings.extend(self.conditions(view, &plan, 0));
        plan.override_stops(despite);
        Ok(plan)
    }
}
