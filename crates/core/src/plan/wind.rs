//! Plans to put another release of the game itself onto its folder.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use globset::{GlobBuilder, GlobMatcher};

use super::saves::{Saves, saves};
use super::{LONGEST_SETTINGS, Merge, Place, Plan, is_mergeable, merge, stop_broken_loading};
use crate::change::{ExecutableMark, Owner, Purpose, Side, Step, Target};
use crate::check::{
    another_game, fitted_in_the_way, machine_differs, newer_content, pinned, release_incomplete,
    saves_kept, settings_unmerged, unexpected_version,
};
use crate::content::{Content, FileState};
use crate::error::{Error, Result};
use crate::game::{telling, version_in};
use crate::path::{TreePath, fold, same_name, set_aside_of, slashes};
use crate::rack::is_settings_name;
use crate::situation::Situation;
use crate::size::humane;
use crate::wind::{GameTree, Level, Outline, Release, ReleaseFile, incomplete, level, outline};
use upright_spanner_change::Aside;
use upright_spanner_image::{Requirement, Version};
use upright_spanner_settings::MOST_LINES;

/// The user's options for a wind.
#[derive(Debug, Clone, Default)]
pub struct WindOptions {
    /// The files to move out of the game's folder: paths from there, with wildcards.
    pub aside: Vec<String>,
    /// The versions that the executable may have afterwards.
    pub expect: Option<Requirement>,
    /// Whether components that were fitted stay, if the release has a file of their name.
    pub keep_fitted: Option<bool>,
    /// Whether settings become those of the release.
    pub settings: bool,
    /// Whether launchers are kept from updating the game, in the same change.
    pub hold: bool,
    /// Stop findings to continue despite.
    pub despite: Vec<String>,
}

/// A plan to put another release of a game onto its folder.
#[derive(Debug)]
pub(crate) struct Winding {
    pub plan: Plan,
    pub outline: Outline,
    /// Contents that are placed without being stored, with their files.
    pub passing: BTreeMap<Content, PathBuf>,
    /// Contents that are kept though nothing places them.
    pub kept: BTreeMap<Content, PathBuf>,
}

/// Plans to put a release onto a game's folder.
pub(crate) fn wind(
    situation: &Situation<'_>,
    release: &Release,
    tree: &GameTree,
    options: &WindOptions,
) -> Result<Winding> {
    let names = release.given.iter().map(|given| {
        given.file_name().map_or_else(|| slashes(given), |name| name.to_string_lossy().into_owned())
    });
    let summary = format!("wind from {}", names.collect::<Vec<_>>().join(", "));
    let from = release.whole.iter().map(|given| slashes(given)).collect();
    let purpose = Purpose::Wind { from, aside: options.aside.clone() };
    let plan = Plan::new(situation.view, purpose, summary);
    let mut winder = Winder {
        situation,
        release,
        tree,
        options,
        saves: saves(situation, tree),
        winding: Winding {
            plan,
            outline: Outline::default(),
            passing: BTreeMap::new(),
            kept: BTreeMap::new(),
        },
        fitted: Vec::new(),
        unmerged: Vec::new(),
        users: BTreeSet::new(),
    };
    winder.look_over();
    winder.put()?;
    winder.set_aside()?;
    winder.keep_saves()?;
    winder.finish()
}

struct Winder<'a> {
    situation: &'a Situation<'a>,
    release: &'a Release,
    tree: &'a GameTree,
    options: &'a WindOptions,
    saves: Saves,
    winding: Winding,
    /// Components in the way: the family, and the place.
    fitted: Vec<(String, Place)>,
    /// Settings that stay as they are, each with why.
    unmerged: Vec<(Place, String)>,
    /// Files that stay the user's, though the release has others.
    users: BTreeSet<TreePath>,
}

impl<'a> Winder<'a> {
    fn find(&mut self, finding: crate::finding::Finding) {
        self.winding.plan.findings.push(finding);
    }

