//! The state of the machine, as far as it matters for a change: files in use, read-only files, and free space. A plan
//! is cleared with it, and only a cleared plan can be applied.

use std::collections::HashSet;
use std::path::{Path, PathBuf};

use super::Workshop;
use super::in_use::{in_use_by_others, prefix_of, used_by};
use crate::check::{self, Conditions, Finding, InUse};
use crate::plan::{Ledger, Place, Plan};
use upright_spanner_change::{Step, Target, fault};

/// A plan that nothing stops: its findings were looked at, the state of the machine is among them, and
/// what stops it was overridden by name.
#[derive(Debug)]
#[must_use]
pub struct Cleared {
    plan: Plan,
}

impl Cleared {
    /// The plan.
    pub fn plan(&self) -> &Plan {
        &self.plan
    }

    pub(super) fn into_plan(self) -> Plan {
        self.plan
    }
}

impl Workshop {
    /// Looks at the state of the machine and clears a plan of its stops, as far as they are overridden
    /// by their codes.
    ///
    /// # Errors
    /// The plan itself with all findings, if something stops it.
    pub fn clear(&self, mut plan: Plan, despite: &[String]) -> Result<Cleared, Box<Plan>> {
        self.add_conditions(&mut plan);
        plan.override_stops(despite);
        if plan.stops().is_empty() { Ok(Cleared { plan }) } else { Err(Box::new(plan)) }
    }

    /// Adds the findings about the state of the machine to a plan.
    pub(super) fn add_conditions(&self, plan: &mut Plan) {
        if plan.steps.is_empty() && plan.in_use.is_empty() {
            return;
        }
        plan.findings.retain(|finding| !check::is_condition(&finding.code));
        if plan.root.is_none() {
            plan.root = upright_spanner_change::Folder::open(&plan.game.root)
                .and_then(|folder| folder.identity())
                .ok();
        }

        let runs = prefix_in_use(plan).is_some();
        plan.run_with = plan.game.settings.run_with.clone().filter(|_| runs);
        let conditions = self.conditions(plan);
        plan.findings.extend(conditions);
        plan.findings.sort_by_key(|finding| std::cmp::Reverse(finding.severity));
    }

    /// The findings about the state of the machine for a plan.
    fn conditions(&self, plan: &Plan) -> Vec<Finding> {
        let root = &plan.game.root;
        let is_there = |step: &&Step| step.file().is_none() || !step.before().state.is_absent();
        let altered = plan.steps.iter().filter(|step| !step.target().is_folder()).filter(is_there);
        let mut files: Vec<PathBuf> =
            altered.filter_map(|step| Some(step.place()?.on(root))).collect();
        files.sort();
        files.dedup();
        files.extend(plan.executable.as_ref().map(|mark| mark.path.on(root)));
        files.extend(plan.in_use.iter().cloned());

        let mut in_use = in_use_by_others(&files, root);
        let unseen =
            plan.in_use.iter().filter(|path| in_use.iter().all(|seen| seen.path != **path));
        in_use
            .extend(unseen.map(|path| InUse { path: path.clone(), by: None }).collect::<Vec<_>>());

        let prefix = prefix_in_use(plan);
        let conditions = Conditions {
            game: plan.game.id.clone(),
            prefix: prefix.filter(|_| plan.run_with.is_none()),
            in_use,
            read_only: self.locked_by_others(plan),
            closed: closed(plan),
            short: self.short_of_room(plan),
            volumes: self.other_volume(plan),
            kept: self.kept(plan),
        };
        check::check_conditions(&conditions)
    }

    /// The files of a plan that are marked read-only, and not by a change.
    fn locked_by_others(&self, plan: &Plan) -> Vec<Place> {
        let root = &plan.game.root;
        let is_locked = |step: &&Step| match step.target() {
            Target::File(_) => step.before().state.file().is_some_and(|file| file.stamp.read_only),
            Target::Setting(key) => {
                let found = key.place.on(root).symlink_metadata();
                found.is_ok_and(|found| found.permissions().readonly())
            }
            _ => false,
        };
        let locked: Vec<&Place> =
            plan.steps.iter().filter(is_locked).filter_map(Step::place).collect();
        if locked.is_empty() {
            return Vec::new();
        }
        let history = self.history().unwrap_or_default();
        let ledger = Ledger::of(root, history.around(root));
        let is_ours = |place: &&&Place| {
            let mark = ledger.at(&Target::ReadOnly((**place).clone()));
            mark.is_some_and(|entry| entry.last.state.is_marked())
        };
        let mut others: Vec<Place> =
            locked.iter().filter(|place| !is_ours(place)).map(|place| (*place).clone()).collect();
        others.dedup();
        others
    }

