//! Plans to put a build into a game: its library into every slot that the family has, and what goes
//! along with it to where its layout says.

use std::collections::HashSet;
use std::path::PathBuf;

use super::entry::Entry;
use super::merge::MOST_LINES;
use super::options::FitOptions;
use super::{Handoff, Merge, Place, Plan, is_mergeable, merge, version_of};
use crate::catalog::{companies_agree, keyed_to, same_maker};
use crate::change::{Purpose, Side, Step};
use crate::check::{
    Alongside, CheckInput, Subject, Swap, bay_unknown, check, entry_not_loaded, family_absent,
    first_install, older_goes, settings_unmerged, slot_ambiguous,
};
use crate::content::{Content, FileState, Stamp};
use crate::error::Result;
use crate::load::{Edge, Outcome};
use crate::path::{TreePath, extension, fold, same_name, stem};
use crate::rack::{Build, EXE, Placement, Policy, ROOT, SLOT, Stored};
use crate::situation::Situation;
use crate::size::humane;
use crate::survey::{EvidenceKind, GameView, Library};
use upright_spanner_image::system::{comes_with_windows, is_compiler_runtime};

/// A settings file that is longer is left alone: programs write some 100 KB.
pub(crate) const LONGEST_SETTINGS: u64 = 2 << 20;

/// Plans to put one build into one game.
pub(crate) struct FitPlanner<'a> {
    pub situation: &'a Situation<'a>,
    pub build: &'a Build,
    /// The files that it is for.
    pub slots: Vec<&'a Library>,
    /// Where it goes where it has none of them.
    pub entry: Option<Entry<'a>>,
    pub options: &'a FitOptions,
    /// Builds of other families that are fitted in the same change.
    pub alongside: &'a [Alongside],
}

/// A file that a build puts into the game.
pub(super) struct Target<'a> {
    pub place: Place,
    /// The file that it takes the place of, where that bears another name.
    instead: Option<Place>,
    policy: Policy,
    file: Stored<'a>,
}

impl<'b> Target<'b> {
    /// The build's library at a place, and where the file is that goes for it, if that is another.
    fn library(place: Place, instead: Option<Place>, file: Stored<'b>) -> Self {
        Self { place, instead, policy: Policy::Replace, file }
    }

