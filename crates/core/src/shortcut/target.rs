//! The target of a shortcut.

use std::path::PathBuf;

use crate::error::Result;
use crate::start::{Run, Start};

/// The target of a shortcut: a program or an address.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct ShortcutTarget {
    /// The program with its arguments, or an address alone.
    pub words: Vec<String>,
    /// Whether it is an address.
    pub is_address: bool,
    /// The folder that it is run in.
    pub folder: PathBuf,
    /// Variables of its environment.
    pub environment: Vec<(String, String)>,
}

impl ShortcutTarget {
    /// What starts a game as it is started otherwise.
    ///
    /// # Errors
    /// If it cannot be started.
    pub fn of(start: &Start) -> Result<Self> {
        let folder = start.folder.clone();
        let environment = start.environment.clone().into_iter().collect();
        Ok(match (&start.run, start.command()?) {
            (_, Some(words)) => Self { words, is_address: false, folder, environment },
            (run, None) => {
                let words = match run {
                    Run::Address(address) => vec![address.clone()],
                    _ => Vec::new(),
                };
                Self { words, is_address: true, folder, environment: Vec::new() }
            }
        })
    }

    /// What starts it through another command.
    pub fn through(command: Vec<String>, folder: PathBuf) -> Self {
        Self { words: command, is_address: false, folder, environment: Vec::new() }
    }
}
