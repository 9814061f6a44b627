//! Plans to put a build into every slot that its family has in a game.

use super::{Held, Merge, Plan, Step, is_mergeable, merge};
use crate::catalog::{companies_agree, keyed_to};
use crate::check::{
    already_fitted, exe_unsupported, family_absent, keyed_elsewhere, machine_mismatch,
    slot_ambiguous,
};
use crate::content::{Content, FileState, Stamp};
use crate::path::{GamePath, same_name};
use crate::rack::{Build, Companion, Policy};
use crate::survey::{EvidenceKind, GameView, Library};

/// What the planner is told.
pub(crate) struct Fit<'a> {
    pub view: &'a GameView,
    pub build: &'a Build,
    /// The slots that [`slots`] gave, each with what it holds now.
    pub slots: Vec<(&'a Library, FileState)>,
    /// The build's settings files, each where it goes in this game.
    pub settings: Vec<SettingsFile<'a>>,
}

/// A settings file of a build, and what is there already.
pub(crate) struct SettingsFile<'a> {
    pub path: GamePath,
    pub companion: &'a Companion,
    /// The user's file: its state and its bytes.
    pub user: Option<(FileState, Vec<u8>)>,
    /// The bytes of the build's file.
    pub new: Vec<u8>,
    /// The bytes of the file that the build in place brought, where that build is on the rack.
    pub old: Option<Vec<u8>>,
}

/// The files of a game that a build could replace: those of its file name, else those of its
/// family under other names.
pub(crate) fn slots<'a>(view: &'a GameView, build: &Build) -> Vec<&'a Library> {
    let live = |library: &&Library| !library.put_aside;
    let named = |library: &&Library| {
        same_name(library.path.file_name(), &build.file.name)
            && companies_agree(&library.facts, &build.file.facts)
    };
    let by_name: Vec<&Library> = view.libraries.iter().filter(live).filter(named).collect();
    if !by_name.is_empty() {
        return by_name;
    }
    let of_family = |library: &&Library| {
        library.family == build.id.family && companies_agree(&library.facts, &build.file.facts)
    };
    view.libraries.iter().filter(live).filter(of_family).collect()
}

impl Fit<'_> {
    pub fn plan(self) -> Plan {
        let Self { view, build, .. } = self;
        let mut plan = Plan {
            game: view.game.clone(),
            summary: format!("fit {}", build.id),
            steps: Vec::new(),
            merges: Vec::new(),
            findings: Vec::new(),
        };
        if self.slots.is_empty() {
            let mut present: Vec<String> =
                view.components().iter().map(|library| library.family.clone()).collect();
            present.dedup();
            plan.findings.push(family_absent::finding(build, &view.game, &present));
            return plan;
        }
        let keyed = self.is_keyed();
        if let Some(executable) = view.executable() {
            plan.findings.extend(machine_mismatch::check(build, executable));
            let version = view.version.as_ref();
            plan.findings.extend(exe_unsupported::check(build, executable, version));
            if keyed {
                plan.findings.extend(keyed_elsewhere::check(build, executable));
            }
        } else if let Some((library, _)) =
            self.slots.iter().find(|(library, _)| library.facts.machine != build.machine)
        {
            plan.findings.push(machine_mismatch::beside(build, library));
        }
        let paths: Vec<&GamePath> = self.slots.iter().map(|(library, _)| &library.path).collect();
        if !keyed {
            plan.findings.extend(slot_ambiguous::check(build, &paths));
        }
        plan.steps = self.steps(keyed);
        for settings in &self.settings {
            settings.plan(build, &mut plan);
        }
        if plan.steps.is_empty() {
            plan.findings.push(already_fitted::finding(build, &view.game));
        }
        plan
    }

    /// Whether the build bears the version of an executable in its name and replaces a file that
    /// bears this executable's: then the name is part of what it is.
    fn is_keyed(&self) -> bool {
        let keyed = |library: &Library| {
            keyed_to(&library.facts, library.path.file_name()).is_some()
                && library.evidence.iter().any(|evidence| evidence.kind == EvidenceKind::Keyed)
                || !same_name(library.path.file_name(), &self.build.file.name)
                    && keyed_to(&library.facts, library.path.file_name()).is_some()
        };
        keyed_to(&self.build.file.facts, &self.build.file.name).is_some()
            && self.slots.iter().any(|(library, _)| keyed(library))
    }

    fn steps(&self, keyed: bool) -> Vec<Step> {
        let build = self.build;
        let mut steps = Vec::new();
        for (library, now) in &self.slots {
            let before = Held { state: *now, version: library.facts.version() };
            let after = Held {
                state: FileState {
                    content: build.file.content,
                    stamp: now.stamp.dated(build.file.modified),
                },
                version: build.version.clone(),
            };
            let step = |path: &GamePath, before: Option<&Held>, after: Option<&Held>| Step {
                path: path.clone(),
                family: build.id.family.clone(),
                before: before.cloned(),
                after: after.cloned(),
            };
            // A keyed file keeps its own name, and the one that it replaces goes.
            let renamed = library.path.sibling(&build.file.name).ok();
            match renamed.filter(|path| keyed && !path.same_as(&library.path)) {
                Some(path) => {
                    steps.push(step(&library.path, Some(&before), None));
                    steps.push(step(&path, None, Some(&after)));
                }
                None if now.content != build.file.content => {
                    steps.push(step(&library.path, Some(&before), Some(&after)));
                }
                None => {}
            }
        }
        steps
    }
}

impl SettingsFile<'_> {
    /// A new file comes in; one that is there is merged or kept.
    fn plan(&self, build: &Build, plan: &mut Plan) {
        let path = self.path.clone();
        let family = build.id.family.clone();
        let Some((state, bytes)) = &self.user else {
            let stamp = Stamp::fresh(self.companion.modified);
            let state = FileState { content: self.companion.content, stamp };
            let after = Some(Held { state, version: None });
            plan.steps.push(Step { path, family, before: None, after });
            return;
        };
        let can_merge = is_mergeable(bytes) && is_mergeable(&self.new);
        if self.companion.policy == Policy::Keep || !can_merge {
            return;
        }
        let merged = merge(bytes, &self.new, self.old.as_deref());
        if merged.bytes != *bytes {
            let before = Held { state: *state, version: None };
            let content = Content::of_bytes(&merged.bytes);
            let after = Held { state: FileState { content, stamp: state.stamp }, version: None };
            let (before, after) = (Some(before), Some(after));
            plan.steps.push(Step { path: path.clone(), family, before, after });
        }
        plan.merges.push(Merge { path, merged });
    }
}