    /// The build's library in a slot, under another name than what is there where one is given.
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
    fn view(&self) -> &'s GameView {
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
                // What is in use cannot be read, and may be what is looked for.
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
        for placement in others {
            if !self.is_left_out(&placement.from) && !self.has_no_folder(placement) {
                self.place(placement, &anchors, &asked, &mut targets, &mut plan)?;
            }
        }
        for target in &mut targets {
            target.place = self.situation.window.spelled(target.place.clone());
        }
        plan.findings.extend(check(&self.check_input(&targets)?));
        // Where it goes is of no use beside the reason why it will not be loaded there.
        let is_loaded =
            plan.findings.iter().all(|f| f.code != entry_not_loaded::CODE || !f.stops());
        if let Some(entry) = self.entry.as_ref().filter(|_| is_loaded) {
            plan.findings.push(first_install::finding(build, &entry.path, &entry.why));
        }
        for target in &targets {
            self.step(target, &mut plan)?;
        }
        self.take_out_older(&mut plan)?;
        self.clear(&anchors, &targets, &mut plan)?;
        plan.arrange(self.situation)?;
        Ok(plan)
    }

    /// Whether the user wants this game not to have a part.
    fn is_left_out(&self, path: &TreePath) -> bool {
        let settings = &self.view().game.settings;
        let remembered = settings.left_out.get(&self.build.id.family).into_iter().flatten();
        let named = |part: &String| {
            same_name(part, path.as_str())
                || same_name(part, path.file_name())
                || fold(path.as_str())
                    .starts_with(&format!("{}/", fold(part.trim_end_matches('/'))))
        };
        remembered.chain(&self.options.without).any(named)
    }

    /// Where the game has parts of a build whose library it does not have: those are replaced.
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
            // The library itself comes where one of those asks for it.
            let beside = anchors.first().filter(|_| asked.contains(&fold(&self.build.file.name)));
            let to = TreePath::new(&self.build.file.name).ok();
            if let Some((anchor, to)) = beside.zip(to) {
                targets.push(Target::library(anchor.beside(&to), None, library));
            }
        }
        Ok(anchors)
    }

    /// What goes for what comes: an older one under another name.
    fn take_out_older(&self, plan: &mut Plan) -> Result<()> {
        let Some(entry) = &self.entry else { return Ok(()) };
        for old in &entry.replaces {
            let place = Place::from(old.path.clone());
            plan.findings.push(older_goes::finding(self.build, old));
            if !plan.steps.iter().any(|step| step.place().same_as(&place)) {
                let now = self.situation.window.file(&place)?;
                plan.steps.extend(self.removal(place, now));
            }
        }
        Ok(())
    }

    /// Whether a placement is that of the library itself.
    fn is_head(&self, placement: &Placement) -> bool {
        self.build.layout.places.first() == Some(placement)
            && placement.from == self.build.file.path
    }

    /// Where the library goes: into every slot, or to its bay where the game has none and the
    /// layout knows a place that does not depend on one.
    fn heads(&self, plan: &mut Plan) -> Vec<Target<'_>> {
        let Some(library) = self.build.files().next() else { return Vec::new() };
        let as_name = self.options.as_name.as_deref();
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

        let asked_for = self.asked_for();
        if !asked_for.is_empty() {
            let heads = asked_for.into_iter().map(|place| Target::library(place, None, library));
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

    /// Where the game asks for a file of the library's name and has none that can be loaded: such a file is
    /// what it lacks.
    fn asked_for(&self) -> Vec<Place> {
        let name = self.options.as_name.as_deref().unwrap_or(&self.build.file.name);
        let damaged = self.view().unusable.iter().filter(|image| image.is_damaged());
        let damaged = damaged.map(|image| &image.path);
        let damaged = damaged.filter(|path| same_name(path.file_name(), name)).cloned();
        let missing = self.situation.loads().processes.iter().filter_map(|process| {
            let mut edges = process.images.iter().flat_map(|image| &image.edges);
            let is_it =
                |edge: &Edge| edge.outcome == Outcome::Missing && same_name(&edge.library, name);
            edges.any(is_it).then(|| process.program.sibling(name).ok())?
        });
        let mut places: Vec<Place> = damaged.chain(missing).map(Place::from).collect();
        places.sort();
        places.dedup();
        places
    }

    /// A path in a bay of the game; a finding where the game has no such bay.
    fn in_bay(&self, bay: &str, path: TreePath, plan: &mut Plan) -> Option<Place> {
        let game = &self.view().game;
        let folder = match bay {
            ROOT => Some(self.root_for(&path)),
            // A folder of data that the game has itself is meant, wherever the executable lies.
            EXE if self.is_data_of_game(&path) => Some(game.root.clone()),
            EXE | SLOT => self.view().executable().map(|executable| {
                let program = executable.path.on(&game.root);
                program.parent().map_or_else(|| game.root.clone(), std::path::Path::to_owned)
            }),
            named => game.settings.bays.get(named).cloned(),
        };
        let place = folder.and_then(|folder| Place::new(&game.root, &folder, path).ok());
        if place.is_none() {
            plan.findings.push(bay_unknown::finding(self.build, game, bay));
        }
        place
    }

    /// What a package's root is in the game: its own folder, or where the package mirrors the folders around the
    /// executable the one in which these begin.
    fn root_for(&self, path: &TreePath) -> PathBuf {
        let game = &self.view().game;
        let packed = fold(self.build.file.path.folder());
        let executable = self.view().executable().map(|executable| executable.path.folder());
        let around = executable.and_then(|folder| {
            let cut = folder.len().checked_sub(packed.len())?;
            let (around, own) = (folder.get(..cut)?, folder.get(cut..)?);
            let is_it = fold(own) == packed && (around.is_empty() || around.ends_with('/'));
            (is_it && !packed.is_empty()).then(|| around.trim_end_matches('/'))
        });
        match around.filter(|around| !around.is_empty() && !self.game_has(path, None)) {
            Some(around) => around.split('/').fold(game.root.clone(), |path, part| path.join(part)),
            None => game.root.clone(),
        }
    }

    /// Whether something that comes with a part of a game has no folder there: it stays out, unless the user's
    /// layout names it.
    fn has_no_folder(&self, placement: &Placement) -> bool {
        let is_replaced = self.build.layout.places.first().is_some_and(|head| head.bay == SLOT);
        is_replaced
            && placement.bay == ROOT
            && !self.build.is_told_by_layout(&placement.from)
            && !self.game_has(&placement.to, None)
    }

    /// Whether the game has the first folder of a path, in its own folder or beside a file.
    fn game_has(&self, path: &TreePath, beside: Option<&TreePath>) -> bool {
        let Some((first, _)) = path.as_str().split_once('/') else { return false };
        let folder = match beside {
            Some(file) => file.sibling(first),
            None => TreePath::new(first),
        };
        let Ok(folder) = folder else { return false };
        let place = self.situation.window.spelled(folder.into());
        let now = self.situation.window.now(&crate::change::Target::Folder(place));
        now.is_ok_and(|side| matches!(side.state, crate::change::State::Folder(_)))
    }

    /// Whether the data part goes to a mod manager: now, or whenever this family comes into this game.
    fn hands_off(&self) -> bool {
        let remembered = &self.view().game.settings.handoffs;
        self.options.hand_off || remembered.contains_key(&self.build.id.family)
    }

    /// Whether a path begins with a folder that the game has in its root, and not beside the executable.
    fn is_data_of_game(&self, path: &TreePath) -> bool {
        let beside = self.view().executable().map(|executable| &executable.path);
        beside.is_some() && !self.game_has(path, beside) && self.game_has(path, None)
    }

    /// Where another file of the build goes.
    fn place<'a>(
        &'a self,
        placement: &Placement,
        anchors: &[Place],
        asked: &HashSet<String>,
        targets: &mut Vec<Target<'a>>,
        plan: &mut Plan,
    ) -> Result<()> {
        let Some(file) = self.build.stored(&placement.from) else { return Ok(()) };
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

        let mut places: Vec<Place> = match placement.bay.as_str() {
            EXE if !self.build.is_library(&placement.from)
                && self.is_data_of_game(&placement.to) =>
            {
                self.in_bay(EXE, placement.to.clone(), plan).into_iter().collect()
            }
            SLOT | EXE => self.places_near(placement, file, anchors, asked)?,
            bay => self.in_bay(bay, placement.to.clone(), plan).into_iter().collect(),
        };
        places.retain(|place| !targets.iter().any(|target| target.place.same_as(place)));
        targets.extend(places.into_iter().map(|place| Target {
            place,
            instead: None,
            policy: placement.policy,
            file,
        }));

        Ok(())
    }

    /// Where a file goes that belongs to the library: to its own places in the game if it has any,
    /// else beside the library.
    fn places_near(
        &self,
        placement: &Placement,
        file: Stored<'_>,
        anchors: &[Place],
        asked: &HashSet<String>,
    ) -> Result<Vec<Place>> {
        let name = placement.to.file_name();
        if self.build.is_library(&placement.from) {
            let own = self.own_places(name, file)?;
            if !own.is_empty() {
                return Ok(own);
            }
            // What a game ships is replaced; a part that it lacks comes only if another needs it.
            // Of what Windows or its installers have everywhere, an older one beside the game may do harm.
            let is_systems = is_compiler_runtime(name) && comes_with_windows(name);
            if is_systems || placement.bay == SLOT && !asked.contains(&fold(name)) {
                return Ok(Vec::new());
            }
        }

        let mut beside: Vec<Place> = anchors
            .iter()
            .map(|anchor| self.situation.window.spelled(anchor.beside(&placement.to)))
            .collect();
        beside.dedup_by(|a, b| a.same_as(b));
        if placement.policy != Policy::Replace {
            let mut there = Vec::new();
            for place in &beside {
                there.push(!self.situation.window.file(place)?.state.is_absent());
            }
            if there.contains(&true) {
                let mut there = there.into_iter();
                beside.retain(|_| there.next().unwrap_or(false));
            } else {
                beside.truncate(1);
            }
        }

        Ok(beside)
    }

    /// Where the game has a library of the build's, in a variant for the same machine.
    fn own_places(&self, name: &str, file: Stored<'_>) -> Result<Vec<Place>> {
        let Some(facts) = file.facts else {
            let named = self.situation.window.named(name)?;
            return Ok(named.into_iter().map(Place::from).collect());
        };
        let same = |library: &&Library| {
            !library.put_aside
                && same_name(library.path.file_name(), name)
                && companies_agree(&library.facts, facts)
                && facts.runs_on(library.facts.machine)
        };
        let own = self.view().libraries.iter().filter(same);
        Ok(own.map(|library| library.path.clone().into()).collect())
    }

    /// What is asked for by libraries of the build that go into the game, or by those that they ask for. `with_head`
    /// says whether the library that it is named after goes there.
    fn asked_names(&self, with_head: bool) -> Result<HashSet<String>> {
        let mut libraries: Vec<(String, Stored<'_>)> = Vec::new();
        let mut open = Vec::new();
        for file in self.build.placed().filter(|file| file.facts.is_some()) {
            let name = fold(file.path.file_name());
            let is_head = *file.path == self.build.file.path && with_head;
            if is_head || !self.own_places(&name, file)?.is_empty() {
                open.push(name.clone());
            }
            libraries.push((name, file));
        }
        let mut asked = HashSet::new();
        while let Some(from) = open.pop() {
            let own = libraries.iter().filter(|(name, _)| *name == from);
            let facts = own.filter_map(|(_, file)| file.facts);
            for dll in facts.flat_map(|facts| &facts.imported_dlls).map(|dll| fold(dll)) {
                if asked.insert(dll.clone()) {
                    open.push(dll);
                }
            }
        }
        Ok(asked)
    }

    /// What the checks look at: each library with its place, and what is there now.
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

    /// Whether the build bears the version of an executable in its name and replaces a file that
    /// bears this executable's: then the name is part of what it is.
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
        // What comes was made when its author made it, not when the file that it replaces was.
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
            (Some(_), Policy::Keep | Policy::Handoff) => {}
            (None, Policy::Merge) if self.carry_over(target, &after, plan)? => {}
            (Some(_), Policy::Replace) | (None, _) => {
                plan.steps.push(self.swap(target, now, after));
            }
        }

        Ok(())
    }

    /// Settings of an older one that goes, under its name: their values stand in the new file too. Gives whether
    /// there are any.
    fn carry_over(&self, target: &Target<'_>, after: &Side, plan: &mut Plan) -> Result<bool> {
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

    fn swap(&self, target: &Target<'_>, before: Side, after: Side) -> Step {
        let step = Step::file(target.place.clone(), before, after, &self.build.id.family);
        step.from_source(Some(self.build.id.to_string()))
    }

    /// A file that goes, if it is there.
    pub(super) fn removal(&self, place: Place, before: Side) -> Option<Step> {
        let there = !before.state.is_absent();
        there.then(|| Step::file(place, before, Side::ABSENT, &self.build.id.family))
    }

    /// The user's settings stay, and what is new comes in.
    fn merge(&self, target: &Target<'_>, now: Side, plan: &mut Plan) -> Result<()> {
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
