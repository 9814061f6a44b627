//! How a game is started, the problems before the start, and the wait for a proof.

use std::io::Write;

use anyhow::Result;
use indicatif::ProgressBar;
use owo_colors::OwoColorize;
use upright_spanner_core::BeforeStart;
use upright_spanner_core::game::command_line::typed;
use upright_spanner_core::image::Rights;
use upright_spanner_core::plan::DriftState;
use upright_spanner_core::prove::Proof;
use upright_spanner_core::start::{Chosen, Start};

use super::check::together;
use super::{clean, hint, quoted, slashes, wrapped};
use crate::progress;
use crate::session::Session;

/// How a game is started, and why, in one sentence.
pub fn in_words(start: &Start) -> String {
    let why = match &start.chosen {
        Chosen::Once => "as you said".to_owned(),
        Chosen::Setting => "as you set it".to_owned(),
        Chosen::Starter { family } => format!("the starter of {family}"),
        Chosen::Launcher { name } => format!("through {name}"),
        Chosen::Executable => "the executable".to_owned(),
    };
    format!("{}, {why}", start.what())
}

/// Prints how a game is started, and the problems before.
pub fn print(start: &Start, before: &BeforeStart, session: &Session) -> Result<()> {
    let mut out = anstream::stdout();
    let game = quoted(&start.game);
    if !before.running.is_empty() {
        let pids: Vec<String> = before.running.iter().map(ToString::to_string).collect();
        let text = format!("The game runs already, process {}.", pids.join(", "));
        let word = format!("  {} ", "warn:".yellow().bold());
        write!(out, "{}", wrapped(&text, &word, 8, session.width))?;
    }
    for drifted in &before.drifted {
        let sentence = match drifted.state {
            DriftState::Missing => format!("{} is missing", drifted.target),
            state => format!("{} is {}", drifted.target, state.name()),
        };
        let family =
            drifted.owner.family().map_or_else(String::new, |id| format!(" {}", quoted(id)));
        let text = format!("{sentence}. To restore it: spanner refit {game}{family}");
        let word = format!("  {} ", "warn:".yellow().bold());
        write!(out, "{}", wrapped(&text, &word, 8, session.width))?;
    }
    let findings: Vec<_> = before.findings.iter().collect();
    for (finding, more) in together(&findings, session.verbose) {
        let more = if more == 0 { String::new() } else { format!(" And {more} more of the kind.") };
        let text = format!("{}{more} [{}]", finding.sentence, finding.code);
        let word = format!("  {} ", "warn:".yellow().bold());
        write!(out, "{}", wrapped(&text, &word, 8, session.width))?;
    }
    if !findings.is_empty() {
        let text = format!("For the next steps: spanner check {game}");
        write!(out, "{}", wrapped(&text, "        ", 8, session.width))?;
    }
    let rights = match start.rights {
        Rights::Administrator => "It asks for an administrator's rights.",
        Rights::Highest => "It asks for the most rights that you can have.",
        Rights::Starter => "",
    };
    writeln!(out, "Start {}.", clean(&in_words(start)))?;
    let mut line = |name: &str, value: &str| {
        writeln!(out, "  {} {}", format!("{name:<12}").dimmed(), clean(value))
    };
    line("folder", &slashes(&start.folder))?;
    if !start.arguments.is_empty() {
        line("arguments", &typed(&start.arguments))?;
    }
    if !start.run_with.is_empty() {
        line("run with", &typed(&start.run_with))?;
    }
    for (name, value) in &start.environment {
        line("environment", &format!("{name}={value}"))?;
    }
    if !rights.is_empty() {
        line("rights", rights)?;
    }
    Ok(())
}

/// Prints what keeps the start and the proof apart.
pub fn print_gap() -> Result<()> {
    writeln!(anstream::stdout())?;
    Ok(())
}

/// Prints the end of a started program.
pub fn print_end(code: Option<i32>, session: &Session) -> Result<()> {
    match code {
        Some(0) => hint(session, "It has ended."),
        Some(code) => hint(session, &format!("It has ended with code {code}.")),
        None => hint(session, "It was ended from outside, or its exit code is unknown."),
    }
}

/// The wait for proofs, as it shows on a terminal.
pub struct Waiting {
    spinner: ProgressBar,
    within: u64,
}

impl Waiting {
    pub fn new(within: u64, session: &Session) -> Self {
        let spinner = progress::waiting(session.hides_progress());
        spinner.set_message(format!("Waiting for the game, up to {within} s"));
        Self { spinner, within }
    }

    /// Shows how far it is.
    pub fn show(&self, proof: &Proof) {
        let good = proof.components.iter().filter(|proof| proof.outcome.is_good()).count();
        let all = proof.components.len();
        self.spinner.set_message(format!("{good} of {all} seen, waiting up to {} s", self.within));
    }

    pub fn end(self) {
        self.spinner.finish_and_clear();
    }
}
