//! Everything that can go wrong above a single image.
//!
//! Rules: a variant says what was being done and to which path; [`Error::advice`] says what to do
//! next, in a sentence of its own, so that every interface gives the same answer.

use std::io;
use std::path::{Path, PathBuf};

use crate::finding::Finding;
use crate::image::ImageError;
pub(crate) use upright_spanner_change::{Error as Files, in_words, is_in_use};

/// A text file of the user's that cannot be used, such as a catalog.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{}:{line}: {what}", path.display())]
pub struct CatalogError {
    /// The file.
    pub path: PathBuf,
    /// The line that is wrong, from 1.
    pub line: usize,
    /// What is wrong and what was expected.
    pub what: String,
}

/// An operation that did not come to its end.
#[derive(Debug, thiserror::Error)]
pub enum Error {
    /// A file is no image, or a damaged one.
    #[error("{}: {source}", path.display())]
    Image {
        /// The file.
        path: PathBuf,
        /// What is wrong with it.
        source: ImageError,
    },
    /// A text that cannot be an id.
    #[error("`{id}` is no id: lower-case letters, digits and `-` are")]
    Id {
        /// The text.
        id: String,
        /// What it would be as an id.
        like: String,
    },
    /// Something of that name is there already.
    #[error("there is already {what} `{name}`")]
    Taken {
        /// What it is, with its article.
        what: &'static str,
        /// Its name.
        name: String,
    },
    /// A setting of a game that cannot be.
    #[error("{what}")]
    Setting {
        /// What is wrong with it.
        what: String,
        /// What would be right.
        advice: &'static str,
    },
    /// A file of trusted certificates cannot be used.
    #[error("{}: {why}", path.display())]
    Trust {
        /// The file.
        path: PathBuf,
        /// What is wrong with it.
        why: String,
    },
    /// An archive cannot be used.
    #[error("{}: {why}", path.display())]
    Archive {
        /// The archive.
        path: PathBuf,
        /// What is wrong with it, naming the entry.
        why: String,
        /// What to do about it.
        advice: &'static str,
    },
    /// An operation on files failed, on ours or in a game.
    #[error(transparent)]
    Files(Files),
    /// Not even an index in memory can be had.
    #[error("could not open an index, not even in memory")]
    Index,
    /// A file that is precious is damaged.
    #[error("{}: {what}", path.display())]
    DamagedFile {
        /// The file.
        path: PathBuf,
        /// What is wrong with it.
        what: String,
    },
    /// A game whose folder is not there.
    #[error("{title} stood in {}, which is not there", root.display())]
    GameGone {
        /// The game's title.
        title: String,
        /// Its id.
        id: String,
        /// Where it stood.
        root: PathBuf,
    },
    /// Nothing may be removed while something is not known.
    #[error("nothing was removed: {why}")]
    NotSure {
        /// What is not known.
        why: String,
    },
    /// The database of an earlier version failed.
    #[error("could not {doing} in the database: {source}")]
    Database {
        /// What was being done.
        doing: &'static str,
        /// The database's reason.
        source: rusqlite::Error,
    },
    /// The database was written by a newer version of the program.
    #[error("{} was written by a newer version of spanner", path.display())]
    NewerHome {
        /// The database.
        path: PathBuf,
    },
    /// The database was written by a version from before the first release.
    #[error("{} was written by a version from before the first release", path.display())]
    OlderHome {
        /// The database.
        path: PathBuf,
    },
    /// No change has that number.
    #[error("there is no change {number}")]
    UnknownChange {
        /// What was asked for.
        number: i64,
    },
    /// Later changes stand on one that was to be undone.
    #[error(
        "change {number} cannot be undone alone, since {} altered its files after it",
        list(later)
    )]
    StoodOn {
        /// The change.
        number: i64,
        /// The later ones, each with what it was for.
        later: Vec<String>,
    },
    /// Neither a game that is known nor a folder.
    #[error("there is no game `{name}`: it is neither a folder nor the id of a game seen before")]
    UnknownGame {
        /// What was asked for.
        name: String,
        /// Ids that are known.
        known: Vec<String>,
    },
    /// A folder that is no library root.
    #[error("{} is not among the library roots", path.display())]
    UnknownRoot {
        /// The folder.
        path: PathBuf,
        /// The library roots.
        known: Vec<String>,
    },
    /// A catalog or settings file cannot be used.
    #[error("{0}")]
    Catalog(CatalogError),
    /// A folder that is not one game.
    #[error("{} holds {} games ({}), not one", path.display(), titles.len(), list(titles))]
    SeveralGames {
        /// The folder.
        path: PathBuf,
        /// What was found in it.
        titles: Vec<String>,
    },
    /// A folder in which there is nothing to work on.
    #[error("{}: there is no program and no library in this folder", path.display())]
    NoGame {
        /// The folder.
        path: PathBuf,
    },
    /// No change of the game touched that family.
    #[error("no file of {family} was ever changed in {game}")]
    UnknownFamily {
        /// What was asked for.
        family: String,
        /// The game's title.
        game: String,
        /// The families that changes touched.
        known: Vec<String>,
    },
    /// Files of a game that were to be looked at are in use.
    #[error("{} is in use, so it cannot be read", path.display())]
    InUse {
        /// The first of them.
        path: PathBuf,
    },
    /// The game has no component of that family.
    #[error("{game} has no {family}")]
    NoSuchComponent {
        /// What was asked for.
        family: String,
        /// The game's title.
        game: String,
        /// The families that it has.
        known: Vec<String>,
    },
    /// No build on the rack has that name.
    #[error("there is no build `{spec}` on the rack")]
    UnknownBuild {
        /// What was asked for.
        spec: String,
        /// Builds with a similar name, or all of a small rack.
        known: Vec<String>,
    },
    /// Several builds on the rack have that name.
    #[error("`{spec}` names {} builds: {}", candidates.len(), list(candidates))]
    SeveralBuilds {
        /// What was asked for.
        spec: String,
        /// The builds that it names.
        candidates: Vec<String>,
    },
    /// A build that something could still need.
    #[error("{build} is needed by {}", list(users))]
    BuildNeeded {
        /// The build.
        build: String,
        /// The changes that refer to it.
        users: Vec<String>,
    },
    /// Checks found a reason not to go on.
    #[error("refused: {}", sentences(.0))]
    Refused(
        /// The findings that stop it.
        Vec<Finding>,
    ),
    /// A folder to be merged holds what cannot be merged.
    #[error("{} cannot be merged: {why}", path.display())]
    NotMergeable {
        /// The file.
        path: PathBuf,
        /// Why not.
        why: String,
    },
    /// An earlier change of the game was interrupted and could not be put back yet.
    #[error("change {number} of {} was interrupted and waits to be put back", root.display())]
    Waiting {
        /// The number of the earlier change.
        number: i64,
        /// The game's folder.
        root: PathBuf,
    },
    /// A change failed before anything in the game was touched.
    #[error("{cause}; nothing was changed")]
    Untouched {
        /// What failed.
        cause: Box<Error>,
    },
    /// A change failed on its way, and the files are as before.
    #[error("{cause}; {}", taken_back(cause))]
    PutBack {
        /// What failed.
        cause: Box<Error>,
    },
    /// A change failed on its way, and not everything could be put back.
    #[error("{cause}; and not every file could be put back: {}", left.join("; "))]
    NotPutBack {
        /// The number of the change.
        number: i64,
        /// What failed first.
        cause: Box<Error>,
        /// How those files are.
        left: Vec<String>,
    },
    /// A change was made and verified, but that could not be noted.
    #[error("change {number} is done, but that could not be noted: {cause}")]
    NotNoted {
        /// The number of the change.
        number: i64,
        /// Why not.
        cause: Box<Error>,
    },
}

