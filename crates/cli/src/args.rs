//! The command line: commands, options and their help.

use std::path::PathBuf;

use clap::builder::{OsStringValueParser, TypedValueParser};
use clap::{Parser, Subcommand, ValueEnum};
use jiff::SignedDuration;
use upright_spanner_core::catalog::Role;
use upright_spanner_core::check::explain;
use upright_spanner_core::requirement::Requirement;
use upright_spanner_core::version::Version;

/// Manage the drop-in runtime components of your PC games: see them, check them, swap them, and restore every file.
#[derive(Debug, Parser)]
#[command(name = "spanner", version, max_term_width = 100)]
pub struct Args {
    #[command(flatten)]
    pub global: Global,
    #[command(subcommand)]
    pub command: Option<Command>,
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
    /// Use no network; feeds in folders are read all the same.
    #[arg(long, global = true, env = "SPANNER_OFFLINE", hide_env_values = true, value_parser = clap::builder::BoolishValueParser::new(), action = clap::ArgAction::SetTrue)]
    pub offline: bool,
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
    /// Show the facts of library and program files.
    Inspect(Inspect),
    /// Show what differs between two library files.
    Compare(Compare),
    /// Manage library roots: folders whose sub-folders are games.
    #[command(subcommand)]
    Root(Root),
    /// Manage games: tell spanner about facts that it cannot detect, and show its records.
    #[command(subcommand)]
    Game(Game),
    /// Manage the catalog: families of components.
    #[command(subcommand)]
    Family(Family),
    /// Manage the rack: your own collection of builds.
    #[command(subcommand)]
    Rack(Rack),
    /// Manage feeds: published lists of builds with their supported versions.
    #[command(subcommand)]
    Feed(Feed),
    /// Check whether a game will start with its components, or with a build.
    Check(Check),
    /// Explain a finding and the next step.
    Explain(Explain),
    /// Fit a build into a game, and store the files it replaces.
    Fit(Fit),
    /// Show the settings of a game's components, and set them.
    Tune(Tune),
    /// Restore the files the game shipped with.
    Rollback(Rollback),
    /// Undo a change: the last one, or one by its number.
    Undo(Undo),
    /// Show differences from the last recorded state, and whether the game was updated.
    Drift(Drift),
    /// Put fitted builds back that something else has overwritten.
    Refit(Refit),
    /// Put another release of a game onto its folder, as to wind it back.
    Wind(Wind),
    /// Keep a launcher from updating a game, or let it again.
    Hold(Hold),
    /// Take swaps made by hand under management, renamed originals included.
    Adopt(Adopt),
    /// Take a component out for now.
    Park(Park),
    /// Put a parked component back as it was.
    Unpark(Park),
    /// Start a game with the right program.
    Start(Start),
    /// Show whether a game runs with its fitted components, and the version each reports.
    Prove(Prove),
    /// Put a shortcut to a game on the desktop, or into a folder.
    Shortcut(Shortcut),
    /// Keep a family of a game at a version.
    Pin(Pin),
    /// Remove a pin.
    Unpin(Unpin),
    /// List changes.
    History(History),
    /// Check the home folder, repair it if possible, and report the rest.
    Doctor(Doctor),
    /// Create a folder of invented games and run the main commands on them.
    Demo(Demo),
    /// Print the script by which your shell completes commands and options.
    Completions(Completions),
    /// Write the manual, one page a command, into a folder.
    #[command(hide = true)]
    Man {
        /// The folder.
        folder: PathBuf,
    },
    /// Write a JSON Schema of each document that `--json` prints into a folder.
    #[command(hide = true)]
    Schema {
        /// The folder.
        folder: PathBuf,
    },
}

/// Print the script by which your shell completes commands and options.
#[derive(Debug, clap::Args)]
pub struct Completions {
    /// The shell.
    pub shell: clap_complete::Shell,
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
    /// Only families, or groups of families, that match this pattern.
    #[arg(long, value_name = "PATTERN")]
    pub family: Option<String>,
    /// Only components with this role.
    #[arg(long, value_parser = role)]
    pub role: Option<Role>,
    /// Only games whose id or title matches this pattern.
    #[arg(long, value_name = "PATTERN")]
    pub game: Option<String>,
    /// Every file whose name matches this pattern, in games or not: a component, a library or anything else.
    #[arg(long, value_name = "PATTERN")]
    pub name: Option<String>,
    /// Look over every drive, the system's own folders left out, and say which of them hold games.
    #[arg(long, conflicts_with = "places")]
    pub everywhere: bool,
    /// Only components of which the rack or a feed has a newer build.
    #[arg(long)]
    pub outdated: bool,
}

/// Show what differs between two library files.
#[derive(Debug, clap::Args)]
pub struct Compare {
    /// The file as it was.
    pub old: PathBuf,
    /// The file as it is now, or would be.
    pub new: PathBuf,
    /// Check the signers' certificates against the root certificates in this PEM file.
    #[arg(long, value_name = "FILE.pem")]
    pub trust: Option<PathBuf>,
}

