//! The errors of feeds.

use super::files::list;
use crate::remedy::{Action, Remedy};

/// A feed that cannot be fetched or is not valid.
#[derive(Debug, thiserror::Error)]
pub enum FeedError {
    /// A text is not an address.
    #[error("`{address}` is not the address of a feed: {why}")]
    Address {
        /// The text.
        address: String,
        /// The reason.
        why: String,
    },
    /// A server cannot be reached, or sends something wrong.
    #[error("{address}: {why}")]
    Unreachable {
        /// The place.
        address: String,
        /// The reason.
        why: String,
    },
    /// A server has a certificate by which it is not known.
    #[error("{address}: the server's certificate is not trusted, or not for this name ({why})")]
    Certificate {
        /// The place.
        address: String,
        /// The reason.
        why: String,
    },
    /// An address has no feed.
    #[error("no feed found at {address}: {why}")]
    Absent {
        /// The place.
        address: String,
        /// The reason.
        why: String,
    },
    /// No network is used.
    #[error("{address} is not asked: this run is offline")]
    Offline {
        /// The place.
        address: String,
    },
    /// No place has a file.
    #[error("no place has {what}")]
    Nowhere {
        /// The file.
        what: String,
    },
    /// A feed is refused: the state that was taken in before stays.
    #[error("the feed at {address} is refused: {why}")]
    Refused {
        /// The place.
        address: String,
        /// The reason.
        why: String,
        /// What to do about it.
        remedy: Remedy,
    },
    /// The newest state of a feed is past its day: it is not taken in.
    #[error(
        "the feed at {address} has not been renewed: its newest state, number {serial}, was fresh until {until}"
    )]
    Stale {
        /// The place.
        address: String,
        /// The number of the state.
        serial: u64,
        /// The day.
        until: String,
    },
    /// No feed has that name.
    #[error("unknown feed `{name}`")]
    Unknown {
        /// The requested name.
        name: String,
        /// Those that there are.
        known: Vec<String>,
    },
    /// No feed has such a build.
    #[error("no feed has a build `{spec}`")]
    NoBuild {
        /// The requested build.
        spec: String,
        /// The known versions of the family.
        known: Vec<String>,
        /// Whether there is any feed.
        any: bool,
    },
    /// A key cannot be used.
    #[error("{what}")]
    Key {
        /// The reason.
        what: String,
        /// What to do about it.
        remedy: Remedy,
    },
    /// The user stopped it.
    #[error("stopped; the received part is in {folder}")]
    Stopped {
        /// The folder.
        folder: String,
    },
}

impl FeedError {
    pub(super) fn code(&self) -> &'static str {
        match self {
            Self::Address { .. } => "path",
            Self::Unreachable { .. } | Self::Absent { .. } => "unreachable",
            Self::Certificate { .. } => "certificate",
            Self::Offline { .. } => "offline",
            Self::Nowhere { .. } => "nowhere",
            Self::Refused { .. } => "feed-refused",
            Self::Stale { .. } => "stale",
            Self::Unknown { .. } => "unknown-feed",
            Self::NoBuild { .. } => "unknown-build",
            Self::Key { .. } => "key",
            Self::Stopped { .. } => "stopped",
        }
    }

    pub(super) fn remedy(&self) -> Remedy {
        match self {
            Self::Address { .. } => {
                "Give an address as in https://feed.example/stable, or the path of a folder.".into()
            }
            Self::Unreachable { .. } => {
                "What was taken in before is as it was. Try again later; what was downloaded so far is \
                 gone on with."
                    .into()
            }
            Self::Certificate { .. } => {
                "Where your network or your own server has certificates of its own, name the file that holds \
                 them in the variable SSL_CERT_FILE. Everything in a feed is signed: where it can be had by \
                 http:// or from a shared folder, that does as well."
                    .into()
            }
            Self::Absent { .. } => "A feed is where its `feed.minisig` is: compare the address with the one that its \
                                    publisher names; if it is that, try again later."
                .into(),
            Self::Offline { .. } => "Leave out the option that keeps it offline.".into(),
            Self::Nowhere { .. } => "Tell its publisher that the file is missing.".into(),
            Self::Refused { remedy, .. } | Self::Key { remedy, .. } => remedy.clone(),
            Self::Stale { .. } => "What was taken in before is as it was, and its builds can be had. Tell its \
                                   publisher, and look whether the clock of this machine is right."
                .into(),
            Self::Unknown { known, .. } if known.is_empty() => {
                ("No feed has been added.", Action::AddFeed).into()
            }
            Self::Unknown { known, .. } => format!("There are: {}.", list(known)).into(),
            Self::NoBuild { any: false, .. } => ("No feed has been added.", Action::AddFeed).into(),
            Self::NoBuild { known, .. } if known.is_empty() => {
                ("A refresh may bring it.", Action::RefreshFeeds).into()
            }
            Self::NoBuild { known, .. } => format!("In feeds: {}.", list(known)).into(),
            Self::Stopped { .. } => "Run the same command to continue.".into(),
        }
    }
}