/// The result of an operation of this crate.
pub type Result<T, E = Error> = std::result::Result<T, E>;

impl From<Files> for Error {
    fn from(error: Files) -> Self {
        Self::Files(error)
    }
}

impl From<upright_spanner_change::BadPath> for Error {
    fn from(error: upright_spanner_change::BadPath) -> Self {
        Self::Files(error.into())
    }
}

impl Error {
    /// Wraps an operating system's error; made for `map_err`.
    pub(crate) fn io(doing: &'static str, path: &Path) -> impl FnOnce(io::Error) -> Self {
        move |source| Self::Files(Files::io(doing, path)(source))
    }

    pub(crate) fn database(doing: &'static str) -> impl FnOnce(rusqlite::Error) -> Self {
        move |source| Self::Database { doing, source }
    }

    /// The file that could not be had since a process has it open.
    pub(crate) fn in_use(&self) -> Option<&Path> {
        match self {
            Self::Files(Files::Io { path, source, .. }) if is_in_use(source) => Some(path),
            _ => None,
        }
    }

    /// Wraps an image's error; made for `map_err`.
    pub fn image(path: &Path) -> impl FnOnce(ImageError) -> Self {
        move |source| Self::Image { path: path.to_owned(), source }
    }

    /// A stable name for scripts.
    pub fn code(&self) -> &'static str {
        match self {
            Self::Files(Files::Io { .. }) => "io",
            Self::Image { source, .. } => source.code(),
            Self::Id { .. } => "not-an-id",
            Self::Taken { .. } => "taken",
            Self::Setting { .. } => "setting",
            Self::Trust { .. } => "trust",
            Self::Archive { .. } => "archive",
            Self::Index | Self::Database { .. } => "database",
            Self::DamagedFile { .. } | Self::Files(Files::Journal { .. }) => "damaged-file",
            Self::GameGone { .. } => "game-gone",
            Self::NotSure { .. } => "not-sure",
            Self::NewerHome { .. } => "newer-home",
            Self::OlderHome { .. } => "older-home",
            Self::UnknownChange { .. } => "unknown-change",
            Self::StoodOn { .. } => "stood-on",
            Self::UnknownGame { .. } => "unknown-game",
            Self::UnknownRoot { .. } => "unknown-root",
            Self::Catalog(_) => "catalog",
            Self::SeveralGames { .. } => "several-games",
            Self::NoGame { .. } => "no-game",
            Self::UnknownFamily { .. } => "unknown-family",
            Self::NoSuchComponent { .. } => "no-such-component",
            Self::InUse { .. } => "game-running",
            Self::UnknownBuild { .. } => "unknown-build",
            Self::SeveralBuilds { .. } => "several-builds",
            Self::BuildNeeded { .. } => "build-needed",
            Self::Refused(_) => "refused",
            Self::NotMergeable { .. } => "not-mergeable",
            Self::Waiting { .. } => "waiting",
            Self::Untouched { .. } => "untouched",
            Self::PutBack { .. } => "put-back",
            Self::NotPutBack { .. } => "not-put-back",
            Self::NotNoted { .. } => "not-noted",
            Self::Files(Files::NotPlain { .. }) => "not-plain",
            Self::Files(Files::NotAsExpected { .. }) => "not-as-expected",
            Self::Files(Files::AnotherFolder { .. }) => "another-folder",
            Self::Files(Files::NotGranted { .. }) => "not-granted",
            Self::Files(Files::Path(_)) => "path",
            Self::Files(Files::DamagedContent { .. }) => "damaged-content",
            Self::Files(Files::Busy { .. }) => "busy",
            Self::Files(Files::Stopped) => "stopped",
        }
    }

    /// What the user can do next.
    pub fn advice(&self) -> Option<String> {
        let text = match self {
            Self::Image { source, .. } => source.advice(),
            Self::Archive { advice, .. } | Self::Setting { advice, .. } => advice,
            Self::Id { like, .. } => return Some(format!("Write it as `{like}`.")),
            Self::Taken { .. } => "Choose another name.",
            Self::Trust { .. } => "Give a PEM file with one or more root certificates.",
            Self::Database { .. } => {
                "Check that the home folder is writable and its disk not full; then try again."
            }
            Self::NewerHome { .. } => "Update spanner, or name another home with --home.",
            Self::OlderHome { .. } => {
                "Go back with that version first, if it fitted anything; then name another home with \
                 --home."
            }
            Self::UnknownGame { known, .. } if known.is_empty() => {
                "Give the game's folder, or run `spanner survey FOLDER` once on where your games are."
            }
            Self::UnknownGame { known, .. } => {
                return Some(format!("Give the game's folder, or one of: {}.", list(known)));
            }
            Self::UnknownRoot { known, .. } if known.is_empty() => "There are none yet.",
            Self::UnknownRoot { known, .. } => return Some(format!("These are: {}.", list(known))),
            Self::Catalog(_) => "Mend that line; docs/formats.md describes the format.",
            Self::SeveralGames { .. } => "Give the folder of one of them.",
            Self::NoGame { .. } => "Check the path: it should be the folder that the game is in.",
            Self::UnknownFamily { known, .. } if known.is_empty() => {
                "Nothing of this game was changed, so there is nothing to go back from."
            }
            Self::UnknownFamily { known, .. } => {
                return Some(format!("What was changed: {}.", list(known)));
            }
            Self::InUse { .. } => "Close the game, and its launcher if need be; then try again.",
            Self::NoSuchComponent { known, .. } => {
                return Some(format!("It has: {}.", list(known)));
            }
            Self::UnknownBuild { known, .. } if known.is_empty() => {
                "Put it on the rack first: `spanner rack add FILE`. `spanner rack list` shows what is there."
            }
            Self::UnknownBuild { known, .. } => {
                return Some(format!("On the rack: {}. Or give the path of a file.", list(known)));
            }
            Self::SeveralBuilds { .. } => {
                "They are variants for different needs. Name one in full, or with --variant."
            }
            Self::BuildNeeded { .. } => {
                "Going back and forth between builds needs it. To drop it all the same: --anyway."
            }
            Self::Refused(findings) => {
                let remedies: Vec<&str> = findings.iter().map(|f| f.remedy.as_str()).collect();
                return Some(remedies.join(" "));
            }
            Self::UnknownChange { .. } => "`spanner history` lists them with their numbers.",
            Self::StoodOn { number, .. } => {
                return Some(format!(
                    "Undo those first, the last one first, or go back to before it: spanner rollback \
                     GAME --to {}",
                    number - 1
                ));
            }
            Self::Files(error) => return advice_on_files(error),
            Self::Index => "Free some memory, then try again.",
            Self::DamagedFile { .. } => "`spanner doctor` says what can be done.",
            Self::GameGone { id, .. } => {
                return Some(format!(
                    "Plug its drive in; or say where it is now: spanner game set {id} --root FOLDER. \
                     What was done to it: spanner history {id}"
                ));
            }
            Self::NotSure { .. } => {
                "Run `spanner doctor` first: it mends what it can and says the rest."
            }
            Self::NotMergeable { .. } => {
                "Rename that file or take it out of the folder, then try again."
            }
            Self::Untouched { cause } | Self::PutBack { cause, .. } => return cause.advice(),
            Self::Waiting { number, .. } | Self::NotPutBack { number, .. } => {
                return Some(format!(
                    "Remove the cause, then run any command that alters games: it puts the files back \
                     first. Or accept what is there: spanner doctor --settle {number}"
                ));
            }
            Self::NotNoted { .. } => {
                "Make room for the home folder and allow writing to it. The next command that alters games \
                 notes it as done."
            }
        };
        Some(text.to_owned())
    }
}