/// Manage library roots: folders whose sub-folders are games.
#[derive(Debug, Subcommand)]
pub enum Root {
    /// Remember folders of which each sub-folder with a program is a game.
    Add {
        /// The folders.
        #[arg(required_unless_present = "launcher", value_name = "DIR")]
        folders: Vec<PathBuf>,
        /// Those that this launcher has written down, as its description says.
        #[arg(long, value_name = "NAME")]
        launcher: Option<String>,
    },
    /// List the library roots.
    List,
    /// Forget a library root. Nothing in it is touched.
    Forget {
        /// The folder.
        #[arg(value_name = "DIR")]
        folder: PathBuf,
    },
}

/// Manage games: tell spanner about facts that it cannot detect, and show its records.
#[derive(Debug, Subcommand)]
pub enum Game {
    /// Remember a folder as a game.
    Add {
        /// The game's folder.
        #[arg(value_name = "DIR")]
        folder: PathBuf,
        #[command(flatten)]
        edit: GameEdit,
    },
    /// Change the settings of a game.
    Set {
        /// The game: its folder, or its id as `survey` shows it.
        game: String,
        #[command(flatten)]
        edit: GameEdit,
    },
    /// List the games that were named or seen.
    List,
    /// Show a game's settings and detected facts, and why its executable was chosen.
    Show {
        /// The game: its folder, or its id as `survey` shows it.
        game: String,
    },
    /// Forget a game. Its files, its history and the kept originals stay.
    Forget {
        /// The game: its folder, or its id as `survey` shows it.
        game: String,
    },
}

/// The settings of a game. An empty text removes a setting.
#[derive(Debug, clap::Args)]
pub struct GameEdit {
    /// What to call it.
    #[arg(long)]
    pub title: Option<String>,
    /// The new folder, if it was moved: its history moves with it.
    #[arg(long, value_name = "DIR")]
    pub root: Option<PathBuf>,
    /// The executable that counts, relative to the game's folder.
    #[arg(long, value_name = "PATH")]
    pub executable: Option<String>,
    /// The store edition.
    #[arg(long)]
    pub edition: Option<String>,
    /// Whether it is played online.
    #[arg(long, value_name = "yes|no", value_parser = yes_or_no)]
    pub online: Option<bool>,
    /// A further folder that files go to, by name. Can be given several times.
    #[arg(long, value_name = "NAME=DIR", value_parser = bay)]
    pub bay: Vec<(String, PathBuf)>,
    /// On Linux, the folder of the Windows environment in which the game runs: its registry says which
    /// libraries are taken from the game's folder.
    #[arg(long, value_name = "DIR", value_parser = OsStringValueParser::new().map(PathBuf::from))]
    pub prefix: Option<PathBuf>,
    /// The command that starts Windows programs in the prefix, with its first arguments: the game is started with
    /// it, and while programs of the prefix run, values of its registry are set through it. An empty one takes it back.
    #[arg(long, value_name = "COMMAND")]
    pub run_with: Option<String>,
    /// What `start` starts: a file relative to the game's folder, a command, or an address that the system opens,
    /// as in `launcher://game`. Which executable counts stays as it is.
    #[arg(long, value_name = "FILE, COMMAND or ADDRESS")]
    pub start: Option<String>,
    /// Arguments for the start; quotation marks keep words together.
    #[arg(long, value_name = "ARGUMENTS", allow_hyphen_values = true)]
    pub args: Option<String>,
    /// A variable of the environment that it is started in; an empty value takes it back. Can be given several times.
    #[arg(long, value_name = "NAME=VALUE", value_parser = variable)]
    pub env: Vec<(String, String)>,
    /// A part of a family's builds that this game is not to have; an empty part takes all of them back.
    #[arg(long, value_name = "FAMILY=PART", value_parser = pair)]
    pub without: Vec<(String, String)>,
    /// The folder that a family's data part goes to for a mod manager; an empty one takes it back.
    #[arg(long, value_name = "FAMILY=DIR", value_parser = bay)]
    pub handoff: Vec<(String, PathBuf)>,
    /// A text file that states the game's version, relative to the game's folder.
    #[arg(long, value_name = "PATH")]
    pub version_file: Option<String>,
    /// The regular expression that finds the version in it.
    #[arg(long, value_name = "PATTERN")]
    pub version_pattern: Option<String>,
}

/// Manage the catalog: families of components.
#[derive(Debug, Subcommand)]
pub enum Family {
    /// Describe the family of a sample file.
    Learn {
        /// The library file.
        file: PathBuf,
        /// The id to give the family.
        #[arg(long)]
        id: Option<String>,
        /// Its role in a game.
        #[arg(long, value_parser = role)]
        role: Option<Role>,
        /// The group of related families that it belongs to.
        #[arg(long)]
        group: Option<String>,
        /// Its title.
        #[arg(long)]
        title: Option<String>,
        /// A log that the component has written: its location and the line with the version are recorded with the
        /// family, new or not.
        #[arg(long, value_name = "LOG")]
        log: Option<PathBuf>,
    },
    /// List the families of the catalog.
    List,
    /// Show how a family, or each family of a group, is recognised.
    Show {
        /// Its id, or a pattern of ids and groups.
        family: String,
    },
}