    /// Whether the release belongs to this game, is complete, and is the wanted one.
    fn look_over(&mut self) {
        let mut levels = Vec::new();
        for (of, given) in self.release.given.iter().enumerate() {
            let files = self.release.files.iter().filter(|file| file.of == of);
            let paths: Vec<&TreePath> = files.map(|file| &file.path).collect();
            let executable = self.situation.view.executable().map(|executable| &executable.path);
            levels.push((given, level(&paths, self.tree, executable, given)));
        }
        let fits = levels.iter().any(|(_, level)| *level == Level::Fits);
        for (given, level) in levels {
            let finding = another_game::finding(self.situation.game(), given, &level, fits);
            self.winding.plan.findings.extend(finding);
        }
        for part in incomplete(self.release, self.tree) {
            self.find(release_incomplete::finding(&part));
        }
        self.look_at_executable();
    }

    fn look_at_executable(&mut self) {
        let Some(executable) = self.situation.view.executable() else { return };
        let before = self.situation.game_version().cloned();
        let brought = self.brought(&executable.path);
        let facts = brought.and_then(|file| file.facts.as_ref()?.as_ref().ok());
        let after = match facts {
            Some(facts) => self.version_in_text().or_else(|| facts.version().filter(telling)),
            None => before.clone(),
        };
        if let Some(facts) = facts {
            if facts.machine != executable.facts.machine {
                let (was, is) = (executable.facts.machine, facts.machine);
                let finding = machine_differs::finding(&executable.path, was, is);
                self.winding.plan.findings.push(finding);
            }
            self.winding.plan.executable = Some(ExecutableMark {
                path: executable.path.clone(),
                version: after.clone(),
                size: facts.size,
                stamp: facts.stamp,
            });
            self.winding.outline.version = Some((before, after.clone()));
        }
        if let Some(expected) = &self.options.expect {
            if !after.as_ref().is_some_and(|version| is_expected(expected, version)) {
                let brings = facts.is_some();
                let name = executable.path.file_name();
                self.find(unexpected_version::finding(name, expected, after.as_ref(), brings));
            }
        }
    }

    /// The version in the text file of the release that the user named for the game's.
    fn version_in_text(&self) -> Option<Version> {
        let named = self.situation.game().settings.version_file.as_ref()?;
        version_in(named, &self.brought(&named.path)?.file)
    }

