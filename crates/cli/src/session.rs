//! What the options for every command amount to.

use std::cell::Cell;
use std::io::IsTerminal;
use std::path::{Path, PathBuf};

use anyhow::{Context, Result};
use directories::ProjectDirs;
use upright_spanner_core::change::RecordState;
use upright_spanner_core::{Recovery, Workshop};

use crate::args::{Color, Global};
use crate::progress::{Bars, acting};
use crate::render::{message::notice, remedy};

/// How many targets of a change that waits are described: enough to see what is wrong.
const MOST_TARGETS: usize = 3;

/// The options for every command, resolved.
#[derive(Debug)]
pub struct Session {
    home: Option<PathBuf>,
    pub json: bool,
    pub quiet: bool,
    pub verbose: bool,
    pub yes: bool,
    /// Columns to lay output out for.
    pub width: usize,
    /// Whether a change that was interrupted waits still.
    waits: Cell<bool>,
}

impl Session {
    pub fn new(global: &Global) -> Self {
        match global.color {
            Color::Auto => anstream::ColorChoice::Auto,
            Color::Always => anstream::ColorChoice::Always,
            Color::Never => anstream::ColorChoice::Never,
        }
        .write_global();
        Self {
            home: global.home.clone(),
            json: global.json,
            quiet: global.quiet,
            verbose: global.verbose,
            yes: global.yes,
            width: width(),
            waits: Cell::new(false),
        }
    }

    /// Opens the home folder to look. Says so first when an interrupted change waits.
    pub fn look(&self) -> Result<Workshop> {
        let workshop = self.open()?;
        for number in workshop.interrupted()? {
            self.waits.set(true);
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
                self.waits.set(true);
            } else {
                self.tell(recovery);
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
        if let Some(error) = workshop.words_fault() {
            notice(&format!(
                "what you said of your games cannot be read, and counts for nothing until that is \
                 mended: {error}. {}",
                remedy::of(&error).unwrap_or_default()
            ));
        }
        Ok(workshop)
    }

    /// Says what became of a change that had been interrupted.
    fn tell(&self, recovery: &Recovery) {
        let change = &recovery.change;
        let which = format!("change {} ({}, {})", change.number(), change.game(), change.summary());
        match recovery.state {
            RecordState::Open => {
                self.waits.set(true);
                let settle = format!("spanner doctor --settle {}", change.number());
                let root = change.root();
                if !root.is_dir() {
                    notice(&format!(
                        "{which} was interrupted and cannot be put back yet: {} is not there. Plug its \
                         drive in; or say where the game is now: spanner game set {} --root FOLDER. If it \
                         is gone for good: {settle}",
                        root.display(),
                        change.game()
                    ));
                    return;
                }
                let shown = recovery.left.iter().take(MOST_TARGETS);
                let mut how: Vec<String> = shown
                    .map(|target| format!("{}: {}", target.path.display(), target.how))
                    .collect();
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

    /// Whether a change that was interrupted waits still.
    pub fn waits(&self) -> bool {
        self.waits.get()
    }

    /// Looks again whether a change waits.
    pub fn look_again(&self, workshop: &Workshop) -> Result<()> {
        self.waits.set(!workshop.interrupted()?.is_empty());
        Ok(())
    }

    /// How long work shows itself.
    pub fn progress(&self) -> Bars {
        Bars::new(self.quiet || self.json || !std::io::stderr().is_terminal())
    }

    fn home(&self) -> Result<PathBuf> {
        let chosen = match &self.home {
            Some(home) => home.clone(),
            None => usual_home()?,
        };
        std::path::absolute(&chosen).with_context(|| format!("{} is no folder", chosen.display()))
    }
}

/// The home where none is named: of this machine alone. An earlier one in the folder that Windows copies
/// over networks is found and used on.
fn usual_home() -> Result<PathBuf> {
    let folders = ProjectDirs::from("", "", "Upright Spanner")
        .context("no home folder is known on this system: name one with --home DIR")?;
    // The index may have been deleted; homes of earlier versions have nothing but it.
    let is_home =
        |folder: &Path| folder.join("journal").is_dir() || folder.join("spanner.db").is_file();
    let (local, roaming) = (folders.data_local_dir(), folders.data_dir());
    let chosen = if is_home(roaming) && !is_home(local) { roaming } else { local };
    Ok(chosen.to_owned())
}

/// The terminal's width; `COLUMNS`, or 100, where the output goes elsewhere.
fn width() -> usize {
    let terminal = || {
        let size = terminal_size::terminal_size().filter(|_| std::io::stdout().is_terminal());
        size.map(|(width, _)| usize::from(width.0))
    };
    let columns = || std::env::var("COLUMNS").ok()?.parse().ok();
    terminal().or_else(columns).unwrap_or(100).clamp(60, 200)
}
