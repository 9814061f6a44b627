//! Opens the home folder for a command: to look, or to alter, which puts interrupted changes back first.

use anyhow::Result;
use upright_spanner_core::change::RecordState;
use upright_spanner_core::{Recovery, Workshop};

use crate::progress::acting;
use crate::remedy;
use crate::render::notice;
use crate::session::Session;
use crate::text::slashes;

/// The number of targets of an interrupted change that are described.
const MOST_TARGETS: usize = 3;

impl Session {
    /// Opens the home folder to look. Says so first when an interrupted change waits.
    pub fn look(&self) -> Result<Workshop> {
        let workshop = self.open()?;
        for number in workshop.interrupted()? {
            self.set_waits(true);
            notice(&format!(
                "change {number} was interrupted. The next command that alters a game puts it back."
            ));
        }
        Ok(workshop)
    }

    /// Opens the home folder to alter; puts interrupted changes back first.
    pub fn alter(&self) -> Result<Workshop> {
        self.alter_to_show(None)
    }

    /// The same, but says nothing of a change that waits still and is shown anyway.
    pub fn alter_to_show(&self, shown: Option<i64>) -> Result<Workshop> {
        let workshop = self.open()?;
        if workshop.interrupted()?.is_empty() {
            return Ok(workshop);
        }
        let recoveries = acting(|| workshop.alter()?.recover(&self.progress()))?;
        for recovery in &recoveries {
            let waits = recovery.state == RecordState::Open;
            if waits && shown == Some(recovery.change.number()) {
                self.set_waits(true);
            } else {
                tell(self, recovery);
            }
        }

        Ok(workshop)
    }

    /// Opens the home folder to alter if files are altered, and to look if not.
    pub fn open_for(&self, dry_run: bool) -> Result<Workshop> {
        if dry_run { self.look() } else { self.alter() }
    }

    fn open(&self) -> Result<Workshop> {
        let workshop = Workshop::open(&self.home()?)?;
        let workshop = if self.offline { workshop.offline() } else { workshop };
        if let Some(error) = workshop.words_fault() {
            notice(&format!(
                "what you said of your games cannot be read, and counts for nothing until that is \
                 mended: {error}. {}",
                remedy::of(&error).unwrap_or_default()
            ));
        }
        Ok(workshop)
    }

    /// Looks again whether a change waits.
    pub fn look_again(&self, workshop: &Workshop) -> Result<()> {
        self.set_waits(!workshop.interrupted()?.is_empty());
        Ok(())
    }
}

/// Says what became of a change that had been interrupted.
fn tell(session: &Session, recovery: &Recovery) {
    let change = &recovery.change;
    let which = format!("change {} ({}, {})", change.number(), change.game(), change.summary());
    match recovery.state {
        RecordState::Open => {
            session.set_waits(true);
            let settle = format!("spanner doctor --settle {}", change.number());
            let root = change.root();
            if !root.is_dir() {
                notice(&format!(
                    "{which} was interrupted and cannot be put back yet: {} is not there. Plug its \
                     drive in; or say where the game is now: spanner game set {} --root FOLDER. If it \
                     is gone for good: {settle}",
                    slashes(root),
                    change.game()
                ));
                return;
            }
            let shown = recovery.left.iter().take(MOST_TARGETS);
            let mut how: Vec<String> =
                shown.map(|target| format!("{}: {}", target.target, target.how)).collect();
            if recovery.left.len() > how.len() {
                how.push(format!("And {} more", recovery.left.len() - how.len()));
            }
            notice(&format!(
                "{which} was interrupted and cannot be put back yet. {}. To accept what is there: \
                 {settle}",
                how.join(". ")
            ));
        }
        RecordState::Done => notice(&format!(
            "{which} had been interrupted when all of it was done: it is noted as done."
        )),
        RecordState::PutBack | RecordState::Settled => notice(&format!(
            "{which} had been interrupted: every file is back as it was before it."
        )),
    }
}