/// A role by its name.
fn role(text: &str) -> Result<Role, String> {
    let names = Role::ALL.map(Role::name).join(", ");
    let found = Role::ALL.into_iter().find(|role| role.name().eq_ignore_ascii_case(text));
    found.ok_or_else(|| format!("the roles are {names}"))
}

/// A variable of the environment as `name=value`.
fn variable(text: &str) -> Result<(String, String), String> {
    let (name, value) = text.split_once('=').ok_or("write it as NAME=VALUE")?;
    Ok((name.to_owned(), value.to_owned()))
}

/// A family and a part of it.
fn pair(text: &str) -> Result<(String, String), String> {
    let (family, part) = text.split_once('=').ok_or("write it as FAMILY=PART")?;
    Ok((family.to_owned(), part.to_owned()))
}

/// A bay as `name=folder`.
fn bay(text: &str) -> Result<(String, PathBuf), String> {
    let (name, folder) = text.split_once('=').ok_or("write it as NAME=DIR")?;
    Ok((name.to_owned(), folder.into()))
}

/// Show the facts of library and program files.
#[derive(Debug, clap::Args)]
pub struct Inspect {
    /// The files.
    #[arg(required = true, value_name = "FILE")]
    pub files: Vec<PathBuf>,
    /// Check the signers' certificates against the root certificates in this PEM file.
    #[arg(long, value_name = "FILE.pem")]
    pub trust: Option<PathBuf>,
}

/// Manage the rack: your own collection of builds.
#[derive(Debug, Subcommand)]
pub enum Rack {
    /// Put builds on the rack: libraries, folders, zips, 7zs or tars. What in them belongs together becomes
    /// one build, in all its variants.
    Add {
        /// The libraries, folders or archives.
        #[arg(required = true, value_name = "FILE")]
        files: Vec<PathBuf>,
        /// The versions of the game that they support: 8.3.2210, 8.3.*, "7.9 - 8.2.400",
        /// ">=7.5 <8.3.2100", with commas between alternatives.
        #[arg(long, value_name = "VERSIONS")]
        supports: Option<Requirement>,
        /// The family of the libraries, where their own name for it is not wanted. It is learned.
        #[arg(long, value_name = "ID")]
        family: Option<String>,
        /// The version of libraries that state none.
        #[arg(long = "version", value_name = "VERSION")]
        stated: Option<Version>,
        /// The store edition of the game that they are for.
        #[arg(long, value_name = "EDITION")]
        edition: Option<String>,
        /// Make one build of all libraries of a package.
        #[arg(long, conflicts_with = "apart")]
        together: bool,
        /// Make a build of each library of a package.
        #[arg(long)]
        apart: bool,
        /// A layout file, as `rack show --layout` prints it: where each file goes. It is remembered for the family:
        /// its other builds follow it too.
        #[arg(long, value_name = "FILE.toml")]
        layout: Option<PathBuf>,
    },
    /// Get builds from feeds and add them to the rack. An unfinished download is continued.
    Get {
        /// The builds as `feed list` shows them (`family@version`), or families for the newest build.
        #[arg(required_unless_present = "game", value_name = "BUILD or FAMILY")]
        builds: Vec<String>,
        /// The newer builds for this game's components that suit it as far as is known.
        #[arg(long = "for", value_name = "GAME", conflicts_with = "builds")]
        game: Option<String>,
        /// From this feed, if several have it.
        #[arg(long, value_name = "FEED")]
        feed: Option<String>,
        /// Proceed despite this stop finding, by its code. Can be given several times.
        #[arg(long, value_name = "CODE", value_parser = code)]
        despite: Vec<String>,
        /// Show the plan without carrying it out.
        #[arg(long)]
        dry_run: bool,
    },
    /// List the builds on the rack.
    List {
        /// Only builds of this family.
        family: Option<String>,
    },
    /// Show a build: what its library says, if it came from, what came with it.
    Show {
        /// The build as `rack list` shows it.
        build: String,
        /// Print if its files go, in a form to edit and give to `rack add --layout`.
        #[arg(long)]
        layout: bool,
    },
    /// Read the texts of a build, or a feed's notes on one.
    Notes {
        /// The build as `rack list` or `feed list` shows it.
        build: String,
        /// Only the parts about versions since the one in this game.
        #[arg(long = "for", value_name = "GAME")]
        game: Option<String>,
    },
    /// Take a build off the rack.
    Drop {
        /// The build as `rack list` shows it.
        build: String,
        /// Even if a change refers to it. What games need to go back is kept.
        #[arg(long)]
        anyway: bool,
    },
    /// Read every stored byte of the rack and verify it.
    Verify,
}

