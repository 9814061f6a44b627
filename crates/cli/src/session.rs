//! What the options for every command amount to.

use std::io::IsTerminal;
use std::path::PathBuf;

use anyhow::{Context, Result};
use directories::ProjectDirs;
use upright_spanner_core::{Recovery, Workshop};

use crate::args::{Color, Global};
use crate::progress::Bars;
use crate::render;

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
        }
    }

    /// Opens the home folder to look. Says so when an interrupted change waits.
    pub fn look(&self) -> Result<Workshop> {
        let workshop = Workshop::open(&self.home()?)?;
        for number in workshop.interrupted()? {
            render::notice(&format!(
                "change {number} was interrupted. The next command that alters a game puts it back."
            ));
        }
        Ok(workshop)
    }

    /// Opens the home folder to alter; puts an interrupted change back first.
    pub fn alter(&self) -> Result<Workshop> {
        let mut workshop = Workshop::open(&self.home()?)?;
        for Recovery { change, outcome } in workshop.recover()? {
            let which = format!("change {} ({}, {})", change.number, change.game, change.summary);
            render::notice(&match outcome {
                Ok(()) => {
                    format!("{which} had been interrupted: every file is back as it was before it.")
                }
                Err(error) => format!(
                    "{which} was interrupted and cannot be put back yet: {error}. {}",
                    error.advice().unwrap_or_default()
                ),
            });
        }
        Ok(workshop)
    }

    /// How long work shows itself.
    pub fn progress(&self) -> Bars {
        Bars::new(self.quiet || self.json || !std::io::stderr().is_terminal())
    }

    fn home(&self) -> Result<PathBuf> {
        let chosen = match &self.home {
            Some(home) => home.clone(),
            None => ProjectDirs::from("", "", "Upright Spanner")
                .context("no home folder is known on this system: name one with --home DIR")?
                .data_dir()
                .to_owned(),
        };
        std::path::absolute(&chosen).with_context(|| format!("{} is no folder", chosen.display()))
    }
}

/// The width to lay messages out for: the terminal's, or none where they go elsewhere.
pub fn message_width() -> usize {
    let size = terminal_size::terminal_size_of(std::io::stderr());
    size.filter(|_| std::io::stderr().is_terminal()).map_or(usize::MAX, |(width, _)| width.0.into())
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
