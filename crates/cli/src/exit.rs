//! How a run ends, as scripts see it.

use std::io;
use std::process::ExitCode;

use upright_spanner_core::{ChangeError, Error, FeedError, GameError, HomeError, RackError};

/// The exit codes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Exit {
    /// Done, or nothing to attend to.
    Done = 0,
    /// Something needs attention, or part of the request could not be read.
    Attend = 1,
    /// The command was used wrongly.
    Usage = 2,
    /// A finding stops it.
    Refused = 3,
    /// It failed; every file is as before.
    Failed = 4,
    /// An interrupted change waits to be put back.
    Interrupted = 5,
}

impl From<Exit> for ExitCode {
    fn from(exit: Exit) -> Self {
        Self::from(exit as u8)
    }
}

impl Exit {
    /// The code for an error that ended the run.
    pub fn of_error(error: &anyhow::Error) -> Self {
        match error.downcast_ref::<Error>() {
            Some(
                Error::Refused(_)
                | Error::Rack(RackError::Needed { .. })
                | Error::Change(ChangeError::StoodOn { .. })
                | Error::Home(HomeError::NotSure { .. })
                | Error::Game(GameError::InUse { .. })
                | Error::Feed(FeedError::Refused { .. }),
            ) => Self::Refused,
            Some(Error::Change(
                ChangeError::NotPutBack { .. }
                | ChangeError::Waiting { .. }
                | ChangeError::NotNoted { .. },
            )) => Self::Interrupted,
            Some(Error::Game(GameError::Gone { .. }) | Error::Feed(FeedError::Stale { .. })) => {
                Self::Attend
            }
            Some(error) if error.code() == "path" => Self::Usage,
            // An output that cannot be written is not a mistake of the user's, and does not concern the files.
            None if error.downcast_ref::<io::Error>().is_some() => Self::Attend,
            None
            | Some(
                Error::Game(_)
                | Error::Invalid { .. }
                | Error::Change(ChangeError::UnknownFamily { .. } | ChangeError::Unknown { .. })
                | Error::Feed(
                    FeedError::Address { .. }
                    | FeedError::Key { .. }
                    | FeedError::NoBuild { .. }
                    | FeedError::Unknown { .. },
                )
                | Error::Rack(
                    RackError::Unknown { .. }
                    | RackError::InFeed { .. }
                    | RackError::Several { .. }
                    | RackError::SeveralEntries { .. },
                ),
            ) => Self::Usage,
            Some(_) => Self::Failed,
        }
    }
}

/// Whether the reader of our output has closed it, as `head` does; that is not an error.
pub fn is_closed_pipe(error: &anyhow::Error) -> bool {
    const NOT_CONNECTED: i32 = 233;
    let closed = |error: &io::Error| {
        let gone = cfg!(windows) && error.raw_os_error() == Some(NOT_CONNECTED);
        gone || error.kind() == io::ErrorKind::BrokenPipe
    };
    error.downcast_ref::<io::Error>().is_some_and(closed)
}