/// Manage feeds: published lists of builds with their supported versions.
#[derive(Debug, Subcommand)]
pub enum Feed {
    /// Add a feed, once its key is confirmed; or say something else of one that was added.
    Add {
        /// The address of a web server's folder, or a folder.
        #[arg(value_name = "URL or FOLDER")]
        address: String,
        /// The public key that it must be signed by, or the file that holds it: it is not asked for then.
        #[arg(long, value_name = "KEY")]
        key: Option<String>,
        /// What to call it.
        #[arg(long)]
        name: Option<String>,
        /// Let its settings be where in the registry it says that they are.
        #[arg(long)]
        registry: bool,
        /// Refresh it automatically when its data is older than this: 12h, 7d, 2w.
        #[arg(long, value_name = "TIME", value_parser = span)]
        fresh_for: Option<SignedDuration>,
    },
    /// List the feeds, or the builds of a family or of a feed.
    List {
        /// A family, or a feed.
        #[arg(value_name = "FAMILY or FEED")]
        what: Option<String>,
    },
    /// Check feeds for updates.
    Refresh {
        /// These; all, if none is named.
        #[arg(value_name = "FEED")]
        feeds: Vec<String>,
    },
    /// Forget a feed. What came from it onto the rack stays.
    Forget {
        /// The feed.
        feed: String,
    },
    /// Publish a feed: write it into a folder for any web server, or add to the one that is there.
    Make(Box<FeedMake>),
    /// Verify a feed in a folder, as its users will.
    Check {
        /// The folder.
        #[arg(value_name = "DIR")]
        folder: PathBuf,
        /// The public key that it must be signed by, or the file that holds it.
        #[arg(long, value_name = "KEY")]
        key: Option<String>,
    },
    /// Manage the keys that feeds are signed with.
    #[command(subcommand)]
    Key(FeedKey),
}

/// Publish a feed: write it into a folder for any web server, or add to the one that is there.
#[derive(Debug, clap::Args)]
pub struct FeedMake {
    /// The folder that is served.
    #[arg(value_name = "DIR")]
    pub folder: PathBuf,
    /// With `--from`: only these families.
    #[arg(value_name = "FAMILY", requires = "from")]
    pub families: Vec<String>,
    /// The file with the secret key. A key of the ordinary signing tool will do: to open one takes a gigabyte of
    /// memory and some seconds.
    #[arg(long, value_name = "SECRET", required_unless_present = "key")]
    pub sign_with: Option<PathBuf>,
    /// Sign nothing: say how to sign it with the ordinary tool, by the secret key to this public one.
    #[arg(long, value_name = "KEY", conflicts_with = "sign_with")]
    pub key: Option<String>,
    /// The secret key that signed the feed so far, if a new one takes its place: it names the new one.
    #[arg(long, value_name = "SECRET")]
    pub replacing: Option<PathBuf>,
    /// File with the passphrase. Default: `$SPANNER_PASSPHRASE`, or a prompt.
    #[arg(long, value_name = "FILE")]
    pub passphrase_file: Option<PathBuf>,
    /// The source of its builds: `rack` for the builds on the rack, or a folder with downloads.
    #[arg(long, value_name = "rack or FOLDER")]
    pub from: Option<PathBuf>,
    /// What to call it.
    #[arg(long)]
    pub title: Option<String>,
    /// Another place that has its contents. Can be given several times; an empty one takes all back.
    #[arg(long, value_name = "URL")]
    pub mirror: Vec<String>,
    /// How long it can be taken for the newest: make it again before that. Clients call it stale afterwards.
    #[arg(long, value_name = "TIME", value_parser = span, default_value = "90d")]
    pub fresh_for: SignedDuration,
    /// Take a build back, with the reason.
    #[arg(long, value_name = "BUILD", requires = "why")]
    pub withdraw: Option<String>,
    /// Advise against a build, with the reason: it fails.
    #[arg(long, value_name = "BUILD", requires = "why", conflicts_with = "withdraw")]
    pub advise_against: Option<String>,
    /// With which versions of the game it fails: 8.3.2210, 8.3.*, "7.9 - 8.2.400"; with all, if it is left out.
    #[arg(long = "with-game", value_name = "VERSIONS", requires = "advise_against")]
    pub with_game: Option<Requirement>,
    /// With which game it fails: the name of its executable; with all, if it is left out.
    #[arg(long = "with-program", value_name = "FILE", requires = "advise_against")]
    pub with_program: Option<String>,
    /// Take back the advice against a build.
    #[arg(long, value_name = "BUILD")]
    pub lift: Option<String>,
    /// The reason.
    #[arg(long, value_name = "TEXT")]
    pub why: Option<String>,
    /// The page with the download of a build: its file is then not included in the feed. Can be given several times.
    #[arg(long, value_name = "BUILD=URL", value_parser = page)]
    pub page: Vec<(String, String)>,
    /// Remove contents that its newest state does not name. Who is getting one at this moment gets it no more.
    #[arg(long)]
    pub prune: bool,
}

