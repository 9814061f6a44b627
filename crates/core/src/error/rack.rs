//! The errors of packages and builds.

use std::path::PathBuf;

use super::files::list;
use crate::path::slashes;
use crate::remedy::{Action, Remedy};

/// A package that cannot be read, or a build that cannot be had as it was named.
#[derive(Debug, thiserror::Error)]
pub enum RackError {
    /// A package cannot be used.
    #[error("{}: {why}", slashes(path))]
    Package {
        /// The package.
        path: PathBuf,
        /// The reason, with the name of the entry.
        why: String,
        /// What to do about it.
        remedy: Remedy,
    },
    /// No build on the rack has that name.
    #[error("the rack has no build `{spec}`")]
    Unknown {
        /// The requested build.
        spec: String,
        /// Builds with a similar name, or all of a small rack.
        known: Vec<String>,
    },
    /// No build on the rack has that name, and a feed has one.
    #[error("the rack has no build `{spec}`; the feed {feed} has {build}")]
    InFeed {
        /// The requested build.
        spec: String,
        /// The build.
        build: String,
        /// The feed.
        feed: String,
    },
    /// Several builds on the rack have that name.
    #[error("`{spec}` names {} builds: {}", candidates.len(), list(candidates))]
    Several {
        /// The requested build.
        spec: String,
        /// The builds that it names.
        candidates: Vec<String>,
    },
    /// A library could get into a game under several names.
    #[error("{build} could get into {game} under {} names: {}", names.len(), list(names))]
    SeveralEntries {
        /// The game, by its id.
        game: String,
        /// The build.
        build: String,
        /// The names, the best first.
        names: Vec<String>,
    },
    /// A build that something could still need.
    #[error("{build} is needed by {}", list(users))]
    Needed {
        /// The build.
        build: String,
        /// The changes that refer to it.
        users: Vec<String>,
    },
}

impl RackError {
    pub(super) fn code(&self) -> &'static str {
        match self {
            Self::Package { .. } => "archive",
            Self::Unknown { .. } | Self::InFeed { .. } => "unknown-build",
            Self::Several { .. } => "several-builds",
            Self::SeveralEntries { .. } => "several-names",
            Self::Needed { .. } => "build-needed",
        }
    }

    pub(super) fn remedy(&self) -> Remedy {
        match self {
            Self::Package { remedy, .. } => remedy.clone(),
            Self::Unknown { known, .. } if known.is_empty() => {
                ("Put it on the rack first.", Action::AddToRack).into()
            }
            Self::InFeed { build, .. } => {
                ("Get it first.", Action::Get { build: build.clone().into() }).into()
            }
            Self::Unknown { known, .. } => {
                format!("On the rack: {}. Or give the path of a file.", list(known)).into()
            }
            Self::Several { .. } => (
                "They are variants for different needs. Give the full name of one.",
                Action::UseVariant,
            )
                .into(),
            Self::SeveralEntries { game, build, names } => {
                let (game, build) = (game.clone().into(), build.clone().into());
                let names = names.clone();
                ("Say which; the best comes first.", Action::FitAsOneOf { game, build, names })
                    .into()
            }
            Self::Needed { .. } => (
                "It is needed to go back and forth between builds. You can drop it anyway.",
                Action::DropAnyway,
            )
                .into(),
        }
    }
}
