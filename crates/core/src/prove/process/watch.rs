//! Looks for the processes of a game, again and again.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

use jiff::{SignedDuration, Timestamp};

use super::running::{Running, file_at};
use super::system;

/// A process that is so old has mapped its executable, if it ever will: it need not be looked into again.
const SETTLED: SignedDuration = SignedDuration::from_secs(5);

/// Looks for the processes of a game, again and again.
#[derive(Debug, Default)]
pub(in crate::prove) struct Watch {
    /// Those that were found, also if they have ended.
    found: BTreeMap<u32, Running>,
    /// Processes of other programs.
    others: BTreeSet<u32>,
}

impl Watch {
    /// Looks once more for the processes of the game whose executable is at a path.
    pub fn look(&mut self, executable: &Path) {
        let Some(name) = executable.file_name() else { return };
        let (name, file) = (name.to_string_lossy(), file_at(executable));
        let mut alive = BTreeSet::new();
        for process in system::all() {
            let pid = process.pid;
            if self.others.contains(&pid) {
                continue;
            }
            let Some(now) = process.look_into(executable) else { continue };
            if now.has(&name, file) {
                alive.insert(pid);
                match self.found.get_mut(&pid).filter(|known| known.since == now.since) {
                    Some(known) => known.learn(now),
                    None => drop(self.found.insert(pid, now)),
                }
            } else if now
                .since
                .is_some_and(|since| Timestamp::now().duration_since(since) > SETTLED)
            {
                self.others.insert(pid);
            }
        }
        for (pid, running) in &mut self.found {
            running.has_ended = !alive.contains(pid);
        }
    }

    /// The processes that were found.
    pub fn found(&self) -> impl Iterator<Item = &Running> {
        self.found.values()
    }
}
