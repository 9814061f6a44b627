//! Questions, asked on a terminal only.

use std::io::IsTerminal;

use anyhow::Result;
use dialoguer::{Confirm, Input, Password, Select};

use crate::render::clean;
use crate::session::Session;

/// Whether there is someone to ask.
fn can_ask(session: &Session) -> bool {
    let terminal = std::io::stdin().is_terminal() && std::io::stderr().is_terminal();
    terminal && !session.yes && !session.json
}

/// Asks before files are altered. Without a terminal, or with `--yes`, the answer is yes.
pub fn go_on(session: &Session, question: &str) -> Result<bool> {
    if !can_ask(session) {
        return Ok(true);
    }
    Ok(Confirm::new().with_prompt(clean(question)).default(true).interact()?)
}

/// Asks before something is removed: Enter alone keeps it. Without a terminal, or with `--yes`, the answer is yes.
pub fn remove(session: &Session, question: &str) -> Result<bool> {
    if !can_ask(session) {
        return Ok(true);
    }
    Ok(Confirm::new().with_prompt(clean(question)).default(false).interact()?)
}

/// Asks whether a guess is right. With `--yes` it is; without a terminal it is not taken.
pub fn confirm(session: &Session, question: &str) -> Result<bool> {
    if !can_ask(session) {
        return Ok(session.yes);
    }
    Ok(Confirm::new().with_prompt(clean(question)).default(false).interact()?)
}

/// Asks for a passphrase, twice for a new one; `None` without a terminal.
pub fn pass_phrase(session: &Session, question: &str, is_new: bool) -> Result<Option<String>> {
    if !can_ask(session) {
        return Ok(None);
    }
    let ask = Password::new().with_prompt(clean(question));
    let ask = if is_new { ask.with_confirmation("The same again", "They differ.") } else { ask };
    Ok(Some(ask.interact()?))
}

/// Asks for one of several choices; `None` without a terminal.
pub fn choose(session: &Session, question: &str, choices: &[String]) -> Result<Option<usize>> {
    if !can_ask(session) {
        return Ok(None);
    }
    let choices: Vec<_> = choices.iter().map(|choice| clean(choice)).collect();
    Ok(Select::new().with_prompt(clean(question)).items(&choices).default(0).interact_opt()?)
}

/// Asks for an optional text; `None` without a terminal.
pub fn text(session: &Session, question: &str) -> Result<Option<String>> {
    if !can_ask(session) {
        return Ok(None);
    }
    let answer: String =
        Input::new().with_prompt(clean(question)).allow_empty(true).interact_text()?;
    Ok(Some(answer).filter(|answer| !answer.trim().is_empty()))
}
