//! Everything that can go wrong above a single image.
//!
//! Rules: a variant says what was being done and to which path; [`Error::advice`] says what to do
//! next, in a sentence of its own, so that every interface gives the same answer.

use std::io;
use std::path::{Path, PathBuf};

use crate::catalog::CatalogError;
use crate::check::Finding;
use crate::image::ImageError;

/// An operation that did not come to its end.
#[derive(Debug, thiserror::Error)]
pub enum Error {
    /// The operating system refused something.
    #[error("could not {doing} {}: {}", path.display(), in_words(source))]
    Io {
        /// What was being done, as in "could not ... PATH".
        doing: &'static str,
        /// To what.
        path: PathBuf,
        /// The operating system's reason.
        source: io::Error,
    },
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
    /// The database failed.
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
    /// A file is not what the plan expected to find.
    #[error("{} is not as it was when the change was planned", path.display())]
    NotAsExpected {
        /// The file.
        path: PathBuf,
    },
    /// A path leads out of the game's folder.
    #[error("{} leads out of the game's folder {}", path.display(), root.display())]
    OutsideGame {
        /// The path.
        path: PathBuf,
        /// The game's folder.
        root: PathBuf,
    },
    /// Stored content is missing or is not what its name says.
    #[error("the stored copy {} is damaged or missing", path.display())]
    DamagedBlob {
        /// The file in the store.
        path: PathBuf,
    },
    /// Another process is altering the same game, or games from the same home.
    #[error("another spanner is at work with {what} {}", path.display())]
    Busy {
        /// What it is at work with: the home or the game.
        what: &'static str,
        /// Its folder.
        path: PathBuf,
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
    #[error("{cause}; every file is back as it was")]
    PutBack {
        /// What failed.
        cause: Box<Error>,
    },
    /// A change failed on its way, and putting back failed too.
    #[error("{cause}; and putting back failed: {failure}")]
    NotPutBack {
        /// What failed first.
        cause: Box<Error>,
        /// Why the files could not be put back.
        failure: Box<Error>,
    },
}

/// The result of an operation of this crate.
pub type Result<T, E = Error> = std::result::Result<T, E>;

impl Error {
    /// Wraps an operating system's error; made for `map_err`.
    pub(crate) fn io(doing: &'static str, path: &Path) -> impl FnOnce(io::Error) -> Self {
        move |source| Self::Io { doing, path: path.to_owned(), source }
    }

    pub(crate) fn database(doing: &'static str) -> impl FnOnce(rusqlite::Error) -> Self {
        move |source| Self::Database { doing, source }
    }

    /// Wraps an image's error; made for `map_err`.
    pub fn image(path: &Path) -> impl FnOnce(ImageError) -> Self {
        move |source| Self::Image { path: path.to_owned(), source }
    }

    /// What the user can do next.
    pub fn advice(&self) -> Option<String> {
        let text = match self {
            Self::Io { source, .. } => return advice_on_io(source).map(str::to_owned),
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
            Self::NotAsExpected { .. } => {
                "Something else changed it meanwhile, perhaps an update. Look at it with \
                 `spanner survey`, then run the command again."
            }
            Self::OutsideGame { .. } => {
                "A folder on the way is a link. Give the folder that it leads to as the game."
            }
            Self::DamagedBlob { .. } => "Add the build to the rack again from its file.",
            Self::UnknownChange { .. } => "`spanner history` lists them with their numbers.",
            Self::StoodOn { number, .. } => {
                return Some(format!(
                    "Undo those first, the last one first, or go back to before it: spanner rollback \
                     GAME --to {}",
                    number - 1
                ));
            }
            Self::Busy { .. } => "Wait until the other one has finished, then try again.",
            Self::Untouched { cause } | Self::PutBack { cause } => return cause.advice(),
            Self::Waiting { .. } => "Remove what keeps it from being put back, then try again.",
            Self::NotPutBack { .. } => {
                "Remove the cause, then run any command that alters this game: it puts the files \
                 back first."
            }
        };
        Some(text.to_owned())
    }
}

fn advice_on_io(error: &io::Error) -> Option<&'static str> {
    const SHARING_VIOLATION: i32 = 32;
    const LOCK_VIOLATION: i32 = 33;
    if cfg!(windows) && matches!(error.raw_os_error(), Some(SHARING_VIOLATION | LOCK_VIOLATION)) {
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

/// The reason without the operating system's error number.
pub(crate) fn in_words(error: &io::Error) -> String {
    let text = error.to_string();
    text.split(" (os error").next().unwrap_or_default().to_owned()
}

fn list(names: &[String]) -> String {
    names.join(", ")
}

fn sentences(findings: &[Finding]) -> String {
    let sentences: Vec<&str> = findings.iter().map(|finding| finding.sentence.as_str()).collect();
    sentences.join(" ")
}