    fn brought(&self, path: &TreePath) -> Option<&'a ReleaseFile> {
        let (files, wanted) = (&self.release.files, fold(path.as_str()));
        let at = files.binary_search_by(|file| fold(file.path.as_str()).cmp(&wanted));
        at.ok().map(|at| &files[at])
    }

    /// Plans each file of the release.
    fn put(&mut self) -> Result<()> {
        let places: Vec<Place> = self
            .release
            .files
            .iter()
            .map(|file| Place::from(self.tree.spelling(&file.path)))
            .collect();
        let there: Vec<&Place> =
            places.iter().filter(|place| self.tree.has(place.path())).collect();
        self.situation.window.look_ahead(&there);

        let mut compared = Vec::new();
        for (file, place) in self.release.files.iter().zip(&places) {
            let is_there = self.tree.has(place.path());
            let now = if is_there { self.situation.window.file(place)? } else { Side::ABSENT };
            compared.push((place.path().clone(), now, &file.side));
        }
        for (file, (path, now, _)) in self.release.files.iter().zip(&compared) {
            self.put_one(file, Place::from(path.clone()), now)?;
        }
        let users = std::mem::take(&mut self.users);
        let compared = compared.iter().filter(|(path, ..)| !users.contains(path));
        let compared = compared.map(|(path, now, after)| (path, now, *after));
        let settings = self.winding.outline.settings;
        let version = self.winding.outline.version.take();
        self.winding.outline =
            Outline { settings, version, ..outline(self.situation.view, compared) };
        Ok(())
    }

    fn put_one(&mut self, file: &ReleaseFile, place: Place, now: &Side) -> Result<()> {
        if now.same_as(&file.side) {
            return Ok(());
        }
        if !now.state.is_absent() && self.saves.holds(&place) {
            self.users.insert(place.path().clone());
            return Ok(());
        }
        let entry = self.situation.ledger.get(&place);
        let is_ours = entry.filter(|entry| entry.in_force() && entry.owner != Owner::Game);
        if let Some(entry) = is_ours.filter(|entry| entry.last.same_as(now)) {
            let family = entry.owner.family().unwrap_or_default();
            self.fitted.push((family.to_owned(), place.clone()));
            if self.options.keep_fitted == Some(true) {
                self.users.insert(place.path().clone());
                let step = Step::keep(place, now.clone(), &entry.owner);
                let step = step.from_source(entry.source.clone());
                self.winding.plan.steps.push(step.over(Some(file.side.clone())));
                let content = file.side.state.content();
                self.winding.kept.extend(content.map(|content| (content, file.file.clone())));
                return Ok(());
            }
            self.expect_unpinned(family);
        } else if let Some(family) = file.facts.as_ref().and_then(|_| self.family_at(&place)) {
            self.expect_unpinned(&family);
        }
        if is_settings_name(place.path().file_name())
            && !now.state.is_absent()
            && !self.options.settings
        {
            return self.merge(file, place, now);
        }
        let owner = is_ours.map_or(&Owner::Game, |entry| &entry.owner);
        let content = file.side.state.content();
        self.winding.passing.extend(content.map(|content| (content, file.file.clone())));
        self.winding.plan.steps.push(Step::replace(place, now.clone(), file.side.clone(), owner));
        Ok(())
    }

    /// The family of the component at a place, however it came there.
    fn family_at(&self, place: &Place) -> Option<String> {
        let libraries = self.situation.view.libraries.iter();
        let mut here = libraries.filter(|library| library.path == *place.path());
        here.find(|library| library.is_component).map(|library| library.family.clone())
    }

    fn expect_unpinned(&mut self, family: &str) {
        let pin = self.situation.pins.iter().find(|pin| same_name(&pin.family, family));
        let Some(pin) = pin else { return };
        let finding = pinned::in_the_way(self.situation.game(), pin);
        let is_said = |said: &crate::finding::Finding| said.sentence == finding.sentence;
        if !self.winding.plan.findings.iter().any(is_said) {
            self.find(finding);
        }
    }

    /// The user's settings keep their values, and keys that only the release has come in.
    fn merge(&mut self, file: &ReleaseFile, place: Place, now: &Side) -> Result<()> {
        self.winding.outline.settings += 1;
        self.users.insert(place.path().clone());
        let contents = [now, &file.side].map(|side| side.state.content());
        let (Some(there), Some(new)) = (now.state.file(), contents[1]) else { return Ok(()) };
        if contents.iter().flatten().any(|content| content.size > LONGEST_SETTINGS) {
            let why = format!("is longer than {}", humane(LONGEST_SETTINGS));
            self.unmerged.push((place, why));
            return Ok(());
        }
        let user = self.situation.window.bytes(&place)?;
        let new = self.situation.window.stored(&new)?;
        if !is_mergeable(&user) || !is_mergeable(&new) {
            let why = format!("has no keys with values, or more than {MOST_LINES} lines");
            self.unmerged.push((place, why));
            return Ok(());
        }
        let merged = merge(&user, &new, None);
        if merged.bytes != user {
            let content = Content::of_bytes(&merged.bytes);
            let after = Side::file(FileState { content, stamp: there.stamp }, None);
            let step = Step::replace(place.clone(), now.clone(), after, &Owner::Game);
            self.winding.plan.steps.push(step);
            self.winding.plan.merges.push(Merge { place, merged });
        }
        Ok(())
    }

    /// Plans to move files out of the game's folder.
    fn set_aside(&mut self) -> Result<()> {
        if self.options.aside.is_empty() {
            let hint = newer_content::finding(self.situation, self.release, self.tree, |path| {
                self.saves.holds(&Place::from(path.clone()))
            });
            self.winding.plan.findings.extend(hint);
            return Ok(());
        }
        let root = &self.situation.game().root;
        let bay = set_aside_of(root).ok_or_else(|| Error::Invalid {
            what: format!(
                "{} has no folder around it, so nothing can be moved out of it",
                slashes(root)
            ),
            remedy: "Let nothing be moved aside.".into(),
        })?;
        let mut all: BTreeSet<TreePath> = BTreeSet::new();
        for pattern in &self.options.aside {
            let matcher = glob(pattern)?;
            let matched = self.matched(&matcher);
            if matched.is_empty() {
                return Err(Error::Invalid {
                    what: format!(
                        "nothing in {} that could be moved aside matches `{pattern}`",
                        slashes(root)
                    ),
                    remedy: "Give a path from the game's folder, with * for any part of a name."
                        .into(),
                });
            }
            all.extend(matched);
        }
        // Files in a folder that is moved as a whole go with it.
        let is_within = |path: &TreePath| {
            let mut around = std::iter::successors(path.parent(), TreePath::parent);
            around.any(|folder| all.contains(&folder))
        };
        for path in all.iter().filter(|path| !is_within(path)) {
            self.move_aside(path, &bay)?;
        }
        Ok(())
    }

    /// Plans to move a file or folder into the folder beside the game's.
    fn move_aside(&mut self, path: &TreePath, bay: &Path) -> Result<()> {
        let place = Place::from(path.clone());
        let found = self.situation.window.tree(&place)?;
        // In an empty folder there is nothing that a game could see.
        let Some((found, text)) = found.filter(|(tree, _)| tree.files > 0) else {
            return Ok(());
        };
        // The number of the change replaces the nought.
        let kept = TreePath::new(&format!("0/{path}"));
        let kept = kept.and_then(|kept| Place::new(&self.situation.game().root, bay, kept));
        let kept = kept.map_err(|error| Error::Invalid {
            what: format!("{path} cannot be moved to {}: {error}", slashes(bay)),
            remedy: "Leave it in its place.".into(),
        })?;
        let step = Step::aside(Aside { place, kept }, found, &Owner::Game);
        self.winding.plan.steps.push(step);
        self.winding.plan.made.push(text.into_bytes());
        Ok(())
    }

    /// The matches of a pattern in the game: whole folders, if nothing in them is new or fitted; otherwise the files.
    fn matched(&self, matcher: &GlobMatcher) -> Vec<TreePath> {
        let is_ours = |path: &TreePath| {
            let entry = self.situation.ledger.get(&Place::from(path.clone()));
            entry.is_some_and(|entry| entry.in_force() && entry.owner != Owner::Game)
        };
        let is_save = |path: &TreePath| self.saves.holds(&Place::from(path.clone()));
        let stays =
            |path: &TreePath| self.brought(path).is_some() || is_ours(path) || is_save(path);
        let staying: Vec<&TreePath> =
            self.tree.files().map(|(path, _)| path).filter(|path| stays(path)).collect();
        let is_in = |path: &TreePath, folder: &TreePath| {
            path.as_str().strip_prefix(folder.as_str()).is_some_and(|rest| rest.starts_with('/'))
        };
        let meant = |path: &TreePath| {
            std::iter::successors(Some(path.clone()), TreePath::parent)
                .any(|path| matcher.is_match(path.as_str()))
        };
        let mut whole: Vec<&TreePath> = Vec::new();
        for folder in self.tree.folders() {
            let is_free = || !staying.iter().any(|path| is_in(path, folder));
            let covered = |other: &&TreePath| is_in(folder, other);
            if meant(folder) && !whole.iter().any(covered) && is_free() {
                whole.push(folder);
            }
        }
        let files = self.tree.files().map(|(path, _)| path);
        let files = files.filter(|path| {
            meant(path) && !stays(path) && !whole.iter().any(|folder| is_in(path, folder))
        });
        let mut matched: Vec<TreePath> = files.cloned().collect();
        matched.extend(whole.into_iter().cloned());
        matched
    }

    /// Saves are kept with the change: an older executable may ruin those of a newer one.
    fn keep_saves(&mut self) -> Result<()> {
        if !self.winding.plan.steps.iter().any(Step::alters) {
            // Nothing is done that could ruin them.
            return Ok(());
        }
        let game = self.situation.game().id.clone();
        let places = self.saves.files(self.situation.window)?;
        for place in &places {
            let side = self.situation.window.file(place)?;
            if !side.state.is_absent() {
                self.winding.plan.steps.push(Step::keep(place.clone(), side, &Owner::Saves));
            }
        }
        let finding = saves_kept::finding(&game, &self.saves.folders, places.len());
        self.find(finding);
        Ok(())
    }

    fn finish(self) -> Result<Winding> {
        let Self { situation, options, saves, mut winding, fitted, unmerged, .. } = self;
        winding.plan.findings.extend(settings_unmerged::of_release(&unmerged));
        if !winding.plan.steps.iter().any(Step::alters) {
            winding.plan.steps.clear();
        }
        if !fitted.is_empty() {
            let finding = fitted_in_the_way::finding(&fitted, options.keep_fitted);
            winding.plan.findings.push(finding);
        }
        let kept = winding.kept.keys().map(|content| content.size);
        let made = winding.plan.made.iter().map(|text| text.len() as u64);
        winding.plan.supplied = kept.chain(made).sum();
        winding.plan.arrange(situation)?;
        let root = &situation.game().root;
        winding
            .plan
            .elsewhere
            .extend(saves.folders.iter().filter(|f| !f.starts_with(root)).cloned());
        let is_save = |place: &Place| saves.holds(place);
        winding.outline = winding.outline.with_steps(&winding.plan.steps, is_save);
        stop_broken_loading(situation, &mut winding.plan);
        Ok(winding)
    }
}