fn advice_on_files(error: &Files) -> Option<String> {
    let text = match error {
        Files::Io { source, .. } => return advice_on_io(source).map(str::to_owned),
        Files::NotPlain { .. } => {
            "Put the plain file or folder there, or give the folder that the link leads to as the game."
        }
        Files::NotAsExpected { .. } => {
            "Something else changed it meanwhile, perhaps an update. Look at it with \
             `spanner survey`, then run the command again."
        }
        Files::AnotherFolder { .. } => "Run the command again: it looks at what is there now.",
        Files::NotGranted { .. } => {
            "Name that folder as a bay: spanner game set GAME --bay NAME=FOLDER"
        }
        Files::Path(_) => "Rename that file or folder.",
        Files::DamagedContent { .. } => "Add the build to the rack again from its file.",
        Files::Busy { .. } => "Wait until the other one has finished, then try again.",
        Files::Journal { .. } => "`spanner doctor` says what can be done.",
        Files::Stopped => return None,
    };
    Some(text.to_owned())
}

/// What is true of the files after a change was taken back: where one had been altered by something
/// else, that stays.
fn taken_back(cause: &Error) -> &'static str {
    match cause {
        Error::Files(Files::NotAsExpected { .. }) => "what the change had done is taken back",
        _ => "every file is back as it was",
    }
}

fn advice_on_io(error: &io::Error) -> Option<&'static str> {
    if is_in_use(error) {
        return Some("The file is in use. Close the game and its launcher, then try again.");
    }
    match error.kind() {
        io::ErrorKind::NotFound => Some("Check the spelling of the path."),
        io::ErrorKind::PermissionDenied => {
            Some("Check that you may write there and that the game is not running.")
        }
        io::ErrorKind::StorageFull => Some("Make room on that disk, then try again."),
        _ => None,
    }
}

fn list(names: &[String]) -> String {
    names.join(", ")
}

fn sentences(findings: &[Finding]) -> String {
    let sentences: Vec<&str> = findings.iter().map(|finding| finding.sentence.as_str()).collect();
    sentences.join(" ")
}