    /// The bytes that a plan replaces and that are not in the store yet.
    fn kept(&self, plan: &Plan) -> u64 {
        let mut seen = HashSet::new();
        let contents = plan.files().filter_map(|step| step.before().state.content());
        let new = contents.filter(|content| seen.insert(*content) && !self.store.has(content));
        new.map(|content| content.size).sum()
    }

    /// The volumes with less space than the change needs: a folder on each, with the needed and the free bytes.
    /// Shared blocks need none.
    fn short_of_room(&self, plan: &Plan) -> Vec<(PathBuf, u64, u64)> {
        let one_volume = same_volume(&plan.game.root, &self.home);
        let shares = one_volume && self.store.shares_blocks();
        let staged: u64 =
            plan.files().filter_map(|s| s.after().state.content()).map(|c| c.size).sum();
        let (kept, staged) = if shares { (0, 0) } else { (self.kept(plan), staged) };
        let (root, home) = (plan.game.root.clone(), self.home.clone());
        let needs = if one_volume {
            vec![(root, plan.supplied + kept + staged)]
        } else {
            vec![(root, staged), (home, plan.supplied + kept)]
        };
        let short = needs.into_iter().filter_map(|(folder, wanted)| {
            let free = fault::room(fs4::available_space(&folder).ok()?);
            (free < wanted).then_some((folder, wanted, free))
        });
        short.collect()
    }

    /// Game and home, if they are on different volumes and this is the first change of the game.
    fn other_volume(&self, plan: &Plan) -> Option<(PathBuf, PathBuf)> {
        if same_volume(&plan.game.root, &self.home) {
            return None;
        }
        let root = &plan.game.root;
        let first = self.history().is_ok_and(|history| history.around(root).is_empty());
        first.then(|| (plan.game.root.clone(), self.home.clone()))
    }
}

/// The prefix whose registry a plan alters, if programs of it run.
fn prefix_in_use(plan: &Plan) -> Option<InUse> {
    let prefix = plan.steps.iter().find_map(|step| match step.target() {
        Target::Value(value) => prefix_of(&value.registry, &plan.game.root),
        _ => None,
    })?;
    let by = used_by(&prefix)?;
    Some(InUse { path: prefix, by: Some(by) })
}

/// The folders of a plan that take no new files from this user.
fn closed(plan: &Plan) -> Vec<PathBuf> {
    let root = &plan.game.root;
    let around = |step: &Step| {
        let place = step.place()?;
        let folders = place.folders();
        let there = folders.iter().map(|folder| folder.on(root)).find(|folder| folder.is_dir());
        Some(there.unwrap_or_else(|| place.base(root).to_owned()))
    };
    let mut folders: Vec<PathBuf> = plan.steps.iter().filter_map(around).collect();
    folders.sort();
    folders.dedup();
    folders.retain(|folder| is_closed(folder));
    folders
}

#[cfg(unix)]
fn is_closed(folder: &Path) -> bool {
    use rustix::fs::{Access, access};
    use rustix::io::Errno;
    matches!(access(folder, Access::WRITE_OK), Err(Errno::ACCESS | Errno::ROFS | Errno::PERM))
}

/// Windows says it when the folder is opened so that files could be added.
#[cfg(windows)]
fn is_closed(folder: &Path) -> bool {
    use std::os::windows::fs::OpenOptionsExt;
    const ADD_FILE: u32 = 0x0002;
    const SHARED: u32 = 0x1 | 0x2 | 0x4;
    const OF_FOLDERS: u32 = 0x0200_0000;
    let mut options = std::fs::OpenOptions::new();
    let options = options.access_mode(ADD_FILE).share_mode(SHARED).custom_flags(OF_FOLDERS);
    options.open(folder).is_err_and(|error| error.kind() == std::io::ErrorKind::PermissionDenied)
}

#[cfg(not(any(unix, windows)))]
fn is_closed(_: &Path) -> bool {
    false
}

/// Whether two folders are on one volume, wherever it is mounted.
pub(super) fn same_volume(a: &Path, b: &Path) -> bool {
    use file_id::FileId;
    let volume = |path: &Path| match file_id::get_file_id(path).ok()? {
        FileId::Inode { device_id, .. } => Some(device_id),
        FileId::LowRes { volume_serial_number, .. } => Some(volume_serial_number.into()),
        FileId::HighRes { volume_serial_number, .. } => Some(volume_serial_number),
    };
    volume(a).is_some_and(|own| volume(b) == Some(own))
}