/// Whether a version is the expected one: 1.5 also means 1.5.2.
fn is_expected(expected: &Requirement, version: &Version) -> bool {
    let beginning = expected.to_string().parse::<Version>();
    expected.includes(version) || beginning.is_ok_and(|beginning| version.begins_with(&beginning))
}

/// A pattern of paths from the game's folder, without regard to case.
fn glob(pattern: &str) -> Result<GlobMatcher> {
    let pattern = pattern.replace('\\', "/");
    let pattern = pattern.trim_matches('/');
    let built = GlobBuilder::new(pattern).literal_separator(true).case_insensitive(true).build();
    built.map(|glob| glob.compile_matcher()).map_err(|error| Error::Invalid {
        what: format!("`{pattern}` is not a pattern of paths: {}", error.kind()),
        remedy: "Give a path from the game's folder, with * for any part of a name.".into(),
    })
}

impl Plan {
    /// Whether anything is moved aside by it.
    pub(crate) fn sets_aside(&self) -> bool {
        let leaves = |step: &&Step| step.after().state.is_absent();
        self.steps.iter().filter(leaves).any(|step| matches!(step.target(), Target::Aside(_)))
    }

    /// Names the folder that things are moved aside to after the change that does so.
    pub(crate) fn numbered(&mut self, number: i64) {
        let Some(bay) = set_aside_of(&self.game.root) else { return };
        let renamed = |place: &Place| {
            if place.bay() != Some(&bay) {
                return place.clone();
            }
            let rest = place.path().as_str().split_once('/').map_or("", |(_, rest)| rest);
            let path =
                if rest.is_empty() { number.to_string() } else { format!("{number}/{rest}") };
            TreePath::new(&path).map_or_else(|_| place.clone(), |path| place.with_path(path))
        };
        let steps = std::mem::take(&mut self.steps);
        let renumber = |step: Step| {
            let target = match step.target() {
                Target::Aside(Aside { place, kept }) => {
                    Target::Aside(Aside { place: place.clone(), kept: renamed(kept) })
                }
                target => match target.place() {
                    Some(place) => target.with_place(renamed(place)),
                    None => target.clone(),
                },
            };
            step.about(target)
        };
        self.steps = steps.into_iter().map(renumber).collect();
    }
}
