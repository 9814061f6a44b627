//! Plans to fit a build: its library into every slot of the family, and its other files as its layout says.

use std::cell::RefCell;
use std::collections::{HashMap, HashSet};

use super::entry::Entry;
use super::options::FitOptions;
use super::{Handoff, Place, Plan, version_of};
use crate::catalog::{companies_agree, keyed_to};
use crate::change::{Owner, Purpose, Side, Step};
use crate::check::{
    Alongside, CheckInput, Subject, Swap, check, entry_not_loaded, family_absent, first_install,
    older_goes, slot_ambiguous,
};
use crate::content::{FileState, Stamp};
use crate::error::Result;
use crate::path::{TreePath, fold, same_name};
use crate::rack::{Build, EXE, Placement, Policy, ROOT, SLOT, Stored};
use crate::situation::Situation;
use crate::survey::{EvidenceKind, GameView, Library};

/// Plans to put one build into one game.
pub(crate) struct FitPlanner<'a> {
    pub situation: &'a Situation<'a>,
    pub build: &'a Build,
    /// The files that it is for.
    pub slots: Vec<&'a Library>,
    /// Its entry if the game has no slot for it.
    pub entry: Option<Entry<'a>>,
    pub options: &'a FitOptions,
    /// Builds of other families that are fitted in the same change.
    pub alongside: &'a [Alongside],
    /// Folders that were looked for: beside the executable or not, by name, and whether they are there.
    pub folders: RefCell<HashMap<(bool, String), bool>>,
}

/// A file of a build with the place that its layout says.
#[derive(Clone, Copy)]
pub(super) struct Piece<'a> {
    pub placement: &'a Placement,
    pub file: Stored<'a>,
    pub is_library: bool,
}

/// A file that a build puts into the game.
pub(super) struct Target<'a> {
    pub place: Place,
    /// The file that it replaces, if that has another name.
    pub(super) instead: Option<Place>,
    pub(super) policy: Policy,
    pub(super) file: Stored<'a>,
}

/// Whether a text names a part of a build: by its name, its path, or a folder that it is in.
pub(crate) fn names_part(text: &str, path: &TreePath) -> bool {
    let text = text.replace('\\', "/");
    let folder = format!("{}/", fold(text.trim_end_matches('/')));
    same_name(&text, path.as_str())
        || same_name(&text, path.file_name())
        || fold(path.as_str()).starts_with(&folder)
}

impl<'b> Target<'b> {
    /// The build's library at a place, and the place of the file that it removes, if that differs.
    fn library(place: Place, instead: Option<Place>, file: Stored<'b>) -> Self {
        Self { place, instead, policy: Policy::Replace, file }
    }

    /// The build's library for a slot; `name` if it has another name than the present file.
    fn in_slot(slot: &Library, name: Option<&str>, file: Stored<'b>) -> Self {
        let there = Place::from(slot.path.clone());
        let renamed = name
            .filter(|name| !same_name(name, slot.path.file_name()))
            .and_then(|name| slot.path.sibling(name).ok());
        match renamed {
            Some(path) => Self::library(path.into(), Some(there), file),
            None => Self::library(there, None, file),
        }
    }
}

impl<'s> FitPlanner<'s> {
    /// The owner of its steps: the build's family.
    pub(super) fn owner(&self) -> Owner {
        Owner::of_family(&self.build.id.family)
    }

