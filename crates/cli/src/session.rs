//! The combined effect of the global options.

use std::cell::Cell;
use std::io::IsTerminal;
use std::path::PathBuf;

use anyhow::{Context, Result};
use directories::ProjectDirs;

use crate::args::{Color, Global};
use crate::progress::Bars;
use crate::text::slashes;

/// The options for every command, resolved.
#[derive(Debug)]
pub struct Session {
    home: Option<PathBuf>,
    pub json: bool,
    pub quiet: bool,
    pub verbose: bool,
    pub yes: bool,
    /// Whether no network is used.
    pub offline: bool,
    /// Whether paths are printed in full, with the drive: for pipes, and on request.
    pub full_paths: bool,
    /// The width of the output in columns.
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
            offline: global.offline,
            full_paths: global.verbose || !std::io::stdout().is_terminal(),
            width: width(),
            waits: Cell::new(false),
        }
    }

    /// Whether a change that was interrupted waits still.
    pub fn waits(&self) -> bool {
        self.waits.get()
    }

    /// Notes whether a change that was interrupted waits still.
    pub fn set_waits(&self, waits: bool) {
        self.waits.set(waits);
    }

    /// How long work shows itself.
    pub fn progress(&self) -> Bars {
        Bars::new(self.hides_progress())
    }

    /// Whether no one would see how long something takes.
    pub fn hides_progress(&self) -> bool {
        self.quiet || self.json || !std::io::stderr().is_terminal()
    }

    /// The home folder.
    pub fn home(&self) -> Result<PathBuf> {
        let chosen = match &self.home {
            Some(home) => home.clone(),
            None => usual_home()?,
        };
        std::path::absolute(&chosen)
            .with_context(|| format!("{} is not a folder", slashes(&chosen)))
    }
}

/// The home folder if none is named: on Windows the local folder, which is not copied over networks.
fn usual_home() -> Result<PathBuf> {
    let folders = ProjectDirs::from("", "", "Upright Spanner")
        .context("this system has no usual home folder: name one with --home DIR")?;
    Ok(folders.data_local_dir().to_owned())
}

/// Wider than any line: where output goes to another program, no path is cut and no sentence is wrapped.
const UNLIMITED: usize = 10_000;

/// The terminal's width; `COLUMNS`, or no limit, if the output goes elsewhere.
fn width() -> usize {
    let terminal = || {
        let size = terminal_size::terminal_size().filter(|_| std::io::stdout().is_terminal());
        size.map(|(width, _)| usize::from(width.0))
    };
    let columns = || std::env::var("COLUMNS").ok()?.parse().ok();
    let limited = terminal().or_else(columns).map(|width| width.clamp(60, 200));
    limited.unwrap_or(UNLIMITED)
}