/// Manage the keys that feeds are signed with.
#[derive(Debug, Subcommand)]
pub enum FeedKey {
    /// Make a pair of keys: the secret one in a file, the public one beside it.
    New {
        /// The file for the secret key; the public one gets the ending .pub.
        file: PathBuf,
        /// File with the passphrase. Default: `$SPANNER_PASSPHRASE`, or a prompt.
        #[arg(long, value_name = "FILE")]
        passphrase_file: Option<PathBuf>,
        /// Do not protect the secret key with a passphrase: anyone with the file can sign.
        #[arg(long, conflicts_with = "passphrase_file")]
        no_passphrase: bool,
    },
}

/// A build and the page with its download.
fn page(text: &str) -> Result<(String, String), String> {
    let (build, url) = text.split_once('=').ok_or("write it as BUILD=URL")?;
    Ok((build.to_owned(), url.to_owned()))
}

/// A span of time as people write it: hours, days or weeks.
fn span(text: &str) -> Result<SignedDuration, String> {
    let wrong = || "write it as in 12h, 7d or 2w".to_owned();
    let (number, unit) = text.split_at_checked(text.len().saturating_sub(1)).ok_or_else(wrong)?;
    let hours = match unit {
        "h" => 1,
        "d" => 24,
        "w" => 24 * 7,
        _ => return Err(wrong()),
    };
    let number: u32 = number.parse().ok().filter(|number| *number > 0).ok_or_else(wrong)?;
    // Ten years, after which no one remembers.
    let hours = i64::from(number) * hours;
    if hours > 24 * 3660 {
        Err("that is longer than ten years".to_owned())
    } else {
        Ok(SignedDuration::from_hours(hours))
    }
}

fn yes_or_no(text: &str) -> Result<bool, String> {
    match text {
        "yes" => Ok(true),
        "no" => Ok(false),
        _ => Err("say yes or no".to_owned()),
    }
}

/// The code of a finding that can be overridden.
fn code(text: &str) -> Result<String, String> {
    match explain(text) {
        Some(about) if about.overridable => Ok(about.code.to_owned()),
        Some(about) => Err(format!("{} cannot be overridden: spanner explain {0}", about.code)),
        None => Err("unknown code: `spanner explain` lists all".to_owned()),
    }
}

/// Check whether a game's components work with its executable, or whether a build will.
#[derive(Debug, clap::Args)]
pub struct Check {
    /// The game: its folder, or its id as `survey` shows it.
    #[arg(required_unless_present = "all")]
    pub game: Option<String>,
    /// The build to check: a build, a family, a library, a folder or an archive. Without it, the present components.
    #[arg(value_name = "BUILD or FILE")]
    pub build: Option<String>,
    /// Every known game and each of its families, as a table.
    #[arg(long, conflicts_with_all = ["game", "build", "entries"])]
    pub all: bool,
    /// The names under which a loader would be loaded by this game, the best first.
    #[arg(long, conflicts_with = "build")]
    pub entries: bool,
    /// The libraries the game would load, as a tree: importer, folder, and missing ones. With a file, the path that
    /// leads to it.
    #[arg(long, value_name = "FILE", num_args = 0..=1, default_missing_value = "", conflicts_with_all = ["build", "entries", "all"])]
    pub loads: Option<String>,
    /// The name that the library would be given in the game.
    #[arg(long = "as", value_name = "NAME")]
    pub as_name: Option<String>,
}

/// Explain a finding and the next step.
#[derive(Debug, clap::Args)]
pub struct Explain {
    /// The code, as printed after a finding. Without it, all codes.
    pub code: Option<String>,
    /// All of them as a page of markdown.
    #[arg(long, hide = true, conflicts_with = "code")]
    pub markdown: bool,
}

/// Keep a family of a game at a version.
#[derive(Debug, clap::Args)]
pub struct Pin {
    /// The game: its folder, or its id as `survey` shows it.
    pub game: String,
    /// The family.
    pub family: String,
    /// The versions (2.0.3, 2.0.*, "2.0 - 2.3") or a build as `rack list` shows it; without it, the version
    /// that the game has.
    #[arg(long, value_name = "VERSIONS or BUILD")]
    pub at: Option<String>,
    /// The reason, for when you have forgotten it.
    #[arg(long, value_name = "TEXT")]
    pub why: String,
}

/// Remove a pin.
#[derive(Debug, clap::Args)]
pub struct Unpin {
    /// The game: its folder, or its id as `survey` shows it.
    pub game: String,
    /// The family.
    pub family: String,
}

