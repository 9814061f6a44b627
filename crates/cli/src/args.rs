//! The command line: commands, options and their help.

use std::path::PathBuf;

use clap::{Parser, Subcommand, ValueEnum};

/// Look after the drop-in runtime components of your PC games: see what is there, check it, swap
/// it, and put every file back as it was.
#[derive(Debug, Parser)]
#[command(name = "spanner", version, max_term_width = 100)]
pub struct Args {
    #[command(flatten)]
    pub global: Global,
    #[command(subcommand)]
    pub command: Command,
}

/// Options that every command takes.
#[derive(Debug, clap::Args)]
#[command(next_help_heading = "Options for every command")]
pub struct Global {
    /// Folder for the rack, the history and the kept originals.
    #[arg(long, global = true, value_name = "DIR", env = "SPANNER_HOME", hide_env_values = true)]
    pub home: Option<PathBuf>,
    /// Print the result as JSON.
    #[arg(long, global = true)]
    pub json: bool,
    /// When to use colour.
    #[arg(long, global = true, value_name = "WHEN", value_enum, default_value_t = Color::Auto)]
    pub color: Color,
    /// Print no progress and no hints.
    #[arg(short, long, global = true)]
    pub quiet: bool,
    /// Print more.
    #[arg(short, long, global = true)]
    pub verbose: bool,
    /// Answer yes to every question.
    #[arg(long, global = true)]
    pub yes: bool,
}

/// When to use colour.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum Color {
    /// On a terminal, unless `NO_COLOR` is set.
    Auto,
    /// Always.
    Always,
    /// Never.
    Never,
}

/// The commands, in the order in which people need them.
#[derive(Debug, Subcommand)]
pub enum Command {
    /// Show the games under some folders and the components in each.
    Survey(Survey),
    /// Show what library and program files say of themselves.
    Inspect(Inspect),
    /// Keep builds to fit: your own collection.
    #[command(subcommand)]
    Rack(Rack),
    /// Put a build into a game, keeping what was there.
    Fit(Fit),
    /// Put back what the game came with.
    Rollback(Rollback),
    /// Show what was changed, and when.
    History(History),
    /// Make a folder of invented games and show on it what the tool does.
    Demo(Demo),
}

/// Show the games under some folders and the components in each.
#[derive(Debug, clap::Args)]
pub struct Survey {
    /// Folders to look in, or ids of games seen before. Without any: every game seen before.
    #[arg(value_name = "GAME or PATH")]
    pub places: Vec<String>,
    /// Say for each component why it is taken for one.
    #[arg(long)]
    pub why: bool,
    /// List every library, the game's own ones too.
    #[arg(long)]
    pub all: bool,
}

/// Show what library and program files say of themselves.
#[derive(Debug, clap::Args)]
pub struct Inspect {
    /// The files.
    #[arg(required = true, value_name = "FILE")]
    pub files: Vec<PathBuf>,
    /// Check the signers' certificates against the root certificates in this PEM file.
    #[arg(long, value_name = "FILE.pem")]
    pub trust: Option<PathBuf>,
}

/// Keep builds to fit: your own collection.
#[derive(Debug, Subcommand)]
pub enum Rack {
    /// Put libraries, or zips that hold one, on the rack.
    Add {
        /// The libraries or zips.
        #[arg(required = true, value_name = "FILE")]
        files: Vec<PathBuf>,
    },
    /// List the builds on the rack.
    List {
        /// Only builds of this family.
        family: Option<String>,
    },
}

/// Put a build into a game, keeping what was there.
#[derive(Debug, clap::Args)]
pub struct Fit {
    /// The game: its folder, or its id as `survey` shows it.
    pub game: String,
    /// The build as `rack list` shows it (`family@version`), or a library or zip file.
    #[arg(value_name = "BUILD or FILE")]
    pub build: String,
    /// Show what would be done, and do nothing.
    #[arg(long)]
    pub dry_run: bool,
}

/// Put back what the game came with.
#[derive(Debug, clap::Args)]
pub struct Rollback {
    /// The game: its folder, or its id as `survey` shows it.
    pub game: String,
    /// Only this family.
    pub family: Option<String>,
    /// Show what would be done, and do nothing.
    #[arg(long)]
    pub dry_run: bool,
}

/// Show what was changed, and when.
#[derive(Debug, clap::Args)]
pub struct History {
    /// Only this game: its folder or its id.
    pub game: Option<String>,
}

/// Make a folder of invented games and show on it what the tool does.
#[derive(Debug, clap::Args)]
pub struct Demo {
    /// The folder to make.
    #[arg(default_value = "spanner-demo", value_name = "DIR")]
    pub folder: PathBuf,
}
