//! Questions, asked on a terminal only.

use std::io::IsTerminal;

use anyhow::Result;
use dialoguer::Confirm;

use crate::session::Session;

/// Asks before files are altered. Without a terminal, or with `--yes`, the answer is yes: the
/// command was meant.
pub fn go_on(session: &Session, question: &str) -> Result<bool> {
    let terminal = std::io::stdin().is_terminal() && std::io::stderr().is_terminal();
    if session.yes || session.json || !terminal {
        return Ok(true);
    }
    Ok(Confirm::new().with_prompt(question).default(true).interact()?)
}
