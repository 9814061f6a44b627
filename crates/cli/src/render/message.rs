//! Messages beside the result, on standard error.

use std::io::IsTerminal;

use owo_colors::OwoColorize;
use upright_spanner_core::survey::LookError;
use upright_spanner_core::{Error, in_words};

use crate::remedy;
use crate::text;

/// Prints what went wrong, and what to do about it.
pub fn error(error: &anyhow::Error) {
    let reasons: Vec<String> = error
        .chain()
        .map(|cause| cause.downcast_ref().map_or_else(|| cause.to_string(), in_words))
        .collect();
    // A core error's sentence contains its cause already.
    let known = error.downcast_ref::<Error>();
    let said = if known.is_some() { reasons[0].clone() } else { reasons.join(": ") };
    let width = message_width();
    let word = format!("{} ", "error:".red().bold());
    anstream::eprint!("{}", text::wrapped(&said, &word, 7, width));
    if let Some(advice) = known.and_then(remedy::of) {
        anstream::eprint!("{}", text::wrapped(&advice, "       ", 7, width));
    }
}

/// Prints something that the user should know, beside the result.
pub fn notice(said: &str) {
    let word = format!("{} ", "note:".yellow().bold());
    anstream::eprint!("{}", text::wrapped(said, &word, 6, message_width()));
}

/// Prints what could not be looked at.
pub fn look_errors(errors: &[LookError]) {
    for error in errors {
        let place = text::slashes(&error.path);
        anstream::eprintln!(
            "{} {}: {}",
            "error:".red().bold(),
            text::clean(&place),
            text::clean(&error.message)
        );
    }
}

/// The width for messages: the terminal's, or unlimited if they go elsewhere.
fn message_width() -> usize {
    let size = terminal_size::terminal_size_of(std::io::stderr());
    size.filter(|_| std::io::stderr().is_terminal()).map_or(usize::MAX, |(width, _)| width.0.into())
}