/// Fit a build into a game, and store the files it replaces.
#[derive(Debug, clap::Args)]
pub struct Fit {
    /// The game: its folder, or its id as `survey` shows it.
    #[arg(required_unless_present = "all")]
    pub game: Option<String>,
    /// The builds as `rack list` shows them (`family@version`), families for the newest build that
    /// nothing stops, or libraries, folders or archives: all of it as one change.
    #[arg(value_name = "BUILD or FILE", required_unless_present = "all")]
    pub builds: Vec<String>,
    /// Every known game that has these families, groups of families (a pattern) or builds, one change a game.
    #[arg(long, value_name = "FAMILY", num_args = 1.., conflicts_with_all = ["game", "builds", "as_name", "place"])]
    pub all: Vec<String>,
    /// With `--all`: only games whose id or title matches this pattern.
    #[arg(long = "game", value_name = "PATTERN", requires = "all")]
    pub games: Option<String>,
    /// Proceed despite this stop finding, by its code. Can be given several times.
    #[arg(long, value_name = "CODE", value_parser = code)]
    pub despite: Vec<String>,
    /// The variant, if there are several.
    #[arg(long)]
    pub variant: Option<String>,
    /// The name to give the library in the game, as for a loader that the game must find.
    #[arg(long = "as", value_name = "NAME")]
    pub as_name: Option<String>,
    /// Only this one of several places, as `survey` shows it.
    #[arg(long, value_name = "PATH")]
    pub place: Option<String>,
    /// Leave a part of the build out, by its name, path or folder: now, and whenever the family is fitted to this
    /// game. Can be given several times.
    #[arg(long, value_name = "PART")]
    pub without: Vec<String>,
    /// Leave an older one beside it that is there under another name.
    #[arg(long)]
    pub beside: bool,
    /// Remove what an earlier installation by hand left, as the plan lists it.
    #[arg(long)]
    pub clear: bool,
    /// Set the values that the build's `.reg` files name, each shown before it is set.
    #[arg(long)]
    pub registry: bool,
    /// With `--registry`: write these values to this `.reg` file, instead of setting them.
    #[arg(long, value_name = "FILE", requires = "registry")]
    pub reg_file: Option<PathBuf>,
    /// Take back what an older build, installed by hand, has set in the registry, as its undo file says.
    #[arg(long)]
    pub undo_old: bool,
    /// Pack the data part into a zip in this folder, for a mod manager, instead of fitting it: now, and whenever the
    /// family is fitted to this game.
    #[arg(long, value_name = "DIR")]
    pub handoff: Option<PathBuf>,
    /// First get builds from feeds that the rack lacks or has only in an older version.
    #[arg(long, conflicts_with = "all")]
    pub get: bool,
    /// Show the plan without carrying it out.
    #[arg(long)]
    pub dry_run: bool,
}

/// Show the settings of a game's components, and set them.
#[derive(Debug, clap::Args)]
pub struct Tune {
    /// The game: its folder, or its id as `survey` shows it. With `--all`, the family.
    #[arg(required = true)]
    pub game: Option<String>,
    /// The family, and settings to set, by their names or unique ends of them. `compat=windows-7` sets the
    /// operating system's compatibility mode, and `compat` lists the modes.
    #[arg(value_name = "FAMILY or SETTING=VALUE")]
    pub words: Vec<String>,
    /// Reset a setting to the build's own value. Can be given several times.
    #[arg(long, value_name = "SETTING")]
    pub unset: Vec<String>,
    /// Reset all settings of the family to the build's own values.
    #[arg(long)]
    pub reset: bool,
    /// Set a named set of settings of the catalog.
    #[arg(long, value_name = "NAME")]
    pub preset: Option<String>,
    /// Save the present settings as a preset of the catalog.
    #[arg(long, value_name = "NAME", conflicts_with_all = ["unset", "reset", "preset", "lock", "unlock", "all"])]
    pub save_preset: Option<String>,
    /// Every known game that has the family, one change a game.
    #[arg(long)]
    pub all: bool,
    /// Mark the settings files read-only, so that the program itself does not rewrite them.
    #[arg(long, conflicts_with = "unlock")]
    pub lock: bool,
    /// Take that mark away.
    #[arg(long)]
    pub unlock: bool,
    /// With `compat`: this program, instead of all that are started.
    #[arg(long, value_name = "FILE")]
    pub program: Option<String>,
    /// Write registry values to this `.reg` file instead of setting them.
    #[arg(long, value_name = "FILE", conflicts_with = "all")]
    pub reg_file: Option<PathBuf>,
    /// Proceed despite this stop finding, by its code. Can be given several times.
    #[arg(long, value_name = "CODE", value_parser = code)]
    pub despite: Vec<String>,
    /// Show the plan without carrying it out.
    #[arg(long)]
    pub dry_run: bool,
}