    pub(super) fn view(&self) -> &'s GameView {
        self.situation.view
    }

    pub fn plan(&self) -> Result<Plan> {
        let (view, build) = (self.view(), self.build);
        let mut plan = Plan::new(view, Purpose::Fit, format!("fit {}", build.id));
        let mut targets = self.heads(&mut plan);
        let mut anchors: Vec<Place> = targets.iter().map(|target| target.place.clone()).collect();
        let others: Vec<&Placement> =
            build.layout.places.iter().filter(|place| !self.is_head(place)).collect();
        let asked = self.asked_names(!targets.is_empty())?;
        if targets.is_empty() && plan.findings.is_empty() {
            anchors = self.parts_in_game(&others, &asked, &mut targets)?;
        }
        if targets.is_empty() {
            if plan.findings.is_empty() {
                // A file in use cannot be read, and may be the wanted one.
                if let Some(path) = view.in_use.first() {
                    plan.in_use.push(path.clone());
                } else {
                    let families = view.families();
                    plan.findings.push(family_absent::finding(build, &view.game, &families));
                }
            }
            return Ok(plan);
        }

        if !self.is_keyed() && self.options.as_name.is_none() && self.entry.is_none() {
            let paths: Vec<&TreePath> = self.slots.iter().map(|library| &library.path).collect();
            plan.findings.extend(slot_ambiguous::check(build, &view.game, &paths));
        }
        let files: HashMap<&TreePath, Stored<'_>> =
            build.files().map(|file| (file.path, file)).collect();
        let libraries: HashSet<&TreePath> = build.libraries().collect();
        for placement in others {
            let Some(&file) = files.get(&placement.from) else { continue };
            let piece = Piece { placement, file, is_library: libraries.contains(&placement.from) };
            if !self.is_left_out(&placement.from) && !self.has_no_folder(placement) {
                self.place(&piece, &anchors, &asked, &mut targets, &mut plan)?;
            }
        }
        let mut taken = HashSet::new();
        targets.retain(|target| taken.insert(fold(&target.place.to_string())));
        for target in &mut targets {
            target.place = self.situation.window.spelled(target.place.clone());
        }
        plan.findings.extend(check(&self.check_input(&targets)?));
        // Its place does not matter if it will not be loaded there for another reason.
        let is_loaded =
            plan.findings.iter().all(|f| f.code != entry_not_loaded::CODE || !f.stops());
        let is_there = |entry: &&Entry<'_>| {
            targets.first().is_some_and(|head| *head.place.path() == entry.path)
        };
        if let Some(entry) = self.entry.as_ref().filter(|_| is_loaded).filter(is_there) {
            plan.findings.push(first_install::finding(build, &entry.path, &entry.why));
        }
        for target in &targets {
            self.step(target, &mut plan)?;
        }
        self.plan_override(&targets, &mut plan)?;
        self.take_out_older(&mut plan)?;
        self.plan_registry(&mut plan)?;
        self.clear(&anchors, &targets, &mut plan)?;
        plan.arrange(self.situation)?;
        Ok(plan)
    }

    /// Whether the user wants this game not to have a part.
    fn is_left_out(&self, path: &TreePath) -> bool {
        let settings = &self.view().game.settings;
        let remembered = settings.left_out.get(&self.build.id.family).into_iter().flatten();
        remembered.chain(&self.options.without).any(|part| names_part(part, path))
    }

    /// If the game has parts of a build whose library it does not have: those are replaced.
    fn parts_in_game<'a>(
        &'a self,
        placements: &[&Placement],
        asked: &HashSet<String>,
        targets: &mut Vec<Target<'a>>,
    ) -> Result<Vec<Place>> {
        let mut anchors = Vec::new();
        for placement in placements.iter().filter(|placement| placement.bay == SLOT) {
            let Some(file) = self.build.stored(&placement.from) else { continue };
            if self.build.is_library(&placement.from) && !self.is_left_out(&placement.from) {
                let places = self.own_places(placement.to.file_name(), file)?;
                anchors.extend(places.iter().cloned());
                let policy = placement.policy;
                let own = |place| Target { place, instead: None, policy, file };
                targets.extend(places.into_iter().map(own));
            }
        }
        if let Some(library) = self.build.files().next() {
            // The library itself comes if one of those asks for it.
            let beside = anchors.first().filter(|_| asked.contains(&fold(&self.build.file.name)));
            let to = TreePath::new(&self.build.file.name).ok();
            if let Some((anchor, to)) = beside.zip(to) {
                targets.push(Target::library(anchor.beside(&to), None, library));
            }
        }
        Ok(anchors)
    }

    /// Removes the older files under other names.
    fn take_out_older(&self, plan: &mut Plan) -> Result<()> {
        let Some(entry) = &self.entry else { return Ok(()) };
        for old in &entry.replaces {
            let place = Place::from(old.path.clone());
            plan.findings.push(older_goes::finding(self.build, old));
            if !plan.steps.iter().filter_map(Step::file).any(|other| other.same_as(&place)) {
                let now = self.situation.window.file(&place)?;
                plan.steps.extend(self.removal(place, now));
            }
            self.prefer_no_more(&old.path, plan)?;
        }
        Ok(())
    }

    /// Whether a placement is that of the library itself.
    pub(super) fn is_head(&self, placement: &Placement) -> bool {
        self.build.layout.places.first() == Some(placement)
            && placement.from == self.build.file.path
    }

    /// The targets of the library: every slot, or its bay if the game has no slot and the layout has a place that
    /// does not depend on one.
    fn heads(&self, plan: &mut Plan) -> Vec<Target<'_>> {
        let Some(library) = self.build.files().next() else { return Vec::new() };
        let as_name = self.options.as_name.as_deref();
        // A library that the game requests and lacks shows the best place.
        let moves = self.entry.as_ref().is_some_and(|entry| !entry.replaces.is_empty());
        let asked_for = if self.slots.is_empty() && !moves { self.asked_for() } else { Vec::new() };
        if !asked_for.is_empty() {
            let heads = asked_for.into_iter().map(|place| Target::library(place, None, library));
            return heads.collect();
        }
        if let Some(entry) = &self.entry {
            let place = Place::from(entry.path.clone());
            let instead = entry.replaces.first().map(|old| Place::from(old.path.clone()));
            return vec![Target::library(place, instead, library)];
        }
        if !self.slots.is_empty() {
            // A keyed file keeps its own name, and the one that it replaces goes.
            let own = self.is_keyed().then_some(self.build.file.name.as_str());
            let name = as_name.or(own);
            return self.slots.iter().map(|slot| Target::in_slot(slot, name, library)).collect();
        }
        if self.build.file.facts.is_none() {
            let own = self.own_places(&self.build.file.name, library).unwrap_or_default();
            let heads = own.into_iter().map(|place| Target::library(place, None, library));
            return heads.collect();
        }

        let Some(placement) = self.build.layout.places.first().filter(|place| self.is_head(place))
        else {
            return Vec::new();
        };
        let to = match as_name {
            Some(name) => placement.to.sibling(name).ok(),
            None => Some(placement.to.clone()),
        };
        let bay = match (placement.bay.as_str(), as_name) {
            (SLOT, None) => return Vec::new(),
            // Who names the file means it to go beside the executable.
            (SLOT, Some(_)) => EXE,
            (bay, _) => bay,
        };
        let place = to.and_then(|to| self.in_bay(bay, to, plan));
        place.into_iter().map(|place| Target::library(place, None, library)).collect()
    }

    /// Whether the data part is packed for a mod manager: now, or whenever this family is fitted to this game.
    pub(super) fn hands_off(&self) -> bool {
        let remembered = &self.view().game.settings.handoffs;
        self.options.hand_off || remembered.contains_key(&self.build.id.family)
    }

    /// The place of another file of the build.
    fn place<'a>(
        &'a self,
        piece: &Piece<'a>,
        anchors: &[Place],
        asked: &HashSet<String>,
        targets: &mut Vec<Target<'a>>,
        plan: &mut Plan,
    ) -> Result<()> {
        let Piece { placement, file, is_library } = *piece;
        if placement.policy == Policy::Registry {
            return Ok(());
        }
        let data = placement.bay == ROOT && placement.to.folder() != "";
        if placement.policy == Policy::Handoff || self.hands_off() && data {
            let to = match placement.policy {
                Policy::Handoff => placement.to.clone(),
                _ => without_first(&placement.to),
            };
            let of = self.build.id.clone();
            plan.handoff.push(Handoff { to, content: file.content, of });
            return Ok(());
        }

        let places: Vec<Place> = match placement.bay.as_str() {
            EXE if !is_library && self.is_data_of_game(&placement.to) => {
                self.in_bay(EXE, placement.to.clone(), plan).into_iter().collect()
            }
            SLOT | EXE => self.places_near(piece, anchors, asked)?,
            bay => self.in_bay(bay, placement.to.clone(), plan).into_iter().collect(),
        };
        targets.extend(places.into_iter().map(|place| Target {
            place,
            instead: None,
            policy: placement.policy,
            file,
        }));

        Ok(())
    }

    /// The input of the checks: each library with its place, and the present file.
    fn check_input<'b>(&'b self, targets: &'b [Target<'_>]) -> Result<CheckInput<'b>> {
        let mut swaps = Vec::new();
        for target in targets {
            let Some(facts) = target.file.facts else { continue };
            let there = target.instead.as_ref().unwrap_or(&target.place);
            let old = self.view().libraries.iter().find(|library| {
                there.bay().is_none()
                    && there.path().same_as(&library.path)
                    && (companies_agree(&library.facts, facts) || target.instead.is_some())
            });
            let now = self.situation.window.file(there)?;
            let recorded = self.situation.ledger.get(there).map(|entry| &entry.shipped);
            swaps.push(Swap {
                place: target.place.clone(),
                facts,
                content: Some(target.file.content),
                old,
                unchanged: now.state.content() == Some(target.file.content),
                shipped: match recorded {
                    Some(shipped) => version_of(shipped),
                    None => old.and_then(|old| old.facts.version()),
                },
            });
        }

        Ok(CheckInput {
            situation: self.situation,
            subject: Subject::build(self.build),
            swaps,
            alongside: self.alongside,
            in_place: false,
        })
    }

    /// Whether the build has the version of an executable in its name and replaces a file that has this executable's:
    /// then the name is part of its identity.
    fn is_keyed(&self) -> bool {
        self.build.key().is_some()
            && self.slots.iter().any(|library| {
                let name = library.path.file_name();
                let mut evidence = library.evidence.iter();
                keyed_to(&library.facts, name).is_some()
                    && (evidence.any(|evidence| evidence.kind == EvidenceKind::Keyed)
                        || !same_name(name, &self.build.file.name))
            })
    }

    fn step(&self, target: &Target<'_>, plan: &mut Plan) -> Result<()> {
        let now = self.situation.window.file(&target.place)?;
        let old = match &target.instead {
            Some(place) => Some(self.situation.window.file(place)?),
            None => None,
        };
        let marks = now.state.file().or_else(|| old.as_ref()?.state.file());
        let stamp = marks.map_or_else(
            || Stamp::fresh(target.file.modified),
            |file| file.stamp.dated(target.file.modified),
        );
        // The new file has the date of its author, not that of the replaced file.
        let stamp = Stamp { created: None, ..stamp };
        let version = target.file.facts.and_then(|facts| {
            let own = *target.file.path == self.build.file.path;
            if own { self.build.version.clone() } else { facts.version() }
        });
        let state = FileState { content: target.file.content, stamp };
        let after = Side::file(state, version.map(|version| version.to_string()));

        if let (Some(place), Some(old)) = (&target.instead, old) {
            plan.steps.extend(self.removal(place.clone(), old));
        }
        match (now.state.file(), target.policy) {
            (Some(there), _) if there.content == target.file.content => {}
            (Some(_), Policy::Merge) => self.merge(target, now, plan)?,
            (_, Policy::Registry | Policy::Leave) | (Some(_), Policy::Keep | Policy::Handoff) => {}
            (None, Policy::Merge) if self.carry_over(target, &after, plan)? => {}
            (Some(_), Policy::Replace) | (None, _) => {
                plan.steps.push(self.swap(target, now, after));
            }
        }

        Ok(())
    }

    pub(super) fn swap(&self, target: &Target<'_>, before: Side, after: Side) -> Step {
        let step = Step::replace(target.place.clone(), before, after, &self.owner());
        step.from_source(Some(self.build.id.to_string()))
    }

    /// A file that goes, if it is there.
    pub(super) fn removal(&self, place: Place, before: Side) -> Option<Step> {
        let there = !before.state.is_absent();
        there.then(|| Step::replace(place, before, Side::ABSENT, &self.owner()))
    }

    /// The build on the rack that a slot holds now.
    pub(super) fn earlier(&self, slot: &Library) -> Result<Option<&'s Build>> {
        let now = self.situation.window.file(&slot.path.clone().into())?.state.content();
        Ok(self.situation.builds.iter().find(|build| Some(build.file.content) == now))
    }
}

/// A path without its first folder: an archive for a mod manager begins below the data folder.
fn without_first(path: &TreePath) -> TreePath {
    let below = path.as_str().split_once('/').map(|(_, below)| below);
    below.and_then(|below| TreePath::new(below).ok()).unwrap_or_else(|| path.clone())
}