/// Restore the files the game shipped with.
#[derive(Debug, clap::Args)]
pub struct Rollback {
    /// The game: its folder, or its id as `survey` shows it.
    #[arg(required_unless_present = "all")]
    pub game: Option<String>,
    /// Only this family.
    pub family: Option<String>,
    /// Every known game that has something to put back, of this family if one is named; one change a game.
    #[arg(long, value_name = "FAMILY", num_args = 0..=1, default_missing_value = "", conflicts_with_all = ["game", "family"])]
    pub all: Option<String>,
    /// The point to restore: `shipped`, the number of a change for the files right after it, or a day, as in
    /// 2026-03-09, for the files at its end.
    #[arg(long, value_name = "shipped|CHANGE|DATE", default_value = "shipped")]
    pub to: String,
    /// Restore the saved games that a `wind` kept, and nothing else. Needs --to.
    #[arg(long, requires = "to", conflicts_with_all = ["family", "all"])]
    pub saves: bool,
    /// Also restore settings that were edited since.
    #[arg(long)]
    pub settings: bool,
    /// Proceed despite this stop finding, by its code. Can be given several times.
    #[arg(long, value_name = "CODE", value_parser = code)]
    pub despite: Vec<String>,
    /// Show the plan without carrying it out.
    #[arg(long)]
    pub dry_run: bool,
}

/// List changes.
#[derive(Debug, clap::Args)]
#[command(args_conflicts_with_subcommands = true)]
pub struct History {
    /// One change with every file.
    #[command(subcommand)]
    pub command: Option<HistoryCommand>,
    /// Only this game: its folder or its id.
    pub game: Option<String>,
    /// Show how much the store keeps for which game.
    #[arg(long, conflicts_with = "game")]
    pub size: bool,
}

/// What to do with the history.
#[derive(Debug, clap::Subcommand)]
pub enum HistoryCommand {
    /// Show one change with every file.
    Show {
        /// The number of the change.
        change: i64,
    },
}

/// Undo a change: the last one, or one by its number.
#[derive(Debug, clap::Args)]
pub struct Undo {
    /// The number of the change as `history` shows it. An undoing can be undone too.
    pub change: Option<i64>,
    /// Proceed despite this stop finding, by its code. Can be given several times.
    #[arg(long, value_name = "CODE", value_parser = code)]
    pub despite: Vec<String>,
    /// Show the plan without carrying it out.
    #[arg(long)]
    pub dry_run: bool,
}

/// Show differences from the last recorded state, and whether the game was updated.
#[derive(Debug, clap::Args)]
pub struct Drift {
    /// Only this game: its folder or its id.
    pub game: Option<String>,
    /// Keep watching, and report as it happens. Ends on Ctrl-C.
    #[arg(long)]
    pub watch: bool,
}

/// Start a game with the right program.
#[derive(Debug, clap::Args)]
pub struct Start {
    /// The game: its folder, or its id as `survey` shows it.
    pub game: String,
    /// Arguments for the game, after `--`.
    #[arg(last = true, value_name = "ARGS")]
    pub arguments: Vec<String>,
    /// Start this instead, this once: a file relative to the game's folder, a command, or an address.
    #[arg(long, value_name = "FILE, COMMAND or ADDRESS")]
    pub program: Option<String>,
    /// Wait until the program that was started has ended.
    #[arg(long)]
    pub wait: bool,
    /// Wait until each component proved itself, and say whether it did.
    #[arg(long, conflicts_with = "wait")]
    pub prove: bool,
    /// How long to wait for that, in seconds.
    #[arg(long, value_name = "SECONDS", default_value_t = 60, requires = "prove")]
    pub within: u64,
    /// Look into the game's process though it is played online or watches over itself.
    #[arg(long, requires = "prove")]
    pub look_inside: bool,
    /// Show the program and how it would be started, without starting it.
    #[arg(long, conflicts_with_all = ["wait", "prove"])]
    pub dry_run: bool,
}

/// Show whether a game runs with its fitted components, and the version each reports.
#[derive(Debug, clap::Args)]
pub struct Prove {
    /// The game: its folder, or its id as `survey` shows it.
    pub game: String,
    /// Only these families.
    #[arg(value_name = "FAMILY")]
    pub families: Vec<String>,
    /// Every component, those that the game came with too.
    #[arg(long, conflicts_with = "families")]
    pub all: bool,
    /// Look into the game's process though it is played online or watches over itself.
    #[arg(long)]
    pub look_inside: bool,
}

/// Put a shortcut to a game on the desktop, or into a folder.
#[derive(Debug, clap::Args)]
pub struct Shortcut {
    /// The game: its folder, or its id as `survey` shows it.
    pub game: String,
    /// The folder that it goes to. Without it, the desktop.
    #[arg(long, value_name = "DIR")]
    pub to: Option<PathBuf>,
    /// Start the game through this program, which chooses the program to start each time.
    #[arg(long, value_name = "PROGRAM", value_enum)]
    pub through: Option<Through>,
    /// Proceed despite this stop finding, by its code. Can be given several times.
    #[arg(long, value_name = "CODE", value_parser = code)]
    pub despite: Vec<String>,
    /// Show the plan without carrying it out.
    #[arg(long)]
    pub dry_run: bool,
}

/// The program through which a shortcut starts a game.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum Through {
    /// `spanner start`.
    Spanner,
}

/// Put fitted builds back that something else has overwritten.
#[derive(Debug, clap::Args)]
pub struct Wind {
    /// The game: its folder, or its id as `survey` shows it.
    pub game: String,
    /// The folder or the archive that holds the release, or a part of it. Can be given several times: of each file
    /// the last one's counts. It is not altered.
    #[arg(long, value_name = "DIR", required = true)]
    pub from: Vec<PathBuf>,
    /// Move this out of the game's folder, for the release not to see it: a path from there, with * for any part of a
    /// name and ** for any folders. Can be given several times.
    #[arg(long, value_name = "PATTERN")]
    pub aside: Vec<String>,
    /// The version that the game's executable must have afterwards, or a range, such as ">=1.5, <1.6".
    #[arg(long, value_name = "VERSION")]
    pub expect: Option<Requirement>,
    /// Keep components that were fitted, if the release has its own files for them.
    #[arg(long, conflicts_with = "replace_fitted")]
    pub keep_fitted: bool,
    /// Replace components that were fitted by the files that the release has for them.
    #[arg(long)]
    pub replace_fitted: bool,
    /// Take the settings files of the release too, instead of keeping your values.
    #[arg(long)]
    pub settings: bool,
    /// Keep the launcher from updating the game, in the same change.
    #[arg(long)]
    pub hold: bool,
    /// Proceed despite this stop finding, by its code. Can be given several times.
    #[arg(long, value_name = "CODE", value_parser = code)]
    pub despite: Vec<String>,
    /// Show the plan without carrying it out.
    #[arg(long)]
    pub dry_run: bool,
}

#[derive(Debug, clap::Args)]
pub struct Hold {
    /// The game: its folder, or its id as `survey` shows it.
    pub game: String,
    /// Why, in your words: `drift` repeats it.
    #[arg(long, value_name = "TEXT", conflicts_with = "lift")]
    pub why: Option<String>,
    /// The file in which the launcher writes down the game, if no launcher is described that has it.
    #[arg(long, value_name = "FILE", conflicts_with = "lift")]
    pub file: Option<PathBuf>,
    /// Let the launcher update the game again.
    #[arg(long)]
    pub lift: bool,
    /// Proceed despite this stop finding, by its code. Can be given several times.
    #[arg(long, value_name = "CODE", value_parser = code)]
    pub despite: Vec<String>,
    /// Show the plan without carrying it out.
    #[arg(long)]
    pub dry_run: bool,
}

#[derive(Debug, clap::Args)]
pub struct Refit {
    /// Only this game: its folder or its id. Without it, every known game.
    pub game: Option<String>,
    /// Only this family.
    pub family: Option<String>,
    /// Proceed despite this stop finding, by its code. Can be given several times.
    #[arg(long, value_name = "CODE", value_parser = code)]
    pub despite: Vec<String>,
    /// Show the plan without carrying it out.
    #[arg(long)]
    pub dry_run: bool,
}

/// Take swaps made by hand under management, renamed originals included.
#[derive(Debug, clap::Args)]
pub struct Adopt {
    /// The game: its folder, or its id as `survey` shows it.
    pub game: String,
    /// Remove the copies made by hand afterwards. They are kept in the store.
    #[arg(long)]
    pub remove_copies: bool,
    /// Proceed despite this stop finding, by its code. Can be given several times.
    #[arg(long, value_name = "CODE", value_parser = code)]
    pub despite: Vec<String>,
    /// Show the plan without carrying it out.
    #[arg(long)]
    pub dry_run: bool,
}

/// A component that is taken out or put back.
#[derive(Debug, clap::Args)]
pub struct Park {
    /// The game: its folder, or its id as `survey` shows it.
    pub game: String,
    /// The family.
    pub family: String,
    /// Proceed despite this stop finding, by its code. Can be given several times.
    #[arg(long, value_name = "CODE", value_parser = code)]
    pub despite: Vec<String>,
    /// Show the plan without carrying it out.
    #[arg(long)]
    pub dry_run: bool,
}

/// Check the home folder, repair it if possible, and report the rest.
#[derive(Debug, clap::Args)]
pub struct Doctor {
    /// Read every stored byte again.
    #[arg(long)]
    pub deep: bool,
    /// Show stored files that no build and no rollback point needs, and remove them after asking.
    #[arg(long)]
    pub reclaim: bool,
    /// With --reclaim: remove contents too that no record names (`unmentioned`).
    #[arg(long, value_name = "CODE", requires = "reclaim", value_parser = ["unmentioned"])]
    pub despite: Vec<String>,
    /// End an interrupted change that cannot be reverted, with the present files.
    #[arg(long, value_name = "CHANGE", conflicts_with_all = ["deep", "reclaim"])]
    pub settle: Option<i64>,
    /// Show the faults without repairing them.
    #[arg(long)]
    pub dry_run: bool,
}

/// Create a folder of invented games and run the main commands on them.
#[derive(Debug, clap::Args)]
pub struct Demo {
    /// The folder to make.
    #[arg(default_value = "spanner-demo", value_name = "DIR")]
    pub folder: PathBuf,
}
